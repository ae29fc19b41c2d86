"""Two microphones of known, secret response before one voice in one room: how far the relative
response is off from 100 Hz to 12 kHz, at once and one after the other (with another reading of the
sentence), and whether delay and polarity are right. Bars: 0.5 dB rms at once, 1.0 in turn; delay
within a sample and polarity always.
"""

from __future__ import annotations

import pathlib
import sys
from multiprocessing import Pool

import numpy as np

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

import two_microphones
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove.relative import at_once, in_turn
from obsidian_wren.core.prove.sounding import VOICE_HZ, heard_for_checks

COUNT = 24
RATE = two_microphones.RATE


def sounding(room: np.ndarray, talk: np.ndarray) -> object:
    return heard_for_checks(room, talk, read_talk(talk, rate_hz=RATE))


def judged(seed: int) -> tuple[float, float, float, bool]:
    first, second = two_microphones.two_worlds(seed)
    truth = two_microphones.truth_db(first, second, VOICE_HZ)
    rng = np.random.default_rng(seed + 500)
    delay, inverted = int(rng.integers(-60, 61)), bool(rng.integers(2))
    one, other = two_microphones.heard(first), two_microphones.heard(second)
    turned = np.roll(other[1], delay) * (-1.0 if inverted else 1.0)
    together = at_once(one, (other[0], turned), rate_hz=RATE)
    later = two_microphones.heard(second, seed=seed + 900, reading=seed + 50)
    apart = in_turn(sounding(*one), sounding(*later))
    true_delay = delay + two_microphones.begins_late(second) - two_microphones.begins_late(first)
    found = together.delay_samples if together.delay_samples is not None else 1e6
    off = abs(found - true_delay)
    return (
        two_microphones.error_db(together, truth),
        two_microphones.error_db(apart, truth),
        float(off),
        together.inverted == inverted,
    )


def main() -> None:
    with Pool() as pool:
        found = np.array(pool.map(judged, range(COUNT)), dtype=float)
    for name, column, bar in (("at once", 0, 0.5), ("one after the other", 1, 1.0)):
        errors = found[:, column]
        print(
            f"{name}: half within {np.median(errors):.2f} dB rms, 9 of 10 within"
            f" {np.percentile(errors, 90):.2f}, worst {errors.max():.2f};"
            f" {int(np.sum(errors <= bar))} of {COUNT} within {bar} dB"
        )
    print(
        f"delay within one sample: {int(np.sum(found[:, 2] <= 1.0))} of {COUNT}, worst"
        f" {found[:, 2].max():.2f}"
    )
    print(f"polarity right: {int(np.sum(found[:, 3]))} of {COUNT}")


if __name__ == "__main__":
    main()
