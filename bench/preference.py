"""A taste found by ear: two hundred simulated listeners of each kind.

A listener has a secret ideal in five dimensions, 3 dB rms away from where it begins, a just
noticeable difference of 0.7 to 1.6 dB, a psychometric curve, and slips in one of twenty answers.
Two kinds of utility are asked, one that falls with the distance from the ideal and one that falls
with its square; and indifferent ones, who say so, guess, or do both.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np

from listeners import Indifferent, Listener, asked, rms
from obsidian_wren.core.prove.preference import Judged, next_pair

SEEDS = range(3_000, 3_200)


def main() -> None:
    for utility in ("distance", "square"):
        errors, start, left, pairs = [], [], 0, []
        for seed in SEEDS:
            listener = Listener(seed, utility)
            found, asked_pairs = asked(listener, seed)
            start.append(rms(listener.ideal))
            left += not found.convinces
            # Who is not convinced keeps what was there.
            at = np.array(found.ideal_db) if found.convinces else np.zeros(len(listener.ideal))
            errors.append(rms(at - listener.ideal))
            pairs.append(asked_pairs)
        print(
            f"utility falls with the {utility}: error {np.median(errors):.2f} dB rms at the median"
            f" (bar 1.5), nine of ten within {np.percentile(errors, 90):.2f} (bar 2.2), at the"
            f" start {np.median(start):.2f}; {np.mean(pairs):.1f} pairs; {left} of {len(errors)}"
            " not convinced"
        )
    for name, says in (
        ("say “no difference”", ("same",)),
        ("guess", ("one", "other")),
        ("do both", ("one", "other", "same")),
    ):
        alone = sum(not asked(Indifferent(seed, says), seed)[0].convinces for seed in SEEDS)
        print(f"indifferent, {name}: {alone} of {len(SEEDS)} left alone (bar 95 %)")
    spent, listener = [], Listener(SEEDS[0])
    judged: list[Judged] = []
    rng = np.random.default_rng(1)
    while True:
        begun = time.perf_counter()
        pair = next_pair(judged, rng)
        spent.append(time.perf_counter() - begun)
        if pair is None:
            break
        judged.append(Judged(*pair, listener(*pair)))
    print(f"a next pair: {1e3 * np.median(spent):.0f} ms, longest {1e3 * max(spent):.0f} (bar 300)")


if __name__ == "__main__":
    main()
