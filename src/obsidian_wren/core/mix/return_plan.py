"""What is done to the return from a listener: its stages, and what it was before and after them.

Source: practice for the limits; ``returns.py`` derives one.
"""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.record_types import Level

# The other side at the loudness at which one's own voice is sent: a talk of equals.
RETURN_LUFS = -18.0
# No peak at the ear comes higher, whatever the other side does.
RETURN_CEILING_DBTP = -6.0
# A chain for the time before anything was measured: it saves ears and changes nothing else.
_LIMITER = LimiterSpec(RETURN_CEILING_DBTP, 100.0)
SAFE: tuple[StageSpec, ...] = (_LIMITER,)


@dataclass(frozen=True)
class ReturnReading:
    """A return as it is: loudness in LUFS, true peak in dBTP, hum in dBFS (None without), and
    how far 2 to 5 kHz are over average speech, dB (None without speech)."""

    lufs: float | None
    true_peak_dbtp: Level
    hum_dbfs: float | None
    harsh_db: float | None


@dataclass(frozen=True)
class ReturnPlan:
    """The stages for a return, the readings before and after them, and a sentence for each thing
    that is done."""

    specs: tuple[StageSpec, ...]
    before: ReturnReading
    after: ReturnReading
    because: tuple[str, ...]
