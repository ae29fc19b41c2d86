"""What a gate opens by: a level, so that the two errors balance as a person weighs them; and beside
it a likelihood ratio of speech that the room hardly ever reaches, so that soft speech opens it and
the level may stand higher over the room.

Source: Neyman and Pearson (1933), with weighed errors for the level and a bound on false alarms for
the likelihood ratio; Sohn, Kim and Sung (1999) for the likelihood
ratio.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.gate_evidence import HIGHEST_DBFS, LOWEST_DBFS, DetectorTrace

_LEVELS = np.arange(LOWEST_DBFS, HIGHEST_DBFS + 1.0)
_LIKELY = np.unique(np.round(np.geomspace(0.05, 10.0, 56), 2))
_SAME = 1e-4
# How often the room reaches it, by how much more than that must look like speech, and how much of
# the speech must.
_ROOM_REACHES_PERCENT, _OVER_ROOM, _LEAST_SPEECH = 99.0, 3.0, 0.3
# With the likelihood ratio beside it the threshold may stand so much higher over the room.
HIGHER_DB = 3.0


@dataclass(frozen=True)
class Opening:
    """Threshold in dBFS, likelihood ratio in dB (0: by level alone), the share of speech that does
    not open and of the room that does, the share of speech that reaches the likelihood ratio; and
    the threshold by level alone."""

    threshold_dbfs: float
    likelihood_db: float
    cut: float
    leaked: float
    likely: float
    by_level_dbfs: float


def opening_between(
    speech: DetectorTrace, room: DetectorTrace, cut_weight: float, *, held_db: float | None = None
) -> Opening:
    """The edges between speech inside words and the room.

    The likelihood ratio is one that the room hardly ever reaches, or ``held_db``; beside it the
    threshold stands where the weighed errors are least.
    """
    edge_db = likelihood_edge_db(speech, room) if held_db is None else held_db
    by_level, _, _ = balance(_shut(speech), 1.0 - _shut(room), cut_weight)
    under, over = _shut(speech, edge_db), 1.0 - _shut(room, edge_db)
    best, _, _ = balance(under, over, cut_weight)
    threshold = float(np.clip(best, by_level, by_level + HIGHER_DB))
    near = round(threshold - LOWEST_DBFS)
    return Opening(
        threshold,
        edge_db,
        float(under[near]),
        float(over[near]),
        _reaching(speech, edge_db),
        by_level,
    )


def likelihood_edge_db(speech: DetectorTrace, room: DetectorTrace) -> float:
    """Three times the likelihood ratio that one moment in a hundred of the room reaches, which a
    steady room never does; 0 where speech does not often reach it either."""
    if not len(room.likelihoods_db) or not len(speech.likelihoods_db):
        return 0.0
    reached = float(np.percentile(room.likelihoods_db, _ROOM_REACHES_PERCENT))
    place = int(np.searchsorted(_LIKELY, _OVER_ROOM * reached, side="right"))
    if place == len(_LIKELY) or _reaching(speech, _LIKELY[place]) < _LEAST_SPEECH:
        return 0.0
    return float(_LIKELY[place])


def _reaching(hears: DetectorTrace, edge_db: float) -> float:
    return float(np.mean(hears.likelihoods_db >= edge_db)) if len(hears.likelihoods_db) else 0.0


def _shut(hears: DetectorTrace, edge_db: float = 0.0) -> Samples:
    """The share of time that opens neither by each level from −100 to 0 dBFS nor by its likelihood
    ratio, ``(101,)``."""
    levels = np.clip(hears.levels_dbfs, _LEVELS[0], _LEVELS[-1] - 1e-6)
    if edge_db > 0.0 and len(hears.likelihoods_db):
        levels = levels[hears.likelihoods_db < edge_db]
    found, _ = np.histogram(levels, _LEVELS)
    shut = np.concatenate([[0.0], np.cumsum(found)]) / max(len(hears.levels_dbfs), 1)
    return np.asarray(shut, dtype=np.float64)


def balance(under: Samples, over: Samples, cut_weight: float) -> tuple[float, float, float]:
    """Where the weighed errors are least: the threshold in dBFS, the share of speech under it, the
    share of room over it.

    ``under`` and ``over`` are these shares at each decibel from −100 dBFS up, ``(101,)`` each.
    Where a gap leaves room, the threshold stands in it: nearer to the side that weighs less."""
    cost = cut_weight * under + (1.0 - cut_weight) * over
    best = np.flatnonzero(cost <= cost.min() + _SAME)
    at = best[0] + (1.0 - cut_weight) * (best[-1] - best[0])
    near = round(float(at))
    return float(at) - 100.0, float(under[near]), float(max(over[near], 0.0))
