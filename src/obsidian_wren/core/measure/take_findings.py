"""What a take is worth before it is believed: findings of one take, each with what to do.

A finding that stops makes the answer wrong; the others say what was mended or how far the answer
carries. Codes are stable.

Source: practice: every rule stands on takes, so the takes are judged first; ITU-T P.56 for what is
speech.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure import integrity, levels
from obsidian_wren.core.measure.faults import WHISPERED
from obsidian_wren.core.measure.levels import OFFSET_SHARE
from obsidian_wren.core.measure.readings import QuietReading, TalkReading

QUIET_ENOUGH_S = 8.0
TALK_ENOUGH_S = 20.0
_STRETCH_S = 0.25
_BURST_DB = 8.0
_SPREADS = 5.0
_MOST_CUT = 0.5
_LEAST_KEPT_S = 3.0
_GATED_SHARE, _GATED_S = 0.02, 0.08
_GATED_SPREAD_DB = 45.0
_LOW_DBFS = -45.0
_NAMED = 3
_SPEECH_BAND_HZ = 6_000.0


@dataclass(frozen=True)
class Finding:
    """Something about a take: a stable code, what was found, what to do, and whether what stands
    on the take would be wrong."""

    code: str
    sentence: str
    action: str
    stops: bool = False


def quiet_findings(samples: Samples, reading: QuietReading) -> tuple[Finding, ...]:
    """What is found in ``(n,)`` samples of the room at rest."""
    found = []
    rate_hz = reading.rate_hz
    gaps = integrity.find_dropouts(samples, rate_hz=rate_hz)
    swing_db = reading.percentiles_dbfs.p90 - reading.percentiles_dbfs.p10
    gated = gaps.share > _GATED_SHARE and gaps.longest_s > _GATED_S
    if gated or swing_db > _GATED_SPREAD_DB:
        found.append(
            Finding(
                "gated_quiet",
                f"{gaps.share:.0%} of the quiet take is exact silence: something cuts the room"
                " away before it gets here.",
                "Switch off noise removal and voice activation in the sound settings and in the"
                " device's own program, then take the room again.",
                stops=True,
            )
        )
    elif gaps.count:
        found.append(_gaps(gaps, "quiet take"))
    if not gated:
        found += burst_findings(samples, rate_hz=rate_hz)
    if abs(reading.dc_offset) > OFFSET_SHARE:
        found.append(_offset(reading.dc_offset, "quiet take"))
    if reading.duration_s < QUIET_ENOUGH_S:
        found.append(
            Finding(
                "too_short",
                f"The quiet take lasts {reading.duration_s:.0f} s, so its level is known less"
                " well.",
                f"Take {QUIET_ENOUGH_S:.0f} s or more.",
            )
        )
    return tuple(found)


def talk_findings(samples: Samples, reading: TalkReading) -> tuple[Finding, ...]:
    """What is found in ``(n,)`` samples of someone talking."""
    found = []
    tops = reading.flat_tops
    if tops.count >= 3:
        found.append(
            Finding(
                "clipped",
                f"{tops.count} peaks are cut flat at {tops.level_dbfs:.1f} dBFS.",
                "Turn the preamp down by 10 dB and take it again.",
            )
        )
    elif reading.soft_clipping is not None:
        found.append(
            Finding(
                "soft_clipped",
                "A stage before the converter rounds off your loudest peaks.",
                "Turn the preamp down or move back, then take it again.",
            )
        )
    if reading.active_level_dbfs < _LOW_DBFS:
        found.append(
            Finding(
                "low_level",
                f"Your voice is at {reading.active_level_dbfs:.0f} dBFS, which is faint.",
                "Turn the preamp up, or go closer, and take it again.",
            )
        )
    if reading.pitch_hz is None:
        found.append(
            Finding(
                "whisper",
                WHISPERED,
                "Talk normally if that is how you will be heard.",
            )
        )
    gaps = integrity.find_dropouts(samples, rate_hz=reading.rate_hz)
    if gaps.share > _GATED_SHARE and gaps.longest_s > _GATED_S:
        found.append(
            Finding(
                "processed",
                f"{gaps.share:.0%} of the talk is exact silence: another gate or noise remover"
                " works on it already.",
                "Switch it off in the sound settings and in the device's own program, then take"
                " it again.",
            )
        )
    elif gaps.count:
        found.append(_gaps(gaps, "talk"))
    if reading.rate_hz < 2.0 * _SPEECH_BAND_HZ:
        found.append(
            Finding(
                "band_limited",
                f"The talk ends at {reading.rate_hz / 2000:g} kHz, so what lies above is unknown"
                " and left alone.",
                "Record at 44.1 or 48 kHz.",
            )
        )
    found += length_findings(reading.duration_s)
    offset = levels.dc_offset(samples)
    if abs(offset) > OFFSET_SHARE:
        found.append(_offset(offset, "talk"))
    return tuple(found)


def burst_findings(samples: Samples, *, rate_hz: float) -> list[Finding]:
    """What stands out of a room take ``(n,)`` and is left out."""
    bursts = find_bursts(samples, rate_hz=rate_hz)
    if not bursts:
        return []
    times = ", ".join(f"{start:.1f} to {end:.1f} s" for start, end in bursts[:_NAMED])
    more = f" and {len(bursts) - _NAMED} more" if len(bursts) > _NAMED else ""
    return [
        Finding(
            "burst_in_quiet",
            f"Something was loud in the quiet take, at {times}{more}: it is left out.",
            "Take the room again if that belongs to it.",
        )
    ]


def length_findings(duration_s: float) -> list[Finding]:
    """Whether a talk is long enough to tell of a tone."""
    if duration_s >= TALK_ENOUGH_S:
        return []
    return [
        Finding(
            "too_short",
            f"{duration_s:.0f} s of talk tell little of your tone, so the correction is careful.",
            f"Read for {TALK_ENOUGH_S:.0f} s or more; 40 s are good.",
        )
    ]


def find_bursts(samples: Samples, *, rate_hz: float) -> tuple[tuple[float, float], ...]:
    """Stretches of a room take ``(n,)`` that stand out of it, from and to in seconds: a slam, a
    cough, a word, a passing car.

    Levels of quarter seconds against their median; what is loud for half of the time is the room.
    """
    stretch = max(1, round(_STRETCH_S * rate_hz))
    count = len(samples) // stretch
    if count * _STRETCH_S < _LEAST_KEPT_S:
        return ()
    power = np.square(samples[: count * stretch]).reshape(count, stretch).mean(axis=1)
    level = power_db(np.maximum(power, 1e-20))
    median = float(np.median(level))
    spread = float(np.median(np.abs(level - median)))
    loud = level > median + max(_BURST_DB, _SPREADS * spread)
    if not loud.any():
        return ()
    # What comes before and after belongs to it: the hand on the door, the room's answer.
    wide = np.convolve(loud, np.ones(3), mode="same") > 0
    if wide.mean() > _MOST_CUT or (~wide).sum() * _STRETCH_S < _LEAST_KEPT_S:
        return ()
    edges = np.flatnonzero(np.diff(np.concatenate([[0], wide.astype(int), [0]])))
    return tuple(
        (float(start) * _STRETCH_S, float(end) * _STRETCH_S) for start, end in edges.reshape(-1, 2)
    )


def without_bursts(samples: Samples, *, rate_hz: float) -> Samples:
    """A room take ``(n,)`` without what stands out of it, ``(m,)``."""
    kept = np.ones(len(samples), dtype=bool)
    for start, end in find_bursts(samples, rate_hz=rate_hz):
        kept[round(start * rate_hz) : round(end * rate_hz)] = False
    return samples if kept.all() else samples[kept]


def _gaps(gaps: integrity.Dropouts, take: str) -> Finding:
    return Finding(
        "gaps",
        f"{gaps.count} gaps in the {take}, {1000 * gaps.total_s:.0f} ms together.",
        "Use another USB port without a hub, make the device's buffer larger, and close what else"
        " records.",
    )


def _offset(share: float, take: str) -> Finding:
    level = power_db(share**2) + AES17_OFFSET_DB
    return Finding(
        "dc_offset",
        f"A constant offset of {100 * share:+.2f} % of full scale ({level:.0f} dBFS) is under the"
        f" {take}: it is taken off before anything is read.",
        "A driver update or another input may fix it.",
    )
