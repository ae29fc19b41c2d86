"""Hear a take raw or treated, at one loudness; hear what the call heard; fetch a recording."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
import soundfile

from obsidian_wren.core.chain.offline import render, trace_gains
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.measure.decay import sweep_signal
from obsidian_wren.core.measure.levels import peak_dbfs
from obsidian_wren.core.measure.live import FRAME_S, BlockMeter
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.simulated import sound_at
from obsidian_wren.service.mixes import clips, scene
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.recording.library import download_name
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.side_by_side import beside
from obsidian_wren.store.models import Recording, Take
from obsidian_wren.voice.frames import frame_json

Version = Literal["raw", "treated"]
_CALL_TAIL_S = 10.0
_CLIP_RATE_HZ = 48_000
_LONGEST_SHOWN_S = 120.0


def hear_take(
    app: AppContext, take_id: int, version: Version, matched: bool, off: Sequence[str] = ()
) -> bytes:
    """A WAV of a take, raw or through the chain, loudness-matched to the raw when asked.

    ``off`` are stages and bands left out for once.
    """
    with app.sessions() as session:
        take = session.get(Take, take_id)
        if take is None:
            raise Refused("no-take", _("This take is no longer there."))
        raw, rate = measuring.samples_of(app, take), take.rate_hz
        ctx = in_hand(app, session)
        whole, specs = (
            chain_rows.chain_specs(ctx),
            chain_rows.chain_specs(ctx, off=off),
        )
    if whole is None or specs is None:
        if version == "treated":
            raise Refused(
                "no-chain",
                _("There is nothing to treat it with yet: fit the tone first."),
            )
        return _wav(raw, rate)
    treated = through(app, take.sha256, raw, whole, rate)
    heard = (
        raw
        if version == "raw"
        else treated
        if not off
        else through(app, take.sha256, raw, specs, rate)
    )
    if matched:
        heard = heard * amplitude_from_db(_matching_db(app, take.sha256, raw, treated, heard, rate))
    return _wav(heard, rate)


def hear_taken(app: AppContext, take_id: int, key: str, matched: bool) -> bytes:
    """A WAV of what one stage takes out of a take, as loud as it would be beside the treated
    voice."""
    with app.sessions() as session:
        take = session.get(Take, take_id)
        if take is None:
            raise Refused("no-take", _("This take is no longer there."))
        raw, rate = measuring.samples_of(app, take), take.rate_hz
        specs = chain_rows.keyed_specs(in_hand(app, session))
    if specs is None or key not in specs or not specs[key].on:
        raise Refused("no-stage", _("This stage is off, so it takes nothing."))
    keys = list(specs)
    place = keys.index(key)
    before, after = (
        through(app, take.sha256, raw, [specs[k] for k in keys[:end]], rate)
        for end in (place, place + 1)
    )
    whole = through(app, take.sha256, raw, tuple(specs.values()), rate)
    gain = _matching_db(app, take.sha256, raw, whole, before, rate) if matched else 0.0
    return _wav((before - after) * amplitude_from_db(gain), rate)


def through(
    app: AppContext, digest: str, raw: Samples, specs: Sequence[StageSpec], rate_hz: int
) -> Samples:
    """A take behind stages, ``(n,)``, remembered by the digest of its file."""
    heard: Samples = app.sounds.get(
        (digest, tuple(specs)), lambda: render(specs, raw, rate_hz=rate_hz, beside=beside)
    )
    return heard


def _matching_db(
    app: AppContext, digest: str, raw: Samples, treated: Samples, heard: Samples, rate_hz: int
) -> float:
    """The gain that puts what is heard at the one loudness at which raw, treated and every
    variant are compared."""
    loudness = integrated_lufs(raw, rate_hz=rate_hz), integrated_lufs(treated, rate_hz=rate_hz)
    own = integrated_lufs(heard, rate_hz=rate_hz)
    if not np.isfinite((*loudness, own)).all():
        return 0.0
    gains = matched_gains_db(loudness, (peak_dbfs(raw), peak_dbfs(treated)))
    common = loudness[0] + gains[0]
    return min(common - own, -peak_dbfs(heard))


def frames_of_take(
    app: AppContext, take_id: int, version: Version, off: Sequence[str] = ()
) -> dict[str, Any]:
    """What the picture shows while a take plays: levels and third octaves every 50 ms, and what
    each dynamics stage takes away then."""
    with app.sessions() as session:
        take = session.get(Take, take_id)
        if take is None:
            raise Refused("no-take", _("This take is no longer there."))
        raw, rate = (
            measuring.samples_of(app, take)[: round(_LONGEST_SHOWN_S * take.rate_hz)],
            take.rate_hz,
        )
        specs = chain_rows.chain_specs(in_hand(app, session), off=off)
        digest = take.sha256
    key = ("frames", digest, version, None if specs is None or version == "raw" else tuple(specs))
    found: dict[str, Any] = app.readings.get(
        key, lambda: _frames(raw, None if version == "raw" else specs, rate)
    )
    return found


def _frames(raw: Samples, specs: Sequence[StageSpec] | None, rate: int) -> dict[str, Any]:
    gains: dict[str, list[float]] = {}
    if specs is not None:
        sound, traced = trace_gains(specs, raw, rate_hz=rate)
        per_frame = round(FRAME_S / 0.01)
        for kind, row in traced.items():
            whole = row[: len(row) // per_frame * per_frame].reshape(-1, per_frame).min(axis=1)
            gains[kind] = [round(float(g), 1) for g in whole]
    else:
        sound = raw
    frames = BlockMeter(rate).add(sound)
    shown = [frame_json(frame, "take") for frame in frames]
    return {
        "step_s": FRAME_S,
        "bands_hz": shown[0]["bands_hz"] if shown else [],
        "level_dbfs": [f["level_dbfs"] for f in shown],
        "peak_dbfs": [f["peak_dbfs"] for f in shown],
        "bands_dbfs": [f["bands_dbfs"] for f in shown],
        "gains_db": gains,
    }


def sweep_wav(_app: AppContext, rate_hz: int) -> bytes:
    """The measuring sweep, to be played from where the mouth is."""
    return _wav(sweep_signal(rate_hz=rate_hz), rate_hz)


def hear_listener(app: AppContext, key: str, what: Literal["heard", "sent", "returned"]) -> bytes:
    """A WAV of the last ten seconds that a listener heard after its own processing, that were
    sent to it, or that came back from it."""
    with app.sessions() as session:
        name = next((row.name for row in scene.destinations(session) if row.key == key), None)
    if name is None:
        raise Refused("no-destination", _("There is no listener with this name."))
    sound, rate_hz = sound_at(app, key, what, _CALL_TAIL_S)
    if not sound.any():
        raise Refused(
            "nothing-heard",
            _("{name} has heard nothing yet. Start live first.", name=name),
        )
    return _wav(sound, rate_hz)


def hear_clip(app: AppContext, clip_id: int) -> bytes:
    """A WAV of a clip as its key plays it."""
    with app.sessions() as session:
        return _wav(
            clips.sound_of(app, clips.clip_by(session, clip_id), _CLIP_RATE_HZ), _CLIP_RATE_HZ
        )


def recording_file(app: AppContext, recording_id: int) -> tuple[Path, str]:
    """Where a recording lies, and what it is called outside."""
    with app.sessions() as session:
        row = session.get(Recording, recording_id)
    if row is None or row.discarded or not (app.folder.recordings / row.file_name).exists():
        raise Refused("no-recording", _("This recording is no longer there."))
    return app.folder.recordings / row.file_name, download_name(row)


def _wav(samples: Samples, rate_hz: int) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.clip(samples, -1.0, 1.0), rate_hz, format="WAV", subtype="PCM_24")
    return out.getvalue()
