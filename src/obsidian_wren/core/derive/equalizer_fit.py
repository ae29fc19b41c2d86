"""The equalizer fit: as few bells and shelves as bring the voice into the corridor, at most eight.

Bounded nonlinear least squares (trust region reflective, Branch, Coleman & Li 1999) on the digital
response, with exact slopes. The model predicts each third-octave level as the sum of the voice's
own fine cells after the equalizer, so the width of the analysis never leaks into the answer. Bands
come one at a time, each where most remains; the same input gives the same fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand, Shape, response_db
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.aims import MOST_BANDS
from obsidian_wren.core.derive.equalizer_caps import KNOWN, Caps
from obsidian_wren.core.derive.equalizer_problem import (
    EqualizerProblem,
    band_of,
    eq_response_db,
    solve,
    starts,
)
from obsidian_wren.core.derive.tone_target import Target
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, POINT_WEIGHTS, FineSpectrum

_WORTH_A_BAND = 0.04
# Twelfth-octave points that may stay outside the corridor: single notches of a room are not worth a
# band.
_MAY_STAY_OUTSIDE = 0.05
_MOSTLY = 0.5


@dataclass(frozen=True)
class EqualizerFit:
    """The fit and its evidence, all ``(points,)`` arrays at ``POINT_HZ`` in dB, levelled to the
    target.

    ``trust``: 0 where the voice is too weak to say, 1 where it is sure. ``residual_rms_db`` and
    ``worst_db`` are weighted by it.
    """

    bands: tuple[EqualizerBand, ...]
    pinned: tuple[bool, ...]
    recorded_db: Samples
    corrected_db: Samples
    target_db: Samples
    corridor_db: Samples
    trust: Samples
    residual_rms_db: float
    worst_db: float
    low_hz: float
    high_hz: float


def fit_equalizer(
    voice: FineSpectrum,
    target: Target,
    trust: Samples,
    *,
    rate_hz: float,
    highpass_sections: Samples | None = None,
    pinned: Sequence[EqualizerBand] = (),
    given: Sequence[EqualizerBand] = (),
    most_bands: int = MOST_BANDS,
    caps: Caps = KNOWN,
) -> EqualizerFit:
    """Fit bands to bring ``voice`` (noise already taken off) into the target's corridor, as far
    as ``caps`` allow.

    ``trust`` ``(points,)`` weighs the points; ``highpass_sections`` ``(k, 6)`` is the filter that
    runs before the equalizer; ``pinned`` bands stay as they are and so do ``given``
    ones, which nobody holds; both count towards ``most_bands``. Raises ValueError when no point is
    trusted.
    """
    cells = voice.cells
    if highpass_sections is not None:
        cells = cells * 10.0 ** (response_db(highpass_sections, CELL_HZ, rate_hz=rate_hz) / 10.0)
    inside = (target.low_hz <= POINT_HZ) & (min(target.high_hz, 0.45 * rate_hz) >= POINT_HZ)
    trust = np.where(inside, trust, 0.0)
    trusted = np.flatnonzero(trust > 0.0)
    if len(trusted) < 12:
        raise ValueError("The voice is above the noise in less than one octave.")
    span_hz = (float(POINT_HZ[trusted[0]]), float(POINT_HZ[trusted[-1]]))
    targeted = np.flatnonzero(inside)
    ends = int(targeted[0]), int(targeted[-1])
    fixed = (*pinned, *given)
    problem = EqualizerProblem(cells, target.levels_db, trust, fixed, rate_hz, caps)
    shapes: list[Shape] = []
    p = np.array([_offset(problem)])
    cost = _cost(problem, shapes, p)
    while len(shapes) + len(fixed) < most_bands and not _good_enough(
        problem, shapes, p, target.corridor_db
    ):
        best: tuple[float, list[Shape], Samples] | None = None
        miss = problem.miss_db(shapes, p)
        open_trust = np.where(problem.room_left(shapes, p, miss), trust, 0.0)
        if np.count_nonzero(open_trust) < 3:
            break
        for shape, start in starts(miss, open_trust, ends, caps):
            tried = [*shapes, shape]
            found, found_cost = solve(
                problem,
                tried,
                np.concatenate([p[:-1], start, p[-1:]]),
                span_hz,
                steps=10,
                tolerance=3e-4,
            )
            if best is None or found_cost < best[0]:
                best = (found_cost, tried, found)
        assert best is not None
        if best[0] > cost * (1.0 - _WORTH_A_BAND):
            break
        cost, shapes, p = best
    if shapes:
        p, cost = solve(problem, shapes, p, span_hz, steps=25, tolerance=1e-6)
    bands = [_rounded(band_of(s, p[3 * i : 3 * i + 3])) for i, s in enumerate(shapes)]
    together = sorted(
        [(b, False) for b in (*bands, *given)] + [(b, True) for b in pinned],
        key=lambda pair: pair[0].frequency_hz,
    )
    return _evidence(
        voice,
        cells,
        target,
        trust,
        [b for b, _ in together],
        [h for _, h in together],
        rate_hz,
        span_hz,
    )


def _rounded(band: EqualizerBand) -> EqualizerBand:
    digits = 0 if band.frequency_hz >= 100 else 1
    return replace(
        band,
        frequency_hz=round(band.frequency_hz, digits),
        gain_db=round(band.gain_db, 2),
        q=round(band.q, 3),
    )


def _offset(problem: EqualizerProblem) -> float:
    return float(-np.average(problem.miss_db([], np.array([0.0])), weights=problem.trust))


def _cost(problem: EqualizerProblem, shapes: Sequence[Shape], p: Samples) -> float:
    residual, _ = problem.evaluate(shapes, p)
    return 0.5 * float(residual @ residual)


def _good_enough(
    problem: EqualizerProblem, shapes: Sequence[Shape], p: Samples, corridor_db: Samples | float
) -> bool:
    outside = np.abs(problem.miss_db(shapes, p)) > corridor_db
    return float(np.average(outside, weights=problem.trust)) <= _MAY_STAY_OUTSIDE


def _evidence(
    voice: FineSpectrum,
    cells: Samples,
    target: Target,
    trust: Samples,
    bands: Sequence[EqualizerBand],
    pinned: Sequence[bool],
    rate_hz: float,
    span_hz: tuple[float, float],
) -> EqualizerFit:
    after = cells * 10.0 ** (eq_response_db(bands, CELL_HZ, rate_hz=rate_hz) / 10.0)
    corrected = power_db(np.maximum(POINT_WEIGHTS @ after, 1e-30))
    corrected += float(np.average(target.levels_db - corrected, weights=trust))
    recorded = voice.points_db()
    recorded += float(np.average(target.levels_db - recorded, weights=trust))
    miss = corrected - target.levels_db
    sure = trust > _MOSTLY
    return EqualizerFit(
        bands=tuple(bands),
        pinned=tuple(pinned),
        recorded_db=recorded,
        corrected_db=corrected,
        target_db=target.levels_db,
        corridor_db=np.broadcast_to(np.asarray(target.corridor_db, dtype=float), POINT_HZ.shape),
        trust=trust,
        residual_rms_db=float(np.sqrt(np.average(miss**2, weights=trust))),
        worst_db=float(np.abs(miss[sure]).max()) if sure.any() else 0.0,
        low_hz=span_hz[0],
        high_hz=span_hz[1],
    )


def refit_evidence(
    voice: FineSpectrum,
    target: Target,
    trust: Samples,
    bands: Sequence[EqualizerBand],
    pinned: Sequence[bool],
    *,
    rate_hz: float,
    highpass_sections: Samples | None,
) -> EqualizerFit:
    """The evidence for bands as they stand, after a person nudged one: nothing is fitted.

    ``trust`` is ``(points,)``, sections ``(sections, 6)``.
    """
    cells = voice.cells
    if highpass_sections is not None:
        cells = cells * 10.0 ** (response_db(highpass_sections, CELL_HZ, rate_hz=rate_hz) / 10.0)
    inside = (target.low_hz <= POINT_HZ) & (min(target.high_hz, 0.45 * rate_hz) >= POINT_HZ)
    trust = np.where(inside, trust, 0.0)
    trusted = np.flatnonzero(trust > 0.0)
    span_hz = (float(POINT_HZ[trusted[0]]), float(POINT_HZ[trusted[-1]]))
    return _evidence(voice, cells, target, trust, bands, pinned, rate_hz, span_hz)
