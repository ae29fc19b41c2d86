"""What the program holds in memory and beside it, and how much it may."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.service import calibration, mixes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.page import views

_MB = 1e6


def memory(app: AppContext) -> views.MemoryView:
    """The page's program, and the worker where there is one: what it remembers of sounds and
    answers."""
    worker = app.worker
    if worker is None:
        return views.MemoryView(program_mb=_program_mb(), worker_mb=None, held=_held(app))
    if not worker.runs:
        return views.MemoryView(program_mb=_program_mb(), worker_mb=None, held=[])
    there = app.work(memory)
    return views.MemoryView(program_mb=_program_mb(), worker_mb=there.program_mb, held=there.held)


def _held(app: AppContext) -> list[views.HeldView]:
    caches = (
        (_("sounds of takes and their renderings"), app.sounds),
        (_("takes after the stages of the chain"), calibration.current(app).take_sets),
        (_("readings of takes"), app.readings),
        (_("answers of rules"), app.answers),
        (_("the mixes"), mixes.current(app).materials),
        (_("pictures of clips"), mixes.current(app).waveforms),
    )
    return [
        views.HeldView(
            what=what,
            mb=round(cache.bytes_held / _MB, 1),
            most_mb=None if cache.most_bytes is None else round(cache.most_bytes / _MB, 1),
        )
        for what, cache in caches
    ]


def _program_mb() -> float | None:
    """What of the program is in memory; None where the system does not tell."""
    with suppress(OSError, ValueError, AttributeError, IndexError):
        pages = int(Path("/proc/self/statm").read_text("ascii").split()[1])
        return round(pages * os.sysconf("SC_PAGE_SIZE") / _MB, 1)
    return None
