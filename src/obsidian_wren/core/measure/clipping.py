"""Clipping: flat tops at full scale or under it, and the softer kind that only rounds the loudest
waves off.

A flat top is a run of equal extremes that the waveform enters and leaves steeply. A rounded top of
a coarsely quantised wave is also a run of equal values, but its neighbours lie only a step or two
lower; that tells the two apart.

Source: practice: equal extremes in a row, which band-limited sound does not have.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_db, amplitude_from_db, power_db
from obsidian_wren.core.measure.integrity import grid_step

_RUN_SAMPLES = 3
# 24-bit rounding on either side, so that equal extremes stay equal after a level control.
_ROUNDING = 2.4e-7
# What converter noise makes of a top that was cut before it, as a share of the top.
_ANALOGUE_NOISE = 1.5e-4
_STEEP = 5.0
_FRAME_S = 0.02
_ENOUGH_FRAMES = 1_000
_NEXT_TO_NOTHING = 1e-4
_NOTHING = 1e-6
CUBIC_SLOPE = 2.2
_LEAST_RANGE_DB = 6.0
_CLEAR_SPREAD = 3.0
_MOSTLY = 0.5


@dataclass(frozen=True)
class FlatTops:
    """Runs of equal extremes, the mark of clipping, at full scale or under it.

    ``count`` runs of at least three samples; ``level_dbfs`` the sample level they sit at, None when
    there are none; ``upper_dbfs`` and ``lower_dbfs`` the same for the two sides of the wave, where
    only one may be cut.
    """

    count: int
    level_dbfs: float | None
    share_of_samples: float
    upper_dbfs: float | None = None
    lower_dbfs: float | None = None


@dataclass(frozen=True)
class SoftClipping:
    """A stage that gives way when it is loud.

    ``crest_loss_db``: how much flatter the waves of the loudest frames are than those of frames 8
    to 16 dB under them; ``from_dbfs``: the frame peak from which it shows;
    ``third_harmonic_slope``: dB of third harmonic for each dB of tone in frames that hold one tone,
    near 3 for a cubic stage and 1 for a straight one, None where no such frames are.
    """

    crest_loss_db: float
    from_dbfs: float
    third_harmonic_slope: float | None


def _flat_runs(
    samples: Samples, top: float, tolerance: float, steep: float, shortest: int
) -> tuple[int, int]:
    """Runs within ``tolerance`` of the extreme ``top`` (positive side) whose neighbours fall off
    by at least ``steep``."""
    near = np.flatnonzero(samples >= top - tolerance)
    apart = np.diff(near) > 1
    first, last = near[np.append(True, apart)], near[np.append(apart, True)]
    beside = np.concatenate([[-np.inf], samples, [-np.inf]])
    falls = (top - beside[first] >= steep) & (top - beside[last + 2] >= steep)
    counts = falls & (last - first + 1 >= shortest)
    return int(counts.sum()), int((last - first + 1)[counts].sum())


def flat_tops(samples: Samples) -> FlatTops:
    """Flat tops of ``(n,)`` samples at whatever level they are.

    Silence and constant takes have none.

    A clean waveform meets its extreme once and leaves it; a clipped one sits there. Each side of
    the wave is looked at by itself, since a stage with an offset cuts one side first.
    """
    none = FlatTops(0, None, 0.0)
    if len(samples) < 8:
        return none
    high, low = float(samples.max()), float(-samples.min())
    if max(high, low) < _NEXT_TO_NOTHING or high + low < _NOTHING:
        return none
    step = grid_step(samples)
    runs = []
    for side, top in ((samples, high), (-samples, low)):
        # A rounded top that stays within the tolerance for three samples falls by less than five
        # times as much at the fourth.
        tolerance = max(
            _ROUNDING, 1.2 * step if step > 4.0 * _ROUNDING else 0.0, _ANALOGUE_NOISE * top
        )
        runs.append(
            _flat_runs(side, top, tolerance, _STEEP * tolerance, _RUN_SAMPLES)
            if top > _NEXT_TO_NOTHING
            else (0, 0)
        )
    upper, lower = runs
    # Two runs are needed: one flat extreme may be a single lucky pair.
    if upper[0] + lower[0] < 2:
        return none
    upper_dbfs = amplitude_db(high) if upper[0] else None
    lower_dbfs = amplitude_db(low) if lower[0] else None
    level = max(level for level in (upper_dbfs, lower_dbfs) if level is not None)
    return FlatTops(
        int(upper[0] + lower[0]),
        level,
        (upper[1] + lower[1]) / len(samples),
        upper_dbfs,
        lower_dbfs,
    )


def soft_clipping(samples: Samples, *, rate_hz: float) -> SoftClipping | None:
    """Whether the loudest waves are rounded off, from ``(n,)`` samples of a voice; None when they
    are not, or it cannot be told.

    A voice may be square-ish at all levels; that is the voice. A stage that gives way makes only
    the loud frames flatter, so the crest factor of the loudest frames is held against that of
    frames 8 to 16 dB under them, and the third harmonic of frames that hold one tone is followed
    over level (a cubic term grows by 3 dB for each dB).
    """
    length = round(_FRAME_S * rate_hz)
    whole = samples[: len(samples) // length * length].reshape(-1, length)
    # Medians over so many frames move no more when there are twice as many.
    whole = whole[:: max(1, len(whole) // _ENOUGH_FRAMES)]
    if len(whole) < 100:
        return None
    peaks = np.abs(whole).max(axis=1)
    levels = power_db(np.maximum(np.mean(np.square(whole), axis=1), 1e-30))
    crest = amplitude_db(np.maximum(peaks, 1e-15)) - levels
    # Plosives and clicks are spiky at any level: frames count when their energy lies low, as that
    # of vowels does.
    low = _low_share(whole) > _MOSTLY
    top = float(np.percentile(np.asarray(levels)[low], 99.0)) if low.sum() > 60 else np.inf
    loud, softer = low & (levels >= top - 3.0), low & (levels <= top - 8.0) & (levels >= top - 16.0)
    if loud.sum() < 12 or softer.sum() < 30:
        return None
    loss = float(np.median(crest[softer]) - np.median(crest[loud]))
    slope = _third_harmonic_slope(whole[low], rate_hz)
    bent = slope is not None and slope > CUBIC_SLOPE
    if loss < _CREST_LOSS_DB and not bent:
        return None
    onset = float(np.percentile(amplitude_db(peaks[loud]), 10.0))
    return SoftClipping(round(loss, 2), onset, slope)


# Clean talk through the simulated rig shows 0.5 dB at most, a voice squared off at all levels
# (|x|^0.6) 1.2 dB; a tanh stage driven to twice its knee shows 2 dB and more.
_CREST_LOSS_DB = 1.7


def _low_share(frames: Samples) -> Samples:
    """Share of a frame's energy that a two-sample mean keeps: near one for vowels, low for hiss."""
    smooth = 0.25 * (frames[:, :-3] + frames[:, 1:-2] + frames[:, 2:-1] + frames[:, 3:])
    energy = np.maximum(np.einsum("ij,ij->i", frames, frames), 1e-30)
    return np.asarray(np.einsum("ij,ij->i", smooth, smooth) / energy)


def _third_harmonic_slope(frames: Samples, rate_hz: float) -> float | None:
    """Slope of the third harmonic over the first, dB per dB, over frames in which one tone holds
    nine tenths of the energy."""
    length = frames.shape[1]
    window = np.hanning(length + 1)[:-1]
    power = np.abs(np.fft.rfft(frames * window, axis=1)) ** 2
    first = power[:, 2 : length // 8].argmax(axis=1) + 2
    rows = np.arange(len(power))

    def around(bins: Samples) -> Samples:
        return np.asarray(
            sum(power[rows, np.clip(bins + k, 0, power.shape[1] - 1)] for k in (-2, -1, 0, 1, 2))
        )

    one = around(first)
    pure = one > 0.9 * np.maximum(power.sum(axis=1), 1e-30)
    three = around(np.clip(3 * first, 0, power.shape[1] - 3))
    beside = around(np.clip(3 * first + 6, 0, power.shape[1] - 3))
    usable = pure & (three > 10.0 * beside) & (first * 3 < power.shape[1] - 8)
    if usable.sum() < 20:
        return None
    x, y = power_db(one[usable]), power_db(three[usable])
    if float(np.percentile(x, 95) - np.percentile(x, 5)) < _LEAST_RANGE_DB:
        return None
    slope, offset = np.polyfit(x, y, 1)
    spread = float(np.std(y - slope * x - offset))
    return round(float(slope), 2) if spread < _CLEAR_SPREAD else None


def clipped_samples(block: Samples, *, at_dbfs: float = -0.05) -> int:
    """Samples of ``(n,)`` that touch full scale, for a live count."""
    return int(np.count_nonzero(np.abs(block) >= amplitude_from_db(at_dbfs)))
