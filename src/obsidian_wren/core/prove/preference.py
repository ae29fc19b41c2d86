"""A taste found by ear: which of two sounds is preferred, again and again, until no further pair is
worth asking.

What a listener likes is a smooth utility over the dimensions of taste that falls with the square of
the distance from an ideal; where the ideal is and how fast it falls have Gaussian priors. An answer
compares two of its values with a spread of its own (Thurstone 1927; Chu and Ghahramani 2005), and
now and then is a slip. The next pair is the one whose answer tells most of the ideal (Houlsby and
others 2011); the last ones are pairs whose answer is known if the ideal is right: who guesses
fails them. The posterior is drawn (Chopin 2002): Laplace's cannot tell a guesser from a listener.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples

Answer = Literal["one", "other", "same"]
Place = tuple[float, ...]
DIMENSIONS = ("warmth_db", "body_db", "clarity_db", "air_db", "density_db")
MOST_PAIRS = 14
# So many search; the others confirm.
SEARCHED = 6
# A step of density counts as two and a half of tone.
SCALE = (1.0, 1.0, 1.0, 1.0, 0.4)
# As far as a taste goes, and how far tastes are spread, dB.
LIMIT_DB, _SPREAD_DB = 5.0, 2.8
# The curvature of the utility in just noticeable differences, and how far listeners differ in it.
_CURVE, _CURVE_FOLD = 0.3, 0.8
# Half as far as two sounds must differ to be told apart, and how many answers are slips.
_SAME, _SLIPS = 0.5, 0.06
_DRAWS, _TURNS, _SHOWN, _PLACES, _PAIRS = 1_200, 4, 300, 60, 700
# How well the answer of a confirming pair is known, and where the score is behind; at least so many
# pairs are looked at.
_SURE, _SURER, _SUREST = 0.93, 0.95, 20
# From the fifth pair on its answers are foretold so much better than by guessing, nats, where one
# miss counts no more than this: it may be a slip.
_CONVINCES, _FORETOLD_FROM, _MOST_MISS = 2.9, 4, 1.0
# What a confirming pair adds to that; and where nothing is left to be confirmed, so that pairs
# search again.
_ADDS, _CONFIRMED = 0.5, 4.5
_ANSWERS: tuple[Answer, ...] = ("one", "other", "same")


@dataclass(frozen=True)
class Judged:
    """A pair and its answer; places along :data:`DIMENSIONS`, in steps of :data:`SCALE` dB."""

    one: Place
    other: Place
    answer: Answer


@dataclass(frozen=True)
class Found:
    """Where the ideal is and one standard deviation, in steps ``(dimensions,)``; whether the
    answers bear it out; in how many of how many pairs with a preference it lies nearer to what
    was preferred."""

    ideal_db: Place
    sd_db: Place
    convinces: bool
    agrees: int
    preferred: int


@dataclass(frozen=True)
class _Draws:
    """Equally likely ideals ``(draws, dimensions)``, dB, and the logarithm of each curvature
    ``(draws,)``; by how much the answers were better foretold than by guessing, nats."""

    ideals: Samples
    curves: Samples
    score: float


def find(judged: Sequence[Judged]) -> Found:
    """What the answers tell of the ideal."""
    draws = _posterior(tuple(judged))
    ideals = np.clip(draws.ideals, -LIMIT_DB, LIMIT_DB)
    ideal = ideals.mean(axis=0)
    sided = [each for each in judged if each.answer != "same"]
    agrees = sum(_nearer(each, ideal) == each.answer for each in sided)
    return Found(
        tuple(float(x) for x in ideal),
        tuple(float(x) for x in ideals.std(axis=0)),
        len(judged) > SEARCHED and draws.score > _CONVINCES,
        agrees,
        len(sided),
    )


def next_pair(judged: Sequence[Judged], rng: np.random.Generator) -> tuple[Place, Place] | None:
    """The pair whose answer tells most; None where no further one is worth asking. ``rng`` draws
    the places that are looked at."""
    if _is_over(judged):
        return None
    draws = _posterior(tuple(judged))
    shown = rng.choice(_DRAWS, _SHOWN, replace=False)
    ideals = np.clip(draws.ideals, -LIMIT_DB, LIMIT_DB)
    mean, some = ideals.mean(axis=0), ideals[shown[:_PLACES]]
    places = np.concatenate(
        [
            some,
            0.5 * (some + mean),
            [mean, np.zeros(len(mean))],
            np.clip(2.0 * mean - some[: _PLACES // 3], -LIMIT_DB, LIMIT_DB),
            rng.uniform(-LIMIT_DB, LIMIT_DB, (_PLACES // 2, len(mean))),
        ]
    ).round(1)
    pairs = rng.integers(0, len(places), (_PAIRS, 2))
    one, other = places[pairs[:, 0]], places[pairs[:, 1]]
    chances = _chances(_differences(draws.ideals[shown], draws.curves[shown], one, other))
    mean_chance = chances.mean(axis=1)
    told = _entropy(mean_chance) - _entropy(chances).mean(axis=1)
    if len(judged) >= SEARCHED:
        sure = mean_chance[:, :2].max(axis=1)
        told[sure < min(_known_from(draws.score, len(judged)), np.sort(sure)[-_SUREST])] = -1.0
    best = int(np.argmax(told))
    return tuple(map(float, one[best])), tuple(map(float, other[best]))


def _known_from(score: float, judged: int) -> float:
    """How well the answer of the next confirming pair has to be known, as a chance."""
    if score > _CONFIRMED:
        return 0.0
    behind = score < _CONVINCES - _ADDS * (MOST_PAIRS - judged - 1)
    return _SURER if behind else _SURE


def _is_over(judged: Sequence[Judged]) -> bool:
    """Whether all is asked; a listener to whom nothing makes a difference is not kept."""
    nothing = len(judged) >= SEARCHED and all(each.answer == "same" for each in judged)
    return nothing or len(judged) >= MOST_PAIRS


def _nearer(judged: Judged, ideal: Samples) -> Answer:
    one, other = (float(np.sum((np.array(at) - ideal) ** 2)) for at in (judged.one, judged.other))
    return "one" if one < other else "other"


def _differences(ideals: Samples, curves: Samples, one: Samples, other: Samples) -> Samples:
    """Utility of one over that of the other ``(pairs, draws)``, in just noticeable differences."""
    bent = 0.5 * (np.sum(other**2, axis=1) - np.sum(one**2, axis=1))
    return np.asarray((bent[:, None] + (one - other) @ ideals.T) * np.exp(curves))


def _phi(x: Samples) -> Samples:
    """The normal distribution's cumulative function within 1e-7 (Abramowitz and Stegun 7.1.26)."""
    t = 1.0 / (1.0 + 0.3275911 * np.abs(x) / math.sqrt(2.0))
    series = t * (
        0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))
    )
    tail = 0.5 * series * np.exp(-0.5 * np.square(x))
    return np.where(x >= 0.0, 1.0 - tail, tail)


def _chances(difference: Samples) -> Samples:
    """The chance of each answer, ``(..., 3)``."""
    one, other = _phi(difference - _SAME), _phi(-difference - _SAME)
    sure = np.stack([one, other, 1.0 - one - other], axis=-1)
    return np.asarray((1.0 - _SLIPS) * sure + _SLIPS / len(_ANSWERS))


def _entropy(chances: Samples) -> Samples:
    return np.asarray(-np.sum(chances * np.log(chances), axis=-1))


@lru_cache(maxsize=64)
def _posterior(judged: tuple[Judged, ...]) -> _Draws:
    """The draws before an answer, weighed by it, drawn anew and moved about."""
    rng = np.random.default_rng(len(judged))
    if not judged:
        ideals = rng.standard_normal((_DRAWS, len(DIMENSIONS))) * _SPREAD_DB
        return _Draws(ideals, math.log(_CURVE) + _CURVE_FOLD * rng.standard_normal(_DRAWS), 0.0)
    before, last = _posterior(judged[:-1]), judged[-1]
    one, other = (np.array([getattr(each, side) for each in judged]) for side in ("one", "other"))
    answers = np.array([_ANSWERS.index(each.answer) for each in judged])

    def logs(ideals: Samples, curves: Samples) -> Samples:
        chances = _chances(_differences(ideals, curves, one, other))
        prior = np.sum(ideals**2, axis=1) / _SPREAD_DB**2
        prior += ((curves - math.log(_CURVE)) / _CURVE_FOLD) ** 2
        foretold = np.log(chances[np.arange(len(answers)), :, answers]).sum(axis=0)
        return np.asarray(foretold - 0.5 * prior)

    weights = _chances(_differences(before.ideals, before.curves, one[-1:], other[-1:]))[
        0, :, answers[-1]
    ]
    score = before.score
    if len(judged) > _FORETOLD_FROM:
        told = math.log(float(weights.mean()) / _guessed(judged[:-1], last.answer))
        score += max(-_MOST_MISS, told)
    steps = (rng.random() + np.arange(_DRAWS)) / _DRAWS
    kept = np.searchsorted(np.cumsum(weights / weights.sum()), steps).clip(max=_DRAWS - 1)
    drawn = np.column_stack([before.ideals, before.curves])[kept]
    here = logs(drawn[:, :-1], drawn[:, -1])
    for _turn in range(_TURNS):
        spread = np.cov(drawn.T) + 1e-6 * np.eye(drawn.shape[1])
        far = rng.choice([0.5, 1.2], (_DRAWS, 1)) * 0.9 / math.sqrt(drawn.shape[1])
        moved = drawn + far * (rng.standard_normal(drawn.shape) @ np.linalg.cholesky(spread).T)
        there = logs(moved[:, :-1], moved[:, -1])
        goes = np.log(rng.random(_DRAWS)) < there - here
        drawn, here = np.where(goes[:, None], moved, drawn), np.where(goes, there, here)
    return _Draws(drawn[:, :-1], drawn[:, -1], score)


def _guessed(before: Sequence[Judged], answer: Answer) -> float:
    """The chance of an answer of somebody who does not listen: “no difference” as often as before,
    a preference by a coin."""
    same = (sum(each.answer == "same" for each in before) + 1.0) / (len(before) + 2.0)
    return same if answer == "same" else 0.5 * (1.0 - same)
