"""Delivery: the gain that brings the treated voice to a listener's loudness, under a true-peak
ceiling.

The gain is solved by running the real chain over the real take, so the loudness that is planned is
the one that comes out.

Source: ITU-R BS.1770-4 for loudness and true peak; AES TD1008 and EBU R 128 for the targets.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.chain.between_samples import local_peaks
from obsidian_wren.core.chain.limiter import limiter_gains
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.loudness import lufs_of_weighted
from obsidian_wren.core.wording import _

RELEASE_MS = 100.0
MOST_LIMITING_DB = 8.0
_GAIN_RANGE_DB = (-30.0, 40.0)
_CLOSE_ENOUGH_LU = 0.07
_SAME_GAIN_DB = 0.02


def derive_gain(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the gain before the limiter."""
    answer = StagePlanBuilder("gain", pins)
    aims = take_set.preferences.aims
    ceiling = pins.numbers.get(("limiter", "ceiling_dbtp"), aims.ceiling_dbtp)
    weighted, peaks = take_set.weighted_talk, local_peaks(take_set.talk)
    start_lufs = take_set.loudness_lufs
    start_peak = amplitude_db(float(peaks.max())) if len(peaks) else -math.inf
    most = ceiling - start_peak + MOST_LIMITING_DB
    release_ms = pins.numbers.get(("limiter", "release_ms"), RELEASE_MS)
    gain = _solve(
        weighted,
        peaks,
        aim_lufs=aims.loudness_lufs,
        start_lufs=start_lufs,
        most_db=most,
        ceiling_dbtp=ceiling,
        release_ms=release_ms,
        rate_hz=take_set.rate_hz,
    )
    text = _(
        "The voice arrives here at {start_lufs:.1f} LUFS; the listener's target is"
        " {loudness_lufs:.0f}.",
        start_lufs=start_lufs,
        loudness_lufs=aims.loudness_lufs,
    )
    if gain >= most - 0.02:
        text += _(
            " Kept lower: more would cost the highest peaks over {most_limiting_db:.0f} dB"
            " in the limiter.",
            most_limiting_db=MOST_LIMITING_DB,
        )
    answer.set("gain_db", round(gain, 2), text)
    return answer.plan(True, _("Meets the listener's loudness target."))


def derive_limiter(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the limiter: always on, always last."""
    answer = StagePlanBuilder("limiter", pins)
    ceiling = take_set.preferences.aims.ceiling_dbtp
    answer.set(
        "ceiling_dbtp",
        ceiling,
        _(
            "{ceiling:.0f} dB of headroom for peaks that a codec on the way adds between samples.",
            ceiling=-ceiling,
        ),
    )
    answer.set(
        "release_ms",
        RELEASE_MS,
        _("Time to 63 %: short enough to follow syllables, long enough not to distort."),
    )
    return answer.plan(True, _("No peak passes the ceiling."))


def _held(gain_db: float, most_db: float) -> float:
    low, high = _GAIN_RANGE_DB
    return max(low, min(gain_db, most_db, high))


def _solve(
    weighted: Samples,
    peaks: Samples,
    *,
    aim_lufs: float,
    start_lufs: float,
    most_db: float,
    ceiling_dbtp: float,
    release_ms: float,
    rate_hz: float,
) -> float:
    """The gain that meets the aim behind the limiter, by the secant method.

    A limiter's gain moves slowly against the sound, so the K-weighted sound times that gain has the
    loudness of the limited sound to some hundredths: each step then needs neither the filters nor
    the peaks again.
    """
    gain, slope = _held(aim_lufs - start_lufs, most_db), 0.9
    if not math.isfinite(gain) or not np.isfinite(start_lufs):
        return 0.0
    last: tuple[float, float] | None = None
    for _try in range(6):
        limited = weighted * limiter_gains(
            peaks,
            gain_db=gain,
            ceiling_dbtp=ceiling_dbtp,
            release_s=release_ms / 1000.0,
            rate_hz=rate_hz,
        )
        reached = lufs_of_weighted(limited, rate_hz=rate_hz) + gain
        better = _held(gain + (aim_lufs - reached) / slope, most_db)
        if abs(aim_lufs - reached) <= _CLOSE_ENOUGH_LU or abs(better - gain) < _SAME_GAIN_DB:
            break
        # The limiter eats part of each added decibel, so the next step is as long as the last one
        # proved.
        if last is not None and gain != last[0]:
            slope = min(1.0, max(0.3, (reached - last[1]) / (gain - last[0])))
            better = _held(gain + (aim_lufs - reached) / slope, most_db)
        last, gain = (gain, reached), better
    return gain
