"""Hear a take raw or treated, at one loudness; hear what the call heard; fetch a recording."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.measure.levels import peak_dbfs
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.service import deriving, measuring
from obsidian_wren.service.destinations import listeners_of
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Recording, Take

Version = Literal["raw", "treated"]
_CALL_TAIL_S = 10.0


def hear_take(ws: Workshop, take_id: int, version: Version, *, matched: bool) -> bytes:
    """A WAV of a take, raw or through the chain, loudness-matched to the other when asked."""
    with ws.sessions() as session:
        take = session.get(Take, take_id)
        if take is None:
            raise Refused("no-take", "This take is no longer there.")
        raw = measuring.samples_of(ws, take)
        specs = deriving.chain_specs(session, the_rig(ws, session))
    if specs is None:
        if version == "treated":
            raise Refused("no-chain", "There is nothing to treat it with yet: Tone has to be fitted first.")
        return _wav(raw, take.rate_hz)
    treated = render(specs, raw, rate_hz=take.rate_hz)
    chosen = raw if version == "raw" else treated
    if matched:
        loudness = integrated_lufs(raw, rate_hz=take.rate_hz), integrated_lufs(treated, rate_hz=take.rate_hz)
        if np.isfinite(loudness).all():
            gains = matched_gains_db(loudness, (peak_dbfs(raw), peak_dbfs(treated)))
            chosen = chosen * amplitude_from_db(gains[0] if version == "raw" else gains[1])
    return _wav(chosen, take.rate_hz)


def hear_call(ws: Workshop) -> bytes:
    """A WAV of the last ten seconds that the call heard."""
    with ws.sessions.begin() as session:
        held = listeners_of(ws, session)
    heard = held.call.heard_since(held.call.position - round(_CALL_TAIL_S * held.call.rate_hz))
    if not heard.any():
        raise Refused("nothing-heard", "The call has heard nothing yet. Start live first.")
    return _wav(heard, held.call.rate_hz)


def recording_path(ws: Workshop, session: Session, recording_id: int) -> Path:
    """Where a recording lies."""
    row = session.get(Recording, recording_id)
    if row is None or not (ws.folder.recordings / row.file_name).exists():
        raise Refused("no-recording", "This recording is no longer there.")
    return ws.folder.recordings / row.file_name


def _wav(samples: Samples, rate_hz: int) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.clip(samples, -1.0, 1.0), rate_hz, format="WAV", subtype="PCM_24")
    return out.getvalue()
