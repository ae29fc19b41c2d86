"""What a gate opens by: a level, and beside it a likelihood ratio of speech, so that the two errors
balance as a person weighs them.

Source: Neyman and Pearson (1933) with weighed errors; Sohn, Kim and Sung (1999) for the likelihood
ratio.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.gate_evidence import HIGHEST_DBFS, LOWEST_DBFS, Heard

_LEVELS = np.arange(LOWEST_DBFS, HIGHEST_DBFS + 1.0)
_LIKELY = np.unique(np.round(np.geomspace(0.05, 10.0, 56), 2))
_SAME = 1e-4
# A second edge is there for this much less error at least.
_WORTH = 0.003


@dataclass(frozen=True)
class Opening:
    """Threshold in dBFS, likelihood ratio in dB (0: by level alone), the share of speech that does
    not open and of the room that does; and these by level alone."""

    threshold_dbfs: float
    likelihood_db: float
    cut: float
    leaked: float
    cut_by_level: float
    leaked_by_level: float


def opening_between(speech: Heard, room: Heard, cut_weight: float) -> Opening:
    """The edges between speech inside words and the room whose weighed errors are least."""
    under, covered = _shut(speech), _shut(room)
    alone = _balanced(under[:, -1], 1.0 - covered[:, -1], cut_weight)
    cost = cut_weight * under + (1.0 - cut_weight) * (1.0 - covered)
    if not len(room.likelihoods_db) or cost.min() > cost[:, -1].min() - _WORTH:
        return Opening(alone[0], 0.0, *alone[1:], *alone[1:])
    best = np.flatnonzero(cost.min(axis=0) <= cost.min() + _SAME)
    edge = round(float(best[0] + (1.0 - cut_weight) * (best[-1] - best[0])))
    edge = int(best[np.argmin(np.abs(best - edge))])
    both = _balanced(under[:, edge], 1.0 - covered[:, edge], cut_weight)
    return Opening(both[0], float(_LIKELY[edge]), *both[1:], *alone[1:])


def _shut(hears: Heard) -> Samples:
    """The share of time under each level and each likelihood ratio, ``(levels, edges)``; the
    last column is by level alone."""
    likely = np.searchsorted(_LIKELY, hears.known_likelihoods_db, side="right")
    levels = np.clip(hears.levels_dbfs, _LEVELS[0], _LEVELS[-1] - 1e-6)
    found, _, _ = np.histogram2d(levels, likely, (_LEVELS, np.arange(len(_LIKELY) + 2) - 0.5))
    shut = found.cumsum(axis=0).cumsum(axis=1) / max(len(levels), 1)
    return np.concatenate([np.zeros((1, shut.shape[1])), shut])


def balance(speech: Samples, room: Samples, cut_weight: float) -> tuple[float, float, float]:
    """Where the weighed errors are least by level alone: the threshold in dBFS, the share of speech
    under it, the share of room over it.

    Shares are per decibel from −100 dBFS, ``(100,)`` each.
    """
    under = np.concatenate([[0.0], np.cumsum(speech)])
    over = 1.0 - np.concatenate([[0.0], np.cumsum(room)])
    return _balanced(under, over, cut_weight)


def _balanced(under: Samples, over: Samples, cut_weight: float) -> tuple[float, float, float]:
    """Where a gap leaves room, the threshold stands in it: nearer to the side that weighs less."""
    cost = cut_weight * under + (1.0 - cut_weight) * over
    best = np.flatnonzero(cost <= cost.min() + _SAME)
    at = best[0] + (1.0 - cut_weight) * (best[-1] - best[0])
    near = round(float(at))
    return float(at) - 100.0, float(under[near]), float(max(over[near], 0.0))
