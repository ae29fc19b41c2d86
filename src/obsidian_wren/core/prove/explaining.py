"""Which causes explain a change best: every small set of them is weighed by its evidence.

A set that explains more than it has to is punished by itself, since it spreads its probability over
changes that did not happen.

Source: MacKay (2003), Information Theory, Inference, and Learning Algorithms, chapter 28; Gaussian
conditioning after Rasmussen and Williams (2006), chapter 2.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.prove.causes import Code, Model
from obsidian_wren.core.prove.change import SoundingChange

_MOST_CAUSES, _MOST_GRIDS = 3, 2
# Two things seldom happen between two checks, three hardly ever (natural logarithm).
_AT_ONCE = (0.0, 0.0, -1.5, -6.0)
_TAKES_DB, _NEARLY_AS_GOOD = 3.0, 12.0


@dataclass(frozen=True)
class CauseEffect:
    """One cause in an explanation: what it adds ``(n,)`` in dB, and its number with its standard
    deviation where it has one (of ``values``, column by column)."""

    code: Code
    adds_db: Samples
    value: Samples | None
    error: Samples | None


@dataclass(frozen=True)
class Explanation:
    """The set of causes with the highest evidence; ``log_odds`` against nothing having changed."""

    parts: tuple[CauseEffect, ...]
    log_odds: float


def explain(
    change: SoundingChange, candidates: list[Model], *, most: int = _MOST_CAUSES
) -> Explanation:
    """The best of all sets of up to ``most`` causes, none of them included."""
    evidence: dict[tuple[int, ...], float] = {}
    for count in range(most + 1):
        for chosen in itertools.combinations(range(len(candidates)), count):
            if len({candidates[k].code for k in chosen}) < count:
                continue
            if sum(candidates[k].means is not None for k in chosen) > _MOST_GRIDS:
                continue
            if count == _MOST_CAUSES and not _worth(chosen, evidence):
                continue
            evidence[chosen] = _AT_ONCE[count] + _evidence(change, [candidates[k] for k in chosen])
    nothing = evidence[()]
    for best in sorted(evidence, key=lambda chosen: -evidence[chosen]):
        parts = _parts(change, [candidates[k] for k in best])
        if all(_is_possible(change, part) for part in parts):
            return Explanation(parts, evidence[best] - nothing)
    return Explanation((), 0.0)


def _is_possible(change: SoundingChange, part: CauseEffect) -> bool:
    """A processor takes noise away."""
    return part.code != "processing" or float(np.mean(part.adds_db[change.noise])) < -_TAKES_DB


def _worth(chosen: tuple[int, ...], evidence: dict[tuple[int, ...], float]) -> bool:
    """A third cause is tried only beside pairs that are good already."""
    best = max(evidence.values())
    return any(
        evidence[pair] > best - _NEARLY_AS_GOOD for pair in itertools.combinations(chosen, 2)
    )


def _split(change: SoundingChange, chosen: list[Model]) -> tuple[Samples, list[Model]]:
    covariance = change.covariance.copy()
    for model in chosen:
        covariance += model.covariance
    return covariance, [model for model in chosen if model.means is not None]


def _evidence(change: SoundingChange, chosen: list[Model]) -> float:
    covariance, gridded = _split(change, chosen)
    lower = scipy.linalg.cholesky(covariance, lower=True)
    base = sum(model.log_prior for model in chosen) - float(np.sum(np.log(np.diag(lower))))
    white = scipy.linalg.solve_triangular(lower, change.db, lower=True)
    if not gridded:
        return base - 0.5 * float(white @ white)
    misfit, log_weights = _misfits(lower, white, gridded)
    found = -0.5 * misfit + log_weights
    top = float(found.max())
    return base + top + float(np.log(np.sum(np.exp(found - top))))


def _misfits(lower: Samples, white: Samples, gridded: list[Model]) -> tuple[Samples, Samples]:
    """Squared misfit and log prior over the grid of one or two models."""
    whitened = [
        scipy.linalg.solve_triangular(lower, model.means.T, lower=True)
        for model in gridded
        if model.means is not None
    ]
    weights = [model.log_weights for model in gridded if model.log_weights is not None]
    first = whitened[0]
    alone = np.sum((white[:, None] - first) ** 2, axis=0)
    if len(gridded) == 1:
        return alone, weights[0]
    second = whitened[1]
    both = (
        alone[:, None]
        - 2.0 * (white @ second)[None, :]
        + 2.0 * first.T @ second
        + np.sum(second**2, axis=0)[None, :]
    )
    return both, weights[0][:, None] + weights[1][None, :]


def _parts(change: SoundingChange, chosen: list[Model]) -> tuple[CauseEffect, ...]:
    if not chosen:
        return ()
    covariance, gridded = _split(change, chosen)
    lower = scipy.linalg.cholesky(covariance, lower=True)
    means: dict[Code, tuple[Samples, Samples, Samples]] = {}
    left = change.db.copy()
    if gridded:
        white = scipy.linalg.solve_triangular(lower, change.db, lower=True)
        misfit, log_weights = _misfits(lower, white, gridded)
        found = -0.5 * misfit + log_weights
        share = np.exp(found - found.max())
        share /= share.sum()
        for axis, model in enumerate(gridded):
            of_model = share if share.ndim == 1 else share.sum(axis=1 - axis)
            means[model.code] = _averaged(model, of_model)
            left -= means[model.code][0]
    weights = scipy.linalg.cho_solve((lower, True), left)
    parts = []
    for model in chosen:
        adds = model.covariance @ weights
        if model.code in means and model.code != "gain":
            mean, value, error = means[model.code]
            parts.append(CauseEffect(model.code, mean + adds, value, error))
            continue
        # The level that it adds to everything alike, and how sure that is.
        size = _size(change, model, covariance, adds)
        if model.code in means:
            adds = adds + means[model.code][0]
        parts.append(CauseEffect(model.code, adds, *size))
    return tuple(parts)


def _averaged(model: Model, share: Samples) -> tuple[Samples, Samples, Samples]:
    """Mean of what a model adds, of its numbers, and their spread, over its grid ``(k,)``."""
    values = np.atleast_2d(np.asarray(model.values).T).T
    mean = share @ values
    spread = np.sqrt(np.maximum(share @ (values - mean) ** 2, 0.0))
    return np.asarray(share @ np.asarray(model.means)), np.asarray(mean), np.asarray(spread)


def _size(
    change: SoundingChange, model: Model, covariance: Samples, adds: Samples
) -> tuple[Samples, Samples]:
    at = {"hum": change.hum, "reverb": change.late}.get(model.code)
    where = np.zeros(len(adds))
    if at is not None:
        where[at] = 1.0
    elif model.code == "noise":
        where[change.noise] = 1.0 / (change.noise.stop - change.noise.start)
    else:
        where[change.voice] = 1.0 / (change.voice.stop - change.voice.start)
    prior = where @ model.covariance
    left = float(prior @ where - prior @ scipy.linalg.solve(covariance, prior, assume_a="pos"))
    return np.array([where @ adds]), np.array([np.sqrt(max(left, 0.0))])
