"""A blind series: which of two sounds comes first in each round, drawn fairly, and what the answers
say against chance.

Source: the exact binomial distribution; ITU-R BS.1116 for a hidden order that is balanced.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from math import comb
from typing import Literal

Answer = Literal["one", "other", "same"]
Kind = Literal["prefer", "which"]
SHORTEST, LONGEST = 8, 24
# So much of a sentence is heard in each round.
HEARD_S = 8.0
# So seldom by chance alone that it counts as heard.
HEARD_P = 0.05


@dataclass(frozen=True)
class Tally:
    """What a series says of its first sound.

    ``rounds`` were answered; ``first`` is how often the first sound was chosen (or named rightly),
    “no difference” counted half; ``same`` how often that was the answer. ``chance_low`` and
    ``chance_high``: between them chance alone lands in 95 of 100 series. ``p`` is how often chance
    alone lands as far from the middle (preferring), or as high (naming), as this series did.
    """

    rounds: int
    first: float
    same: int
    chance_low: int
    chance_high: int
    p: float

    @property
    def heard(self) -> bool:
        """Whether chance alone would hardly do this."""
        return self.rounds >= SHORTEST and self.p < HEARD_P


def draw(rounds: int, rng: random.Random) -> tuple[bool, ...]:
    """For each round whether the first sound is the one called “one”: as often as not, in an order
    that nobody can foresee. Raises ValueError for a series that is too short or too long."""
    if not SHORTEST <= rounds <= LONGEST:
        raise ValueError(f"A series has {SHORTEST} to {LONGEST} rounds.")
    half = rounds // 2
    order = [True] * half + [False] * half
    if rounds % 2:
        order.append(rng.choice((True, False)))
    rng.shuffle(order)
    return tuple(order)


def tally(order: Sequence[bool], answers: Sequence[Answer], *, kind: Kind) -> Tally:
    """Count the answers of the rounds that were answered.

    In a series that asks which of the two is X, an answer names the first sound where it is right;
    “no difference” is half right, as a guess would be.
    """
    count = len(answers)
    first = 0.0
    for is_one, answer in zip(order, answers, strict=False):
        first += 0.5 if answer == "same" else float((answer == "one") == is_one)
    low, high = chance_range(count)
    # Half a round is no round: what is counted half is rounded towards chance.
    reached = int(first) if first > count / 2.0 else -int(-first // 1)
    p = at_least(count, reached) if kind == "which" else _as_far(count, reached)
    return Tally(count, first, sum(answer == "same" for answer in answers), low, high, p)


def at_least(rounds: int, hits: int) -> float:
    """The share of series in which chance alone reaches so many of so many rounds, exactly."""
    return sum(comb(rounds, k) for k in range(max(0, hits), rounds + 1)) / 2.0**rounds


def chance_range(rounds: int) -> tuple[int, int]:
    """The fewest and the most hits between which chance alone lands in 95 of 100 series."""
    low = 0
    while low < rounds / 2.0 and at_least(rounds, rounds - low) < (1.0 - 0.95) / 2.0:
        low += 1
    return low, rounds - low


def _as_far(rounds: int, hits: int) -> float:
    far = max(hits, rounds - hits)
    return min(1.0, 2.0 * at_least(rounds, far))
