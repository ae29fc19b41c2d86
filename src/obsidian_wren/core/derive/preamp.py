"""Gain staging: how far to turn the preamp so that the peaks of normal talk fall into the aim.

The aim, −15 to −10 dBFS, is the working practice of 24-bit recording: 10 dB are kept for laughter and shouting, and the
converter's own noise stays far under the room.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.measure.readings import QuietReading, TalkReading

PEAK_AIM_DBFS = (-15.0, -10.0)
# Peak over active level of unclipped speech, used only where clipping hides the true peak. AES17 active level.
_USUAL_CREST_DB = 14.0


@dataclass(frozen=True)
class PreampAdvice:
    """What to do with the preamp. ``change_db`` is 0 when the peaks are in the aim.

    ``sure_db``: the middle half of what five-second stretches of this take would each have asked, halved; None when clipped.
    ``certain``: False when clipping hides the peak, so that the change is a careful guess.
    """

    change_db: float
    verdict: Literal["settled", "up", "down"]
    sentence: str
    because: str
    sure_db: float | None
    certain: bool
    expected_peak_dbfs: float


def advise_preamp(
    talk: TalkReading, quiet: QuietReading | None = None, *, gain_db: float | None = None,
    gain_range_db: tuple[float, float] | None = None, step_db: float = 1.0,
) -> PreampAdvice:  # fmt: skip
    """Preamp advice from a talk reading.

    ``gain_db``, ``gain_range_db`` and ``step_db`` are the knob's position, range and step in dB where they are known.
    """
    low, high = PEAK_AIM_DBFS
    middle = (low + high) / 2.0
    clipped = talk.flat_tops.count >= 3
    peak = talk.peak_dbfs
    if clipped:
        hidden = max(talk.active_level_dbfs + _USUAL_CREST_DB, peak + 3.0)
        change = min(middle - hidden, -6.0)
    else:
        change = 0.0 if low <= peak <= high else middle - peak
    change = _in_steps(change, step_db)
    limit = ""
    if gain_db is not None and gain_range_db is not None:
        reachable = min(max(gain_db + change, gain_range_db[0]), gain_range_db[1])
        if abs(reachable - gain_db - change) > 1e-9:
            limit = (
                f" The knob ends at {reachable:g} dB: go closer to the microphone for the rest."
                if change > 0
                else f" The knob ends at {reachable:g} dB: move back or switch a pad in for the rest."
            )
            change = reachable - gain_db
    verdict: Literal["settled", "up", "down"] = "settled" if change == 0 and not clipped else "up" if change > 0 else "down"
    return PreampAdvice(
        change_db=change,
        verdict=verdict,
        sentence=_sentence(change, verdict, gain_db),
        because=_because(talk, quiet, clipped, peak) + limit,
        sure_db=None if clipped else _spread(talk),
        certain=not clipped,
        expected_peak_dbfs=peak + change,
    )


def _in_steps(change_db: float, step_db: float) -> float:
    return round(change_db / step_db) * step_db if step_db > 0 else change_db


def _sentence(change_db: float, verdict: str, gain_db: float | None) -> str:
    if verdict == "settled":
        return "Leave the preamp where it is"
    size = f"{abs(change_db):g} dB"
    to = "" if gain_db is None else f", from {gain_db:g} to {gain_db + change_db:g} dB"
    return f"Turn the preamp {verdict} {size}{to}"


def _because(talk: TalkReading, quiet: QuietReading | None, clipped: bool, peak: float) -> str:
    low, high = PEAK_AIM_DBFS
    if clipped:
        at = talk.flat_tops.level_dbfs
        return (
            f"{talk.flat_tops.count} peaks are cut flat at {at:.1f} dBFS, so how high they really go is hidden. "
            "This is a careful first move: take it again afterwards."
        )
    where = "inside" if low <= peak <= high else f"{peak - high:.1f} dB over" if peak > high else f"{low - peak:.1f} dB under"
    text = f"Normal talk peaks at {peak:.1f} dBFS, {where} the aim of {low:.0f} to {high:.0f}."
    if quiet is not None and talk.snr_db is not None:
        text += f" Voice and room move together, so the {talk.snr_db:.0f} dB between them stay."
    return text


def _spread(talk: TalkReading) -> float | None:
    seconds = np.array(talk.peaks_by_second_dbfs)
    stretches = [float(seconds[i : i + 5].max()) for i in range(0, len(seconds) - 4, 5)]
    if len(stretches) < 3:
        return None
    low, high = np.percentile(stretches, [25, 75])
    return float(high - low) / 2.0
