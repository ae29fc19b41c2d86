"""Two people at one desk, each before a microphone of their own: how much lower the spill of one is
in the other's microphone while only that one talks, and whether a beginning is lost by it.

Generated voices in rooms of 0.2 to 0.6 s, across from or beside each other, with microphones of
different distance, pattern and gain over a hiss. They take turns, fall into each other's word and
answer within it. Who is measured talks alone for twelve seconds first. A beginning is clipped where
3 dB of its first 50 ms are gone; it begins where it can be heard: 6 dB over the microphone's
hiss and no more than 25 dB under the voice.
"""

from __future__ import annotations

import itertools
import time
from dataclasses import dataclass

import numpy as np
import scipy.signal

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.mix.spill import apart_s, measure_spill
from obsidian_wren.core.mix.spill_gate import SpillGate
from obsidian_wren.simulation.image_sources import image_response, walls
from voices import GENERATORS, RATE, missing_generators, speak

_DESKS, _SEED = 24, 2600
_ALONE_S, _TALK_S = 12.0, 60.0
_BLOCK = 480
_BAR_DB, _CLIPPED_DB = 12.0, 3.0
_MOST_ORDER = 20
_ACROSS, _ANSWERS, _BEGINS_AFTER_S = 0.5, 0.3, 0.3
_MS = RATE // 1000


@dataclass(frozen=True)
class Desk:
    """``ways[k][j]``: from mouth ``j`` to microphone ``k``, with its gain; ``hiss`` of each."""

    ways: list[list[Samples]]
    hiss: list[float]
    decay_s: float

    def hears(self, place: int, dry: list[Samples]) -> list[Samples]:
        """What a microphone hears of each mouth, ``(n,)``."""
        return [
            scipy.signal.oaconvolve(sound, way)[: len(sound)]
            for sound, way in zip(dry, self.ways[place], strict=True)
        ]


def desk(rng: np.random.Generator) -> Desk:
    """A room, two mouths and two microphones."""
    size = np.array([rng.uniform(3.0, 5.5), rng.uniform(2.6, 4.5), 2.5])
    decay_s = float(rng.choice([0.2, 0.3, 0.45, 0.6]))
    comes_back, order = walls(decay_s, tuple(size))
    middle = np.array([0.42 * size[0], 0.47 * size[1], 1.2])
    across = rng.random() < _ACROSS
    half = 0.5 * (rng.uniform(1.0, 1.6) if across else rng.uniform(0.7, 1.2))
    beside = np.array([half, 0.0, 0.0]) if across else np.array([0.0, half, 0.0])
    mouths = [middle - beside, middle + beside]
    ways: list[list[Samples]] = []
    for place, mouth in enumerate(mouths):
        ahead = np.array([1.0 - 2.0 * place, 0.2, -0.2]) if across else np.array([1.0, 0.0, -0.2])
        away = rng.uniform(0.1, 0.35) * ahead / np.linalg.norm(ahead)
        cardioid = rng.random() < 2.0 / 3.0
        ways.append(
            [
                image_response(
                    size,
                    np.clip(each, 0.1, size - 0.1),
                    mouth + away,
                    facing=-away / np.linalg.norm(away) if cardioid else None,
                    comes_back=comes_back,
                    order=min(order, _MOST_ORDER),
                    rate_hz=RATE,
                )
                for each in mouths
            ]
        )
        strongest = np.sqrt(np.sum(ways[place][place] ** 2))
        level = 10.0 ** (rng.uniform(-3.0, 3.0) / 20.0) / strongest
        ways[place] = [level * way for way in ways[place]]
    return Desk(ways, [float(rng.uniform(-72.0, -58.0)) for _ in mouths], decay_s)


def phrases(voice: Samples) -> list[Samples]:
    """What is said without a pause of 0.15 s, each piece from its first sound to its last, of five
    seconds at most."""
    loud = np.abs(voice) > 0.02 * np.abs(voice).max()
    at = np.flatnonzero(loud)
    breaks = np.flatnonzero(np.diff(at) > 0.15 * RATE)
    starts, ends = [at[0], *at[breaks + 1]], [*at[breaks], at[-1]]
    return [
        voice[first : min(last + 1, first + 5 * RATE)]
        for first, last in zip(starts, ends, strict=True)
    ]


def in_turn(
    said: list[list[Samples]], rng: np.random.Generator
) -> tuple[list[Samples], list[list[int]]]:
    """Both voices over :data:`_TALK_S`, and where each begins after 0.3 s of its own silence."""
    out = [np.zeros(round(_TALK_S * RATE)) for _ in said]
    begins: list[list[int]] = [[], []]
    free = [0.0, 0.0]

    def say(who: int, phrase: Samples, at_s: float) -> float:
        at = round(at_s * RATE)
        end = min(len(out[who]), at + len(phrase))
        out[who][at:end] += phrase[: end - at]
        if at_s - free[who] > _BEGINS_AFTER_S:
            begins[who].append(at)
        free[who] = end / RATE
        return free[who]

    now, who = 0.5, 0
    while now < _TALK_S - 12.0:
        for _ in range(rng.integers(1, 3)):
            phrase = said[who][rng.integers(len(said[who]))]
            other = 1 - who
            if rng.random() < _ANSWERS and len(phrase) > 1.5 * RATE and free[other] < now:
                short = min(said[other], key=len)
                say(other, short, now + rng.uniform(0.5, len(phrase) / RATE - 0.6))
            now = say(who, phrase, now) + rng.uniform(0.1, 0.5)
        now, who = max(now + rng.uniform(-0.5, 0.6), free[1 - who] + 0.05), 1 - who
    return out, begins


def frame_db(sound: Samples, frame_ms: int) -> Samples:
    """The level of the last so many milliseconds, at each one, dBFS."""
    power = np.mean(sound[: len(sound) // _MS * _MS].reshape(-1, _MS) ** 2, axis=1)
    return 10.0 * np.log10(np.convolve(power, np.ones(frame_ms) / frame_ms)[: len(power)] + 1e-14)


def judge(
    names: tuple[str, str], seed: int, late_s: float
) -> tuple[list[float], list[float], float]:
    """How much lower the spill is in each microphone, dB; what each beginning loses, dB; what a
    block of 10 ms costs, ms."""
    rng = np.random.default_rng(seed)
    place = desk(rng)
    voices = [speak(name, 30.0) for name in names]
    voices = [voice * 10.0 ** (rng.uniform(-3.0, 3.0) / 20.0) for voice in voices]
    dry, begins = in_turn([phrases(voice) for voice in voices], rng)

    def hiss(which: int, count: int) -> Samples:
        sound = scipy.signal.lfilter([1.0], [1.0, -0.9], rng.standard_normal(count))
        return np.asarray(sound / np.std(sound) * 10.0 ** (place.hiss[which] / 20.0))

    late = round(late_s * RATE)
    alone = []
    for who, voice in enumerate(voices):
        said = voice[: round(_ALONE_S * RATE)]
        silent = np.zeros(len(said))
        both = [place.hears(mic, [said, silent] if who == 0 else [silent, said]) for mic in (0, 1)]
        heard = [sum(parts) + hiss(mic, len(said)) for mic, parts in enumerate(both)]
        heard[1] = np.concatenate([np.zeros(late), heard[1]])[: len(said)]
        alone.append(measure_spill(heard[who], heard[1 - who], rate_hz=RATE))
    apart = apart_s(*alone) if late else 0.0
    gate = SpillGate(*alone, rate_hz=RATE, apart_s=apart)
    parts = [place.hears(mic, dry) for mic in (0, 1)]
    noise = [hiss(mic, len(dry[0])) for mic in (0, 1)]
    heard = [sum(parts[mic]) + noise[mic] for mic in (0, 1)]
    heard[1] = np.concatenate([np.zeros(late), heard[1]])[: len(heard[0])]
    began = time.perf_counter()
    gains = np.concatenate(
        [
            gate.process(heard[0][at : at + _BLOCK], heard[1][at : at + _BLOCK])
            for at in range(0, len(heard[0]) - _BLOCK + 1, _BLOCK)
        ],
        axis=1,
    )
    cost_ms = 1000.0 * (time.perf_counter() - began) / (gains.shape[1] / _BLOCK)
    lower, lost = [], []
    for mic in (0, 1):
        own, spill = parts[mic][mic], parts[mic][1 - mic]
        # Each microphone's sound as it is when its gain is heard.
        at = np.minimum(np.arange(len(own)) + gate.ahead_samples + late * mic, gains.shape[1] - 1)
        gain = gains[mic][at]
        silent = np.repeat(frame_db(own, 300) < place.hiss[mic] - 6.0, _MS)
        before, after = (
            float(np.sum(each[: len(silent)][silent] ** 2)) for each in (spill, spill * gain)
        )
        lower.append(10.0 * np.log10(before / after))
        levels = frame_db(own, 20)
        heard_from = max(active_level(own, rate_hz=RATE).level_dbfs - 28.0, place.hiss[mic] + 6.0)
        for begin in begins[mic]:
            hits = np.flatnonzero(levels[begin // _MS : begin // _MS + 400] > heard_from)
            if len(hits):
                first = begin + (hits[0] - 10) * _MS
                cut = slice(max(first, 0), first + 50 * _MS)
                lost.append(10.0 * np.log10(np.sum(own[cut] ** 2) / np.sum((own * gain)[cut] ** 2)))
    return lower, lost, cost_ms


def main() -> None:
    if missing := missing_generators():
        raise SystemExit(missing)
    pairs = list(itertools.permutations(GENERATORS, 2))
    recorded = [pair for pair in pairs if all(name.startswith("flite") for name in pair)]
    others = [pair for pair in pairs if pair not in recorded]
    for title, voices, late_s in (
        ("voices built on recordings, two inputs of one device", recorded, 0.0),
        ("the same, two devices that are 15 ms apart", recorded, 0.015),
        ("a voice of formants among them, one device", others, 0.0),
    ):
        found = [judge(voices[5 * n % len(voices)], _SEED + n, late_s) for n in range(_DESKS)]
        lower = np.concatenate([each[0] for each in found])
        lost = np.concatenate([each[1] for each in found])
        print(
            f"{title}: {_DESKS} desks\n"
            f"  spill lower by       {np.median(lower):5.1f} dB in the middle, {lower.min():.1f} at"
            f" least (bar {_BAR_DB:.0f}; under it {np.sum(lower < _BAR_DB)} of {len(lower)})\n"
            f"  clipped beginnings   {np.sum(lost > _CLIPPED_DB)} of {len(lost)} (bar 0), the worst"
            f" loses {lost.max():.1f} dB\n"
            f"  cost                 {np.median([each[2] for each in found]):.2f} ms a block of"
            " 10 ms"
        )


if __name__ == "__main__":
    main()
