"""The equalizer fit: as few bells and shelves as bring the voice into the corridor, at most eight.

Bounded nonlinear least squares (trust region reflective, Branch, Coleman & Li 1999) on the digital response, with exact slopes.
The model predicts each third-octave level as the sum of the voice's own fine cells after the equalizer, so the width of the
analysis never leaks into the answer. Bands come one at a time, each where most is left over; the same input gives the same fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from obsidian_wren.core.chain.filters import EqualizerBand, Shape, band_section, response_db
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.tone_target import Target
from obsidian_wren.core.measure.spectrum import band_weights
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, POINT_WEIGHTS, FineSpectrum

MOST_BANDS = 8
BOOST_DB, CUT_DB = 6.0, 9.0
Q_RANGE = (0.4, 4.0)
_SHELF_Q_RANGE = (0.4, 1.0)
TRUST_FROM_DB = 10.0
_TRUST_FULL_DB = 16.0
_LEFT_ALONE = 0.1
_STEP = 1e-6
_WORTH_A_BAND = 0.04
# Twelfth-octave points that may stay outside the corridor: single notches of a room are not worth a band.
_MAY_STAY_OUTSIDE = 0.05
_APART_OCTAVES = 0.2
_BEYOND_POINTS = 4
# The caps hold for the whole curve, not for one band: stacked bands would get round them.
_CAP_MARGIN_DB = 0.15
_CAP_WEIGHT = 4.0
# A small cost on each gain keeps neighbouring bells from working against each other; it moves a lone bell by a hundredth.
_GAIN_COST = 0.25
_NARROW_FROM_HZ = 1000.0
_NARROW_WEIGHTS = band_weights(CELL_HZ, POINT_HZ, bands_per_octave=12.0)
_CELL_OF_POINT = np.abs(np.log2(CELL_HZ)[None, :] - np.log2(POINT_HZ)[:, None]).argmin(axis=1)


@dataclass(frozen=True)
class EqualizerFit:
    """The fit and its evidence, all ``(points,)`` arrays at ``POINT_HZ`` in dB, levelled to the target.

    ``trust``: 0 where the voice is too weak to say, 1 where it is sure. ``left_over_rms_db`` and ``worst_db`` are weighted by it.
    """

    bands: tuple[EqualizerBand, ...]
    pinned: tuple[bool, ...]
    recorded_db: Samples
    corrected_db: Samples
    target_db: Samples
    corridor_db: float
    trust: Samples
    left_over_rms_db: float
    worst_db: float
    low_hz: float
    high_hz: float


def trust_from_snr(voice: FineSpectrum, noise: FineSpectrum) -> Samples:
    """Trust per point: 0 under 10 dB of voice over noise, 1 from 16 dB, linear between."""
    snr_db = np.minimum(voice.points_db() - noise.points_db(), _narrow_snr_db(voice, noise))
    return np.clip((snr_db - TRUST_FROM_DB) / (_TRUST_FULL_DB - TRUST_FROM_DB), 0.0, 1.0)


def _narrow_snr_db(voice: FineSpectrum, noise: FineSpectrum) -> Samples:
    """The same in twelfth octaves above 1 kHz, where no harmonic stands alone: past the end of a voice's band the skirt of a third
    octave would still see it."""
    voice_db = power_db(np.maximum(_NARROW_WEIGHTS @ voice.cells, 1e-30))
    noise_db = power_db(np.maximum(_NARROW_WEIGHTS @ noise.cells, 1e-30))
    return np.where(POINT_HZ >= _NARROW_FROM_HZ, voice_db - noise_db, np.inf)


def without_noise(voice: FineSpectrum, noise: FineSpectrum) -> FineSpectrum:
    """The voice with the room's power taken off each cell; at least a tenth of it stays, so no cell goes to zero."""
    return FineSpectrum(np.maximum(voice.cells - noise.cells, 0.1 * voice.cells), voice.top_hz)


class _Problem:
    """Levels predicted from cells and parameters. Parameters a band: log2 frequency, gain in dB, log2 Q; last, the overall offset."""

    def __init__(self, cells: Samples, target_db: Samples, trust: Samples, fixed: Sequence[EqualizerBand], rate_hz: float) -> None:
        self.rate_hz = rate_hz
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
        slopes = scale * ((changes[:, :, :3] @ self.powers) / over[:, None] - (changes[:, :, 3:] @ self.powers) / under[:, None]).real
        total = scale * np.log(np.abs(over) / np.abs(under)).sum(axis=0)
        return total, slopes.reshape(3 * count, -1).T

    def _section(self, shape: Shape, p: Samples) -> Samples:
        return band_section(_band(shape, p), rate_hz=self.rate_hz)

    def evaluate(self, shapes: Sequence[Shape], p: Samples) -> tuple[Samples, Samples]:
        """Residuals and their Jacobian: what is missed at trusted points, then the wish to leave the rest alone, the caps, the cost of gain."""
        total, slopes = self.bands_db(shapes, p[:-1])
        weighted = self.weights * (self.cells * 10.0 ** (total / 10.0))
        sums = np.maximum(weighted.sum(axis=1), 1e-30)
        miss = power_db(sums) + p[-1] - self.target_db[self.used]
        alone, capped = _CELL_OF_POINT[self.unused], _CELL_OF_POINT[::2]
        over = np.maximum(total[capped] - BOOST_DB + _CAP_MARGIN_DB, 0.0)
        under = np.minimum(total[capped] + CUT_DB - _CAP_MARGIN_DB, 0.0)
        beyond = (over + under) != 0.0
        gains = p[1:-1:3]
        residual = np.concatenate([self.root * miss, _LEFT_ALONE * total[alone], _CAP_WEIGHT * (over + under), _GAIN_COST * gains])
        jacobian = np.zeros((len(residual), len(p)))
        first, second = len(miss), len(miss) + len(alone)
        jacobian[:first, :-1] = self.root[:, None] * ((weighted @ slopes) / sums[:, None])
        jacobian[:first, -1] = self.root
        jacobian[first:second, :-1] = _LEFT_ALONE * slopes[alone]
        third = second + len(capped)
        jacobian[second:third, :-1] = _CAP_WEIGHT * beyond[:, None] * slopes[capped]
        jacobian[third + np.arange(len(gains)), 1 + 3 * np.arange(len(gains))] = _GAIN_COST
        return residual, jacobian

    def room_left(self, shapes: Sequence[Shape], p: Samples, miss: Samples) -> Samples:
        """Where a further band could still help: not where the curve stands at its cap already, nor on top of another bell."""
        total = self.bands_db(shapes, p[:-1])[0][_CELL_OF_POINT]
        full = ((miss < 0) & (total > BOOST_DB - 0.5)) | ((miss > 0) & (total < -CUT_DB + 0.5))
        for i, shape in enumerate(shapes):
            if shape == "peak":
                full |= np.abs(np.log2(POINT_HZ) - p[3 * i]) < _APART_OCTAVES
        return np.asarray(~full)

    def miss_db(self, shapes: Sequence[Shape], p: Samples) -> Samples:
        """What is left at every point, trusted or not."""
        total, _ = self.bands_db(shapes, p[:-1])
        sums = np.maximum(POINT_WEIGHTS @ (self.cells * 10.0 ** (total / 10.0)), 1e-30)
        return np.asarray(power_db(sums) + p[-1] - self.target_db)


def _band(shape: Shape, p: Samples) -> EqualizerBand:
    return EqualizerBand(shape, float(2.0 ** p[0]), float(p[1]), float(2.0 ** p[2]))


def _solve(
    problem: _Problem, shapes: Sequence[Shape], start: Samples, span_hz: tuple[float, float], *, steps: int, tolerance: float
) -> tuple[Samples, float]:
    low, high = np.log2(span_hz[0]), np.log2(span_hz[1])
    lower, upper = [], []
    for shape in shapes:
        # A shelf belongs to its end of the span; in the middle it would only be an overall gain.
        first = min(high - 0.5, 11.0) if shape == "high_shelf" else low
        last = max(low + 0.5, 9.0) if shape == "low_shelf" else high
        q = np.log2(Q_RANGE if shape == "peak" else _SHELF_Q_RANGE)
        lower += [first, -CUT_DB, q[0]]
        upper += [last, BOOST_DB, q[1]]
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

    found = least_squares(
        residual, inside, jac=jacobian, bounds=(lower, upper), method="trf", x_scale="jac",
        max_nfev=steps, ftol=tolerance, xtol=tolerance, gtol=1e-9,
    )  # fmt: skip
    return np.asarray(found.x), float(found.cost)


def _lobe(miss: Samples, trust: Samples) -> tuple[int, float, bool, bool]:
    """Where most is left over: the point, a Q for its width, and whether the lobe runs off the low or high end."""
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
    q = float(np.clip(np.sqrt(2.0**octaves) / (2.0**octaves - 1.0), *Q_RANGE))
    return top, q, left <= trusted[0] + 1, right >= trusted[-1] - 1


def _starts(miss: Samples, trust: Samples, ends: tuple[int, int]) -> list[tuple[Shape, Samples]]:
    top, q, at_low, at_high = _lobe(miss, trust)
    gain = float(np.clip(-miss[top], -CUT_DB + 1.0, BOOST_DB - 1.0))
    # A shelf goes on past the end of the trusted span: it may only stand where nothing but the target's own end lies beyond.
    trusted = np.flatnonzero(trust > 0.0)
    at_low &= trusted[0] - ends[0] <= _BEYOND_POINTS
    at_high &= ends[1] - trusted[-1] <= _BEYOND_POINTS
    starts: list[tuple[Shape, Samples]] = [("peak", np.array([np.log2(POINT_HZ[top]), gain, np.log2(q)]))]
    if at_low:
        starts.append(("low_shelf", np.array([np.log2(max(POINT_HZ[top], 100.0)) + 0.5, gain, -0.5])))
    elif at_high:
        starts.append(("high_shelf", np.array([np.log2(POINT_HZ[top]) - 0.5, gain, -0.5])))
    return starts


def fit_equalizer(
    voice: FineSpectrum, target: Target, trust: Samples, *, rate_hz: float, highpass_sections: Samples | None = None,
    pinned: Sequence[EqualizerBand] = (), most_bands: int = MOST_BANDS,
) -> EqualizerFit:  # fmt: skip
    """Fit bands to bring ``voice`` (noise already taken off) into the target's corridor.

    ``trust`` ``(points,)`` weighs the points; ``highpass_sections`` ``(k, 6)`` is the filter that runs before the equalizer;
    ``pinned`` bands stay as they are and count towards ``most_bands``. Raises ValueError when no point is trusted.
    """
    cells = voice.cells
    if highpass_sections is not None:
        cells = cells * 10.0 ** (response_db(highpass_sections, CELL_HZ, rate_hz=rate_hz) / 10.0)
    inside = (target.low_hz <= POINT_HZ) & (min(target.high_hz, 0.45 * rate_hz) >= POINT_HZ)
    trust = np.where(inside, trust, 0.0)
    trusted = np.flatnonzero(trust > 0.0)
    if len(trusted) < 12:
        raise ValueError("The voice stands over the noise in less than one octave.")
    span_hz = (float(POINT_HZ[trusted[0]]), float(POINT_HZ[trusted[-1]]))
    targeted = np.flatnonzero(inside)
    ends = int(targeted[0]), int(targeted[-1])
    problem = _Problem(cells, target.levels_db, trust, pinned, rate_hz)
    shapes: list[Shape] = []
    p = np.array([_offset(problem)])
    cost = _cost(problem, shapes, p)
    while len(shapes) + len(pinned) < most_bands and not _good_enough(problem, shapes, p, target.corridor_db):
        best: tuple[float, list[Shape], Samples] | None = None
        miss = problem.miss_db(shapes, p)
        open_trust = np.where(problem.room_left(shapes, p, miss), trust, 0.0)
        if np.count_nonzero(open_trust) < 3:
            break
        for shape, start in _starts(miss, open_trust, ends):
            tried = [*shapes, shape]
            found, found_cost = _solve(problem, tried, np.concatenate([p[:-1], start, p[-1:]]), span_hz, steps=10, tolerance=3e-4)
            if best is None or found_cost < best[0]:
                best = (found_cost, tried, found)
        assert best is not None
        if best[0] > cost * (1.0 - _WORTH_A_BAND):
            break
        cost, shapes, p = best
    if shapes:
        p, cost = _solve(problem, shapes, p, span_hz, steps=25, tolerance=1e-6)
    bands = [_rounded(_band(s, p[3 * i : 3 * i + 3])) for i, s in enumerate(shapes)]
    together = sorted([(b, False) for b in bands] + [(b, True) for b in pinned], key=lambda pair: pair[0].frequency_hz)
    return _evidence(voice, cells, target, trust, [b for b, _ in together], [h for _, h in together], rate_hz, span_hz)


def _rounded(band: EqualizerBand) -> EqualizerBand:
    digits = 0 if band.frequency_hz >= 100 else 1
    return replace(band, frequency_hz=round(band.frequency_hz, digits), gain_db=round(band.gain_db, 2), q=round(band.q, 3))


def _offset(problem: _Problem) -> float:
    return float(-np.average(problem.miss_db([], np.array([0.0])), weights=problem.trust))


def _cost(problem: _Problem, shapes: Sequence[Shape], p: Samples) -> float:
    residual, _ = problem.evaluate(shapes, p)
    return 0.5 * float(residual @ residual)


def _good_enough(problem: _Problem, shapes: Sequence[Shape], p: Samples, corridor_db: float) -> bool:
    outside = np.abs(problem.miss_db(shapes, p)) > corridor_db
    return float(np.average(outside, weights=problem.trust)) <= _MAY_STAY_OUTSIDE


def eq_response_db(bands: Sequence[EqualizerBand], frequency_hz: Samples, *, rate_hz: float) -> Samples:
    """Response of bands in series in dB at ``(n,)`` frequencies."""
    if not bands:
        return np.zeros(len(frequency_hz))
    sections = np.array([band_section(band, rate_hz=rate_hz) for band in bands])
    return response_db(sections, np.minimum(frequency_hz, 0.499 * rate_hz), rate_hz=rate_hz)


def _evidence(
    voice: FineSpectrum, cells: Samples, target: Target, trust: Samples,
    bands: Sequence[EqualizerBand], pinned: Sequence[bool], rate_hz: float, span_hz: tuple[float, float],
) -> EqualizerFit:  # fmt: skip
    after = cells * 10.0 ** (eq_response_db(bands, CELL_HZ, rate_hz=rate_hz) / 10.0)
    corrected = power_db(np.maximum(POINT_WEIGHTS @ after, 1e-30))
    corrected += float(np.average(target.levels_db - corrected, weights=trust))
    recorded = voice.points_db()
    recorded += float(np.average(target.levels_db - recorded, weights=trust))
    miss = corrected - target.levels_db
    sure = trust > 0.5
    return EqualizerFit(
        bands=tuple(bands),
        pinned=tuple(pinned),
        recorded_db=recorded,
        corrected_db=corrected,
        target_db=target.levels_db,
        corridor_db=target.corridor_db,
        trust=trust,
        left_over_rms_db=float(np.sqrt(np.average(miss**2, weights=trust))),
        worst_db=float(np.abs(miss[sure]).max()) if sure.any() else 0.0,
        low_hz=span_hz[0],
        high_hz=span_hz[1],
    )


def refit_evidence(
    voice: FineSpectrum, target: Target, trust: Samples, bands: Sequence[EqualizerBand], pinned: Sequence[bool],
    *, rate_hz: float, highpass_sections: Samples | None,
) -> EqualizerFit:  # fmt: skip
    """The evidence for bands as they stand, after a person nudged one: nothing is fitted."""
    cells = voice.cells
    if highpass_sections is not None:
        cells = cells * 10.0 ** (response_db(highpass_sections, CELL_HZ, rate_hz=rate_hz) / 10.0)
    inside = (target.low_hz <= POINT_HZ) & (min(target.high_hz, 0.45 * rate_hz) >= POINT_HZ)
    trust = np.where(inside, trust, 0.0)
    trusted = np.flatnonzero(trust > 0.0)
    span_hz = (float(POINT_HZ[trusted[0]]), float(POINT_HZ[trusted[-1]]))
    return _evidence(voice, cells, target, trust, bands, pinned, rate_hz, span_hz)
