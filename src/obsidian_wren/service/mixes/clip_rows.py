"""Clips as they are kept and shown, without what plays them: the first page need not wait for
what computes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service import mixes
from obsidian_wren.service.context import AppContext
from obsidian_wren.store.models import Clip
from obsidian_wren.store.take_files import load_take

_POINTS = 120


def rows(session: Session) -> list[Clip]:
    """Every clip, in its place."""
    return list(session.scalars(select(Clip).order_by(Clip.place, Clip.id)))


@dataclass(frozen=True)
class ClipSound:
    """A clip as it sounds: its file by digest, the rate of it, where it begins and ends, and its
    loudness."""

    sha256: str
    rate_hz: int
    start_s: float
    end_s: float
    lufs: float | None


def sounds(session: Session) -> tuple[ClipSound, ...]:
    """Every clip whose sound is there."""
    return tuple(
        ClipSound(row.sha256, row.rate_hz, row.start_s, row.end_s, row.lufs)
        for row in rows(session)
        if row.fault is None
    )


def waveform_of(app: AppContext, clip: Clip) -> list[float]:
    """The highest sample of each stretch of the whole clip, as a share of its highest of all."""
    if clip.fault is not None:
        return []
    found: list[float] = mixes.current(app).waveforms.get(
        clip.sha256, lambda: _waveform(_whole(app, clip))
    )
    return found


def _whole(app: AppContext, clip: Clip) -> Samples:
    return load_take(app.folder, clip.sha256)[0]


def _waveform(whole: Samples) -> list[float]:
    if not len(whole):
        return []
    edges = np.linspace(0, len(whole), min(_POINTS, len(whole)), endpoint=False).astype(int)
    highest = np.maximum.reduceat(np.abs(whole), edges)
    return [round(float(height), 3) for height in highest / max(float(highest.max()), 1e-12)]
