"""Delivery: the gain that brings the treated voice to a listener's loudness, under a true-peak ceiling.

The gain is solved by running the real chain over the real take, so the loudness that is planned is the one that comes out.
Aims: −18 LUFS for calls, a little under the −16 LUFS of spoken word on the web (EBU R 128 s2), so that no heavy limiting is
needed; ceiling −3 dBTP, so that a coder on the way has room.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec, limiter_gains, local_peaks
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.setting import Setting, settle
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs, k_weighted, lufs_of_weighted

LOUDNESS_AIM_LUFS = -18.0
LOUDNESS_TOLERANCE_LU = 1.0
CEILING_DBTP = -3.0
RELEASE_S = 0.1
MOST_LIMITING_DB = 8.0
_GAIN_RANGE_DB = (-30.0, 40.0)
_CLOSE_ENOUGH_LU = 0.07


@dataclass(frozen=True)
class Delivery:
    """Gain and ceiling for one listener, with what the chain then gives on the take: planned loudness and true peak."""

    gain_db: Setting
    ceiling_dbtp: Setting
    aim_lufs: float
    planned_lufs: float
    planned_true_peak_dbtp: float
    limited_db: float


def derive_delivery(
    talk_samples: Samples, before: Sequence[StageSpec], *, rate_hz: float, aim_lufs: float = LOUDNESS_AIM_LUFS,
    pinned_gain_db: float | None = None, pinned_ceiling_dbtp: float | None = None,
) -> Delivery:  # fmt: skip
    """Solve the gain on ``(n,)`` samples of talk after the stages ``before``."""
    toned = render(before, talk_samples, rate_hz=rate_hz)
    weighted, peaks = k_weighted(toned, rate_hz=rate_hz), local_peaks(toned)
    start_lufs, start_peak = lufs_of_weighted(weighted, rate_hz=rate_hz), amplitude_db(float(peaks.max()))
    ceiling = settle(CEILING_DBTP, "dBTP", "3 dB are kept for what a coder on the way adds between samples.", pinned_ceiling_dbtp)
    most = ceiling.value - start_peak + MOST_LIMITING_DB
    gain = round(_solve(weighted, peaks, aim_lufs, start_lufs, most, ceiling.value, rate_hz), 2)
    text = f"The toned voice measures {start_lufs:.1f} LUFS; the listener's aim is {aim_lufs:.0f}."
    if gain >= most - 0.02:
        text += f" Held back: more would cost the highest peaks over {MOST_LIMITING_DB:.0f} dB in the limiter."
    setting = settle(gain, "dB", text, pinned_gain_db, digits=2)
    out = render([GainSpec(setting.value), LimiterSpec(ceiling.value, RELEASE_S)], toned, rate_hz=rate_hz)
    return Delivery(
        gain_db=setting,
        ceiling_dbtp=ceiling,
        aim_lufs=aim_lufs,
        planned_lufs=integrated_lufs(out, rate_hz=rate_hz),
        planned_true_peak_dbtp=true_peak_dbtp(out),
        limited_db=max(0.0, start_peak + setting.value - ceiling.value),
    )


def _held(gain_db: float, most_db: float) -> float:
    low, high = _GAIN_RANGE_DB
    return max(low, min(gain_db, most_db, high))


def _solve(
    weighted: Samples, peaks: Samples, aim_lufs: float, start_lufs: float, most_db: float, ceiling_dbtp: float, rate_hz: float
) -> float:
    """The gain that meets the aim behind the limiter, by the secant method.

    A limiter's gain moves slowly against the sound, so the K-weighted sound times that gain has the loudness of the limited
    sound to some hundredths: each step then needs neither the filters nor the peaks again.
    """
    gain, slope = _held(aim_lufs - start_lufs, most_db), 0.9
    if not math.isfinite(gain):
        return 0.0
    last: tuple[float, float] | None = None
    for _ in range(6):
        limited = weighted * limiter_gains(peaks, gain_db=gain, ceiling_dbtp=ceiling_dbtp, release_s=RELEASE_S, rate_hz=rate_hz)
        reached = lufs_of_weighted(limited, rate_hz=rate_hz) + gain
        better = _held(gain + (aim_lufs - reached) / slope, most_db)
        if abs(aim_lufs - reached) <= _CLOSE_ENOUGH_LU or abs(better - gain) < 0.02:
            break
        # The limiter eats part of each added decibel, so the next step is as long as the last one proved.
        if last is not None and gain != last[0]:
            slope = min(1.0, max(0.3, (reached - last[1]) / (gain - last[0])))
            better = _held(gain + (aim_lufs - reached) / slope, most_db)
        last, gain = (gain, reached), better
    return gain
