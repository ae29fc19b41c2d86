"""Listeners who are asked which of two sounds they prefer, with a secret ideal and a just
noticeable difference, or with none of both."""

import numpy as np

from obsidian_wren.core.prove.preference import DIMENSIONS, LIMIT_DB, Judged, find, next_pair

TASTE_SPREAD_DB, SLIPS = 3.0, 0.05
ANSWERS = ("one", "other", "same")


class Listener:
    """Prefers what lies nearer to an ideal; what is nearer by less than a just noticeable
    difference is often not told apart. One answer in twenty is a slip."""

    def __init__(self, seed, utility="distance"):
        self.rng = np.random.default_rng(seed)
        drawn = self.rng.normal(0.0, TASTE_SPREAD_DB, len(DIMENSIONS))
        self.ideal = np.clip(drawn, -LIMIT_DB, LIMIT_DB)
        self.jnd_db = self.rng.uniform(0.7, 1.6)
        self.utility = utility

    def __call__(self, one, other):
        if self.rng.random() < SLIPS:
            return ANSWERS[self.rng.integers(3)]
        away = [float(np.linalg.norm(np.array(at) - self.ideal)) for at in (one, other)]
        if self.utility == "square":
            away = [0.5 * x**2 for x in away]
        better = (away[1] - away[0]) / self.jnd_db + self.rng.normal(0.0, 0.6)
        return "same" if abs(better) < 0.4 else "one" if better > 0.0 else "other"


class Indifferent:
    """Hears no difference that matters: says so, guesses, or both."""

    def __init__(self, seed, says=ANSWERS):
        self.rng, self.says = np.random.default_rng(seed), says

    def __call__(self, one, other):
        slips = self.rng.random() < SLIPS
        return (ANSWERS if slips else self.says)[self.rng.integers(3 if slips else len(self.says))]


def asked(listener, seed):
    """What is found, and how many pairs were asked for it."""
    rng, judged = np.random.default_rng([seed, 7]), []
    while (pair := next_pair(judged, rng)) is not None:
        judged.append(Judged(*pair, listener(*pair)))
    return find(judged), len(judged)


def rms(values):
    return float(np.sqrt(np.mean(np.square(values))))
