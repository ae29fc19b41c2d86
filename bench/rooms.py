"""Takes of a room in which something moves: is a voice told from what is none?

Of each kind 26 takes of 12 s at −55 to −25 dBFS over a room of −75 to −55 dBFS, each in a room of
its own: what ``tests/moving_noise.py`` makes, and other people who talk, from the speech generators
of the system and from the spoken files of ``alsa-utils``; alone, six at once, and beside a noise.
The thresholds were chosen on other seeds of the same noises and on the same generators.
"""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np
import scipy
import soundfile
import soxr

from moving_noise import MOVING, RATE, in_a_room, moving
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.room_sounds import moving_sound
from obsidian_wren.core.measure.speech import find_voice
from voices import GENERATORS, missing_generators, speak

SECONDS = 12.0
TAKES = 26
SPOKEN = Path("/usr/share/sounds/alsa")
SEED = int(os.environ.get("OBSIDIAN_WREN_BENCH_SEED", "7000"))


def talker(rng: np.random.Generator) -> Samples:
    """One person, from anywhere in the text."""
    said = speak(str(rng.choice(list(GENERATORS))), SECONDS)
    return np.roll(said, -int(rng.integers(len(said))))


def recorded(rng: np.random.Generator) -> Samples:
    """Recorded words with pauses between."""
    paths = sorted(path for path in SPOKEN.glob("*.wav") if path.stem != "Noise")
    out, at = np.zeros(round(SECONDS * RATE)), int(rng.integers(RATE))
    while at < len(out):
        sound, rate = soundfile.read(paths[rng.integers(len(paths))], always_2d=True)
        words = soxr.resample(sound[:, 0], rate, RATE)[: len(out) - at]
        out[at : at + len(words)] = words
        at += len(words) + int(rng.integers(RATE))
    return out


def takes() -> Iterator[tuple[str, Samples]]:
    for number in range(TAKES):
        rng = np.random.default_rng([SEED, number])
        sounds = {kind: moving(kind, SEED + number, SECONDS) for kind in MOVING}
        people = {"talker": talker(rng), "babble": sum(talker(rng) for _each in range(6))}
        if SPOKEN.exists():
            people["recorded words"] = recorded(rng)
        sounds |= {kind: in_a_room(sound, rng) for kind, sound in people.items()}
        beside = list(MOVING)[number % len(MOVING)]
        sounds["talker beside noise"] = sounds["talker"] + sounds[beside] * 10.0 ** (
            rng.uniform(-15.0, 5.0) / 20.0
        )
        for kind, sound in sounds.items():
            floor = rng.standard_normal(len(sound)) * 10.0 ** (rng.uniform(-75.0, -55.0) / 20.0)
            room = 0.4 * scipy.signal.lfilter([1.0], [1.0, -0.9], floor)
            yield kind, sound * 10.0 ** (rng.uniform(-55.0, -25.0) / 20.0) + room


def main() -> None:
    if missing := missing_generators():
        print(missing)
        return
    found: dict[str, Counter[str]] = {}
    for kind, sound in takes():
        moves = moving_sound(sound, find_voice(sound, rate_hz=RATE), rate_hz=RATE)
        found.setdefault(kind, Counter())[moves.kind if moves else "nothing"] += 1
    for kind, counts in found.items():
        print(f"{kind:20}", ", ".join(f"{count} {what}" for what, count in counts.most_common()))
    none = [found[kind] for kind in MOVING]
    voices = [found[kind] for kind in ("talker", "recorded words") if kind in found]
    for what, of, bar in (("a voice found", voices, "≥ 95"), ("false alarms", none, "≤ 2")):
        count = sum(counts.total() for counts in of)
        share = 100.0 * sum(counts["voice"] for counts in of) / count
        print(f"{what}: {share:.1f} % of {count} takes (bar {bar} %)")


if __name__ == "__main__":
    main()
