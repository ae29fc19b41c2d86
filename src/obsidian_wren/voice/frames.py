"""A frame of the meter as the page gets it."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from obsidian_wren.core.measure.live import Frame

Origin = Literal["watch", "take", "run"]


def frame_json(frame: Frame, origin: Origin) -> dict[str, Any]:
    """A frame as the page gets it: one decimal, null for silence."""
    return {
        "of": origin,
        "level_dbfs": _shown(frame.level_dbfs),
        "peak_dbfs": _shown(frame.peak_dbfs),
        "clipped": frame.clipped,
        "short_dbfs": [_shown(level) for level in frame.short_dbfs],
        "a_weighted_dbfs": _shown(frame.a_weighted_dbfs),
        "bands_hz": list(frame.bands_hz),
        "bands_dbfs": [_shown(level) for level in frame.bands_dbfs],
    }


def _shown(level: float) -> float | None:
    return round(level, 1) if np.isfinite(level) else None
