"""Buzz: combs of lines that reach far up, as lighting dimmers, switching supplies, network gear and
phones make them.

Hum is the mains hum under 1 kHz and has its own reading; a comb is looked for among all lines,
whatever its spacing.

Source: practice: a comb is as many lines at one spacing as chance does not give.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.hum import Hum
from obsidian_wren.core.measure.lines import Line, block_floor, find_lines
from obsidian_wren.core.measure.spectrum import Spectrum
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.record_types import Level

_FROM_HZ = 70.0
_TO_HZ = 16_000.0
_STANDS_OUT_DB = 9.0
_SPACINGS_HZ = (30.0, 4_000.0)
_FEWEST_LINES = 5
_STRONGEST = 160
_HUM_ENDS_HZ = 1_000.0
_SAME_SPACING = 0.004


@dataclass(frozen=True)
class Buzz:
    """One comb: spacing and reach in Hz, how many lines, AES17 level of them together in dBFS,
    plain and A-weighted.

    ``mains``: the spacing is that of the mains or twice it, as dimmers and switching supplies have
    it.
    """

    spacing_hz: float
    lines: int
    low_hz: float
    high_hz: float
    level_dbfs: Level
    a_weighted_dbfs: Level
    mains: bool


def find_buzz(spectrum: Spectrum, hum: Hum | None) -> tuple[Buzz, ...]:
    """Combs in a line spectrum, loudest first, at most three.

    Lines of the hum family under 1 kHz are left to it.
    """
    top = min(_TO_HZ, float(spectrum.frequency_hz[-1]) - 200.0)
    # The floor follows slopes of the noise; its blocks must be wide against the lines and narrow
    # against the spectrum.
    lines = find_lines(
        spectrum,
        block_floor(spectrum, 60.0),
        low_hz=_FROM_HZ,
        high_hz=top,
        stands_out_db=_STANDS_OUT_DB,
    )
    members = [h.hz for h in hum.harmonics] if hum else []
    lines = [
        line for line in lines if all(abs(line.hz - m) > 2.0 * spectrum.bin_hz for m in members)
    ]
    lines = sorted(lines, key=lambda line: -line.stands_out_db)[:_STRONGEST]
    found: list[Buzz] = []
    while len(found) < 3:
        comb = _best_comb(lines, spectrum.bin_hz, hum)
        if comb is None:
            break
        spacing, members_of = comb
        found.append(_describe(spacing, members_of))
        lines = [line for line in lines if line not in members_of]
    return tuple(sorted(found, key=lambda buzz: -buzz.a_weighted_dbfs))


def _best_comb(
    lines: list[Line], bin_hz: float, hum: Hum | None
) -> tuple[float, list[Line]] | None:
    if len(lines) < _FEWEST_LINES:
        return None
    hz = np.array([line.hz for line in lines])
    order = np.argsort(hz)
    strong = hz[np.argsort([-line.stands_out_db for line in lines])[:24]]
    gaps = np.abs(strong[:, None] - strong[None, :]).ravel()
    candidates = np.concatenate([gaps, strong, strong / 2.0, strong / 3.0])
    if hum is not None:
        candidates = np.concatenate([candidates, [2.0 * hum.mains_hz, hum.mains_hz]])
    candidates = np.unique(
        np.round(candidates[(candidates >= _SPACINGS_HZ[0]) & (candidates <= _SPACINGS_HZ[1])], 1)
    )
    best: tuple[float, float, np.ndarray] | None = None
    for rough in candidates:
        spacing, hits = _members(hz, float(rough), bin_hz)
        if len(hits) < _FEWEST_LINES:
            continue
        orders = np.round(hz[hits] / spacing)
        expected = float(orders.max() - orders.min()) + 1.0
        chance = len(hz) * min(1.0, 4.0 * bin_hz / spacing)
        # Half of the places between the lowest and the highest line must be filled, far beyond what
        # chance would fill.
        if len(hits) < 0.5 * expected or len(hits) < 3.0 * chance + 3.0:
            continue
        score = len(hits) * len(hits) / expected - chance
        if (
            best is None
            or score > best[0] + 1e-9
            or (score > best[0] - 1.0 and spacing > 1.5 * best[1])
        ):
            best = (score, spacing, hits)
    if best is None:
        return None
    _, spacing, hits = best
    chosen = [lines[i] for i in order if i in set(hits.tolist())]
    return spacing, chosen


def _members(hz: Samples, rough_hz: float, bin_hz: float) -> tuple[float, np.ndarray]:
    """Refine a spacing on the lines near its multiples, from low orders to high; returns it and
    the lines' indices."""
    spacing, hits = rough_hz, np.zeros(0, dtype=int)
    first = max(1.0, round(float(hz.min()) / rough_hz))
    for reach in (first + 7.0, first + 23.0, first + 79.0, np.inf):
        orders = np.maximum(np.round(hz / spacing), 1.0)
        near = (np.abs(hz - orders * spacing) <= 2.0 * bin_hz) & (orders <= reach)
        if not near.any():
            return spacing, hits
        spacing = float(orders[near] @ hz[near] / (orders[near] @ orders[near]))
        hits = np.flatnonzero(near)
    return spacing, hits


def _describe(spacing_hz: float, lines: list[Line]) -> Buzz:
    hz = np.array([line.hz for line in lines])
    powers = np.array([line.mean_square for line in lines])
    mains = (
        any(abs(spacing_hz / m - 1.0) < _SAME_SPACING for m in (50.0, 60.0, 100.0, 120.0))
        and float(hz.max()) > _HUM_ENDS_HZ
    )
    return Buzz(
        spacing_hz=round(spacing_hz, 2),
        lines=len(lines),
        low_hz=round(float(hz.min()), 1),
        high_hz=round(float(hz.max()), 1),
        level_dbfs=power_db(float(powers.sum())) + AES17_OFFSET_DB,
        a_weighted_dbfs=power_db(float(powers @ a_weighting_power(hz))) + AES17_OFFSET_DB,
        mains=mains,
    )
