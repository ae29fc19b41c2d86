"""The way from what is played to the microphone, learned while both sides may talk.

A filter in partitions over frequency; each weight has a variance of its own, and the step of each
follows from it and from the power of what the filter cannot explain, so it falls by itself while
the near voice talks and rises again after what is played has changed its way. Where the filter's
own output still stands in what remains, the way is another one: the variances are raised then.

Source: Enzner and Vary (2006), "Frequency-domain adaptive Kalman filter for acoustic echo control
in hands-free telephones"; Kuech, Mabande and Enzner (2014) for partitions; the numbers by
measurement.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

Single = npt.NDArray[np.float32]
Bins = npt.NDArray[np.complex64]

BLOCK_S = 0.01
LONGEST_S = 0.2
# From what is played to what arrives, the longest way to the first wave.
MOST_DELAY_S = 0.3
# How much of a weight is believed after a block, squared; how it is expected to die away; and by
# how much more than is known of its loudness it may be at first.
_STAYS, _DECAY_S, _AT_FIRST = 0.998, 0.6, 10.0
_LEAST_SHARE = 1e-4
# The near side's power is averaged over time, and over bins where it rises.
_NEAR_STAYS, _NEAR_BINS = 0.6, 5
# What is held against each other to see whether the way has changed, and from which share on.
_CHANGED_FOLLOW, _CHANGED, _RAISED = 0.1, 0.1, 1.0
# A smaller correlation may be chance.
_SURE = 0.35
_CONSTRAINED_EVERY = 3


@kernel(
    "void(f4[:, :, ::1], i8, f4[:, :, ::1], c8[::1])",
    fastmath=True,
    error_model="numpy",
)
def _explained(played: Single, first: int, weights: Single, out: Bins) -> None:
    """What the weights ``(2, partitions, bins)`` make of spectra ``(2, kept, bins)``."""
    kept, bins = played.shape[1], played.shape[2]
    sums = np.zeros((2, bins), dtype=np.float32)
    real, imaginary = sums[0], sums[1]
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y = played[0, at], played[1, at]
        u, v = weights[0, p], weights[1, p]
        for k in range(bins):
            real[k] += x[k] * u[k] - y[k] * v[k]
        for k in range(bins):
            imaginary[k] += x[k] * v[k] + y[k] * u[k]
    for k in range(bins):
        out[k] = complex(real[k], imaginary[k])


@kernel(
    "void(f4[:, :, ::1], i8, f4[:, :, ::1], f4[:, ::1], c8[::1], f4[::1], f4[::1], f4, f4, f4)",
    fastmath=True,
    error_model="numpy",
)
def _learn(
    played: Single,
    first: int,
    weights: Single,
    variances: Single,
    left: Bins,
    near: Single,
    most: Single,
    least: float,
    stays: float,
    raised: float,
) -> None:
    kept, bins = played.shape[1], played.shape[2]
    one, half = np.float32(1.0), np.float32(0.5)
    goes = one - stays
    error = np.empty((2, bins), dtype=np.float32)
    steps, power = np.zeros(bins, dtype=np.float32), np.empty(bins, dtype=np.float32)
    real, imaginary = error[0], error[1]
    for k in range(bins):
        real[k], imaginary[k] = left[k].real, left[k].imag
        power[k] = real[k] * real[k] + imaginary[k] * imaginary[k]
        near[k] += np.float32(1.0 - _NEAR_STAYS) * (power[k] - near[k])
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y, variance = played[0, at], played[1, at], variances[p]
        for k in range(bins):
            variance[k] = max(variance[k], raised * most[p])
        for k in range(bins):
            steps[k] += variance[k] * (x[k] * x[k] + y[k] * y[k])
    around, width = 0.0, 0
    for k in range(-_NEAR_BINS, bins):
        # A sum over the bins around goes along, in double precision: what leaves it was larger.
        if k + _NEAR_BINS < bins:
            around += power[k + _NEAR_BINS]
            width += 1
        if k > _NEAR_BINS:
            around -= power[k - _NEAR_BINS - 1]
            width -= 1
        if k >= 0:
            now = max(near[k], np.float32(around / width))
            steps[k] = one / (steps[k] + np.float32(2.0) * now + np.float32(1e-18))
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y, variance = played[0, at], played[1, at], variances[p]
        u, v, more = weights[0, p], weights[1, p], goes * least * most[p]
        for k in range(bins):
            step = variance[k] * steps[k]
            u[k] += step * (x[k] * real[k] + y[k] * imaginary[k])
            v[k] += step * (x[k] * imaginary[k] - y[k] * real[k])
            known = half * step * (x[k] * x[k] + y[k] * y[k])
            grown = goes * (u[k] * u[k] + v[k] * v[k]) + more
            variance[k] = min(stays * (one - known) * variance[k] + grown, most[p])


class EchoPath:
    """The way at a rate, in blocks of :data:`BLOCK_S`."""

    def __init__(self, *, rate_hz: float) -> None:
        self.block = round(BLOCK_S * rate_hz)
        bins = self.block + 1
        count = math.ceil(LONGEST_S / BLOCK_S)
        self._kept = count + math.ceil(MOST_DELAY_S / BLOCK_S) + 2
        self._played = np.zeros((2, self._kept, bins), dtype=np.float32)
        self._head = 0
        self.weights = np.zeros((2, count, bins), dtype=np.float32)
        dies = 10.0 ** (-6.0 * np.arange(count) * BLOCK_S / _DECAY_S)
        self._dies = dies / dies.sum()
        self._expected = np.zeros(count, dtype=np.float32)
        self._variances = np.zeros((count, bins), dtype=np.float32)
        self._near = np.zeros(bins, dtype=np.float32)
        self._before = np.zeros(self.block)
        self._out = np.zeros(bins, dtype=np.complex64)
        self._padded = np.zeros(2 * self.block, dtype=np.float32)
        self._across = self._over = self._left = 0.0
        self._turn = 0
        # Whole blocks by which what arrives is later than what is played.
        self.late_blocks = 0

    @property
    def most_late_blocks(self) -> int:
        """The most that :attr:`late_blocks` can be."""
        return self._kept - self.weights.shape[1]

    @property
    def changed(self) -> float:
        """The share of what the filter makes that still stands in what remains, 0 to 1; none where
        that may be chance."""
        if -self._across < _SURE * math.sqrt(self._over * self._left + 1e-30):
            return 0.0
        return min(-self._across / (self._over + 1e-20), 1.0)

    def begin(self, power_ratio: float, *, late_blocks: int) -> None:
        """Learn from nothing: what arrives is about so loud against what is played, a ratio of
        powers, and so many whole blocks later."""
        self.late_blocks = min(late_blocks, self.most_late_blocks)
        self.expect(power_ratio)
        self.weights[:] = 0.0
        self._variances[:] = self._expected[:, None]

    def expect(self, power_ratio: float) -> None:
        """What arrives is about so loud now: no weight is ever as uncertain as that it could make
        the near voice."""
        self._expected = (_AT_FIRST * power_ratio * self._dies).astype(np.float32)

    def play(self, block: Samples) -> None:
        """The next block ``(block,)`` of what is played."""
        self._head = (self._head - 1) % self._kept
        bins = np.fft.rfft(np.concatenate([self._before, block], dtype=np.float32))
        self._played[0, self._head], self._played[1, self._head] = bins.real, bins.imag
        self._before = block

    def step(self, heard: Samples) -> tuple[Samples, Samples]:
        """What is left of a block ``(block,)`` of the microphone, and what was taken, as many."""
        first = (self._head + self.late_blocks) % self._kept
        _explained(self._played, first, self.weights, self._out)
        single = np.fft.irfft(self._out, 2 * self.block)
        echo = single[self.block :].astype(np.float64)
        left = heard - echo
        # Low frequencies would outweigh the rest.
        made, over = echo[1:] - echo[:-1], left[1:] - left[:-1]
        self._across += (float(made @ over) - self._across) * _CHANGED_FOLLOW
        self._over += (float(made @ made) - self._over) * _CHANGED_FOLLOW
        self._left += (float(over @ over) - self._left) * _CHANGED_FOLLOW
        self._padded[self.block :] = left
        changed = self.changed
        _learn(
            self._played,
            first,
            self.weights,
            self._variances,
            np.asarray(np.fft.rfft(self._padded), dtype=np.complex64),
            self._near,
            self._expected,
            _LEAST_SHARE,
            _STAYS,
            _RAISED * changed if changed > _CHANGED else 0.0,
        )
        self._keep_within_block()
        return left, echo

    def _keep_within_block(self) -> None:
        """A partition is no longer than a block: one every few blocks is brought back to that."""
        self._turn += 1
        at, other = divmod(self._turn, _CONSTRAINED_EVERY)
        if other:
            return
        at %= self.weights.shape[1]
        response = np.fft.irfft(self.weights[0, at] + 1j * self.weights[1, at], 2 * self.block)
        response[self.block :] = 0.0
        bins = np.fft.rfft(response)
        self.weights[0, at], self.weights[1, at] = bins.real, bins.imag
