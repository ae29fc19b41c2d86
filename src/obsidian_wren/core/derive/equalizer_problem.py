"""Band gains, frequencies and widths as one least-squares problem with bounds.

Source: Levenberg-Marquardt with bounds, Branch, Coleman and Li (1999); the cookbook's bells and
shelves.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import EqualizerBand, Shape, band_section, response_db
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.equalizer_caps import Caps
from obsidian_wren.core.derive.trust import CELL_OF_POINT
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, POINT_WEIGHTS

LEAST_Q = 0.4
_SHELF_Q_RANGE = (LEAST_Q, 1.0)
LEFT_ALONE = 0.1
_APART_OCTAVES = 0.2
_BEYOND_POINTS = 4
_STEP = 1e-6
# The caps hold for the whole curve, not for one band: stacked bands would get round them.
_CAP_MARGIN_DB = 0.15
_CAP_WEIGHT = 8.0
# A small cost on each gain keeps neighbouring bells from working against each other; it moves a
# lone bell by a hundredth.
_GAIN_COST = 0.25
_CELLS_PER_OCTAVE = 48
_SLOPE_WEIGHT = 0.4
_SLOPE_MARGIN_DB = 1.5


class EqualizerProblem:
    """Levels predicted from cells and parameters.

    Parameters a band: log2 frequency, gain in dB, log2 Q; last, the overall offset.
    """

    def __init__(
        self,
        cells: Samples,
        target_db: Samples,
        trust: Samples,
        fixed: Sequence[EqualizerBand],
        rate_hz: float,
        caps: Caps,
    ) -> None:
        self.rate_hz = rate_hz
        self.caps = caps
        self.target_db = target_db
        used = trust > 0.0
        self.trust = trust
        self.used, self.unused = np.flatnonzero(used), np.flatnonzero(~used)
        self.root = np.sqrt(trust[used])
        self.weights = POINT_WEIGHTS[used]
        fixed_db = eq_response_db(fixed, CELL_HZ, rate_hz=rate_hz)
        self.cells = cells * 10.0 ** (fixed_db / 10.0)
        self.z = np.exp(-2j * np.pi * np.minimum(CELL_HZ, 0.499 * rate_hz) / rate_hz)
        self.powers = np.stack([np.ones_like(self.z), self.z, self.z**2])

    def bands_db(self, shapes: Sequence[Shape], p: Samples) -> tuple[Samples, Samples]:
        """Summed response ``(cells,)`` of all bands and its slopes ``(cells, 3 * bands)``."""
        count = len(shapes)
        if not count:
            return np.zeros(len(CELL_HZ)), np.zeros((len(CELL_HZ), 0))
        here, changes = np.empty((count, 6)), np.empty((count, 3, 6))
        for i, shape in enumerate(shapes):
            own = p[3 * i : 3 * i + 3]
            here[i] = self._section(shape, own)
            for k in range(3):
                nudged = own.copy()
                nudged[k] += _STEP
                changes[i, k] = (self._section(shape, nudged) - here[i]) / _STEP
        over, under = here[:, :3] @ self.powers, here[:, 3:] @ self.powers
        scale = 20.0 / np.log(10.0)
        slopes = (
            scale
            * (
                (changes[:, :, :3] @ self.powers) / over[:, None]
                - (changes[:, :, 3:] @ self.powers) / under[:, None]
            ).real
        )
        total = scale * np.log(np.abs(over) / np.abs(under)).sum(axis=0)
        return total, slopes.reshape(3 * count, -1).T

    def _section(self, shape: Shape, p: Samples) -> Samples:
        return band_section(band_of(shape, p), rate_hz=self.rate_hz)

    def evaluate(self, shapes: Sequence[Shape], p: Samples) -> tuple[Samples, Samples]:
        """Residuals and their Jacobian: what is missed at trusted points, then the wish to leave
        the rest alone, the caps, the cost of gain.

        ``p`` holds three numbers a band and the overall level, ``(3 * bands + 1,)``; the residuals
        are ``(rows,)``, the Jacobian ``(rows, 3 * bands + 1)``.
        """
        total, slopes = self.bands_db(shapes, p[:-1])
        weighted = self.weights * (self.cells * 10.0 ** (total / 10.0))
        sums = np.maximum(weighted.sum(axis=1), 1e-30)
        miss = power_db(sums) + p[-1] - self.target_db[self.used]
        alone, capped = CELL_OF_POINT[self.unused], CELL_OF_POINT[::2]
        over = np.maximum(total[capped] - self.caps.boost_db + _CAP_MARGIN_DB, 0.0)
        under = np.minimum(total[capped] + self.caps.cut_db - _CAP_MARGIN_DB, 0.0)
        beyond = (over + under) != 0.0
        slope = np.diff(total) * _CELLS_PER_OCTAVE
        most_slope = self.caps.slope_db - _SLOPE_MARGIN_DB
        steep = np.sign(slope) * np.maximum(np.abs(slope) - most_slope, 0.0)
        gains = p[1:-1:3]
        residual = np.concatenate(
            [
                self.root * miss,
                LEFT_ALONE * total[alone],
                _CAP_WEIGHT * (over + under),
                _SLOPE_WEIGHT * steep,
                _GAIN_COST * gains,
            ]
        )
        jacobian = np.zeros((len(residual), len(p)))
        first, second = len(miss), len(miss) + len(alone)
        jacobian[:first, :-1] = self.root[:, None] * ((weighted @ slopes) / sums[:, None])
        jacobian[:first, -1] = self.root
        jacobian[first:second, :-1] = LEFT_ALONE * slopes[alone]
        third = second + len(capped)
        jacobian[second:third, :-1] = _CAP_WEIGHT * beyond[:, None] * slopes[capped]
        fourth = third + len(steep)
        if steep.any():
            jacobian[third:fourth, :-1] = (_SLOPE_WEIGHT * _CELLS_PER_OCTAVE) * (
                (steep != 0.0)[:, None] * np.diff(slopes, axis=0)
            )
        jacobian[fourth + np.arange(len(gains)), 1 + 3 * np.arange(len(gains))] = _GAIN_COST
        return residual, jacobian

    def room_left(self, shapes: Sequence[Shape], p: Samples, miss: Samples) -> Samples:
        """Where a further band could still help: not where the curve stands at its cap already, nor
        on top of another bell.

        ``p`` is ``(3 * bands + 1,)``; ``miss`` in dB and the answer, true where it could, are
        ``(points,)``.
        """
        total = self.bands_db(shapes, p[:-1])[0][CELL_OF_POINT]
        full = ((miss < 0) & (total > self.caps.boost_db - 0.5)) | (
            (miss > 0) & (total < -self.caps.cut_db + 0.5)
        )
        for i, shape in enumerate(shapes):
            if shape == "peak":
                full |= np.abs(np.log2(POINT_HZ) - p[3 * i]) < _APART_OCTAVES
        return np.asarray(~full)

    def miss_db(self, shapes: Sequence[Shape], p: Samples) -> Samples:
        """What is left at every point, trusted or not.

        ``p`` is ``(3 * bands + 1,)``, the answer ``(points,)``.
        """
        total, _ = self.bands_db(shapes, p[:-1])
        sums = np.maximum(POINT_WEIGHTS @ (self.cells * 10.0 ** (total / 10.0)), 1e-30)
        return np.asarray(power_db(sums) + p[-1] - self.target_db)


def band_of(shape: Shape, p: Samples) -> EqualizerBand:
    """The band that three parameters describe.

    ``p`` is ``(3,)``: log2 of Hz, dB, log2 of Q.
    """
    return EqualizerBand(shape, float(2.0 ** p[0]), float(p[1]), float(2.0 ** p[2]))


def solve(
    problem: EqualizerProblem,
    shapes: Sequence[Shape],
    start: Samples,
    span_hz: tuple[float, float],
    *,
    steps: int,
    tolerance: float,
) -> tuple[Samples, float]:
    """The parameters that fit best from these starting ones, within their bounds.

    ``start`` and the answer are ``(3 * bands + 1,)``, beside it the cost; it ends after ``steps``,
    or when a step changes the cost by less than the share ``tolerance``.
    """
    low, high = np.log2(span_hz[0]), np.log2(span_hz[1])
    caps = problem.caps
    lower, upper = [], []
    for shape, gain in zip(shapes, start[1:-1:3], strict=True):
        # A shelf belongs to its end of the span; in the middle it would only be an overall gain.
        first = min(high - 0.5, 11.0) if shape == "high_shelf" else low
        last = max(low + 0.5, 9.0) if shape == "low_shelf" else high
        # A band goes on boosting or cutting as it began: each has limits of its own.
        boosts = gain > 0.0
        most_q = caps.boost_q if boosts else caps.cut_q
        q = np.log2((LEAST_Q, most_q) if shape == "peak" else _SHELF_Q_RANGE)
        lower += [first, 0.0 if boosts else -caps.cut_db, q[0]]
        upper += [last, caps.boost_db if boosts else 0.0, q[1]]
    lower.append(-np.inf)
    upper.append(np.inf)
    inside = np.clip(start, np.array(lower) + 1e-6, np.array(upper) - 1e-6)
    cache: dict[bytes, tuple[Samples, Samples]] = {}

    def both(p: Samples) -> tuple[Samples, Samples]:
        key = p.tobytes()
        if key not in cache:
            cache.clear()
            cache[key] = problem.evaluate(shapes, p)
        return cache[key]

    def residual(p: Samples) -> Samples:
        return both(p)[0]

    def jacobian(p: Samples) -> Samples:
        return both(p)[1]

    found = scipy.optimize.least_squares(
        residual,
        inside,
        jac=jacobian,
        bounds=(lower, upper),
        method="trf",
        x_scale="jac",
        max_nfev=steps,
        ftol=tolerance,
        xtol=tolerance,
        gtol=1e-9,
    )
    return np.asarray(found.x), float(found.cost)


def _lobe(miss: Samples, trust: Samples) -> tuple[int, float, bool, bool]:
    """Where most remains: the point, a Q for its width, and whether the lobe runs off the
    low or high end."""
    weighted = np.where(trust > 0.0, miss * np.sqrt(trust), 0.0)
    smooth = np.convolve(np.pad(weighted, 2, mode="edge"), np.ones(5) / 5.0, mode="valid")
    top = int(np.abs(smooth).argmax())
    sign = np.sign(smooth[top])
    half = sign * smooth > 0.5 * abs(smooth[top])
    left, right = top, top
    trusted = np.flatnonzero(trust > 0.0)
    while left > trusted[0] and half[left - 1]:
        left -= 1
    while right < trusted[-1] and half[right + 1]:
        right += 1
    octaves = max((right - left + 1) / 12.0, 0.25)
    q = float(max(np.sqrt(2.0**octaves) / (2.0**octaves - 1.0), LEAST_Q))
    return top, q, left <= trusted[0] + 1, right >= trusted[-1] - 1


def starts(
    miss: Samples, trust: Samples, ends: tuple[int, int], caps: Caps
) -> list[tuple[Shape, Samples]]:
    """Bands to begin with where most is missing: a bell, and a shelf if that is at an end.

    ``miss`` in dB and ``trust`` are ``(points,)``, each answer ``(3,)``.
    """
    top, q, at_low, at_high = _lobe(miss, trust)
    gain = float(np.clip(-miss[top], -caps.cut_db + 1.0, caps.boost_db - 1.0))
    q = min(q, caps.boost_q if gain > 0.0 else caps.cut_q)
    # A shelf goes on past the end of the trusted span: it may only stand where nothing but the
    # target's own end lies beyond.
    trusted = np.flatnonzero(trust > 0.0)
    at_low &= trusted[0] - ends[0] <= _BEYOND_POINTS
    at_high &= ends[1] - trusted[-1] <= _BEYOND_POINTS
    starts: list[tuple[Shape, Samples]] = [
        ("peak", np.array([np.log2(POINT_HZ[top]), gain, np.log2(q)]))
    ]
    if at_low:
        starts.append(
            ("low_shelf", np.array([np.log2(max(POINT_HZ[top], 100.0)) + 0.5, gain, -0.5]))
        )
    elif at_high:
        starts.append(("high_shelf", np.array([np.log2(POINT_HZ[top]) - 0.5, gain, -0.5])))
    return starts


def eq_response_db(
    bands: Sequence[EqualizerBand], frequency_hz: Samples, *, rate_hz: float
) -> Samples:
    """Response of bands in series in dB at ``(n,)`` frequencies."""
    if not bands:
        return np.zeros(len(frequency_hz))
    sections = np.array([band_section(band, rate_hz=rate_hz) for band in bands])
    return response_db(sections, np.minimum(frequency_hz, 0.499 * rate_hz), rate_hz=rate_hz)
