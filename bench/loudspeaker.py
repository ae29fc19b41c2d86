"""What a loudspeaker plays, taken out of the microphone: twenty drawn rooms for each row.

A voice of the system's generators is played by a small loudspeaker (a band of 180 Hz to 11 kHz,
with a mild nonlinearity), through a drawn room whose reverb is as strong as the direct sound, 0 to
300 ms late, by a clock within 50 ppm of the microphone's; what is looked at begins five seconds
after the first sound. In double talk another voice speaks all along; the far one stands 12 dB under
it, as where the mouth is three times as near, in a room 34 dB under it. The last row is a person
with headphones. The numbers of the canceller were chosen on other seeds and another far voice.
"""

from __future__ import annotations

import sys
import time
import warnings
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np
import scipy
import soxr
from pesq import pesq

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.learned import LearnedSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval
from voices import RATE, missing_generators, speak

SEEDS = range(1900, 1920)
FAR, NEAR = ("flite rms", "espeak f3", "flite kal16"), ("flite awb", "flite slt")
BLOCK = 480


def db(sound: Samples) -> float:
    return 10.0 * float(np.log10(np.mean(np.square(sound)) + 1e-20))


def way(rng: np.random.Generator, decay_s: float) -> Samples:
    count = round(1.2 * decay_s * RATE)
    late = rng.standard_normal(count) * 10.0 ** (-3.0 * np.arange(count) / RATE / decay_s)
    late /= np.sqrt(np.sum(np.square(late)))
    late[round(0.002 * RATE)] += 1.0
    band = scipy.signal.butter(2, [180.0, 11_000.0], "bandpass", fs=RATE, output="sos")
    return np.asarray(scipy.signal.sosfilt(band, late))


def heard_later(sound: Samples, late_s: float, ppm: float) -> Samples:
    """A sound as a microphone of another clock has it, by bandlimited interpolation."""
    fine = scipy.signal.resample(sound, 8 * len(sound))
    at = (np.arange(len(sound)) * (1.0 + ppm * 1e-6) - late_s * RATE) * 8.0
    return np.interp(at, np.arange(len(fine)), fine, left=0.0, right=0.0)


def scene(
    seed: int, *, decay_s: float, seconds: float, level_db: float, moved_s: float | None = None
) -> tuple[Samples, Samples, np.random.Generator]:
    """What is played, and what of it is heard at a level; after ``moved_s`` from elsewhere."""
    rng = np.random.default_rng(seed)
    far = speak(FAR[seed % len(FAR)], seconds)
    u = far / (4.0 * np.std(far))
    driven = 4.0 * np.std(far) * (u + 0.045 * u**2 - 0.075 * u**3)
    arrives = scipy.signal.oaconvolve(driven, way(rng, decay_s))[: len(far)]
    if moved_s is not None:
        other = scipy.signal.oaconvolve(driven, way(rng, decay_s))[: len(far)]
        share = np.clip((np.arange(len(far)) / RATE - moved_s) / 0.2, 0.0, 1.0)
        arrives = arrives * (1.0 - share) + other * share
    arrives = heard_later(arrives, rng.uniform(0.0, 0.3), rng.uniform(-50.0, 50.0))
    return far, arrives * 10.0 ** ((level_db - db(arrives)) / 20.0), rng


def through(heard: Samples, played: Samples) -> tuple[Samples, LoudspeakerRemoval]:
    removal = LoudspeakerRemoval(rate_hz=RATE)
    out = [
        removal.process(heard[at : at + BLOCK], played[at : at + BLOCK])
        for at in range(0, len(heard) - BLOCK + 1, BLOCK)
    ]
    whole = np.concatenate(out)[removal.delay_samples :]
    return np.concatenate([whole, np.zeros(len(heard) - len(whole))]), removal


def part(sound: Samples, first_s: float, last_s: float) -> Samples:
    return sound[round(first_s * RATE) : round(last_s * RATE)]


def quality(voice: Samples, heard: Samples) -> float:
    low = [soxr.resample(sound, RATE, 16_000) for sound in (voice, heard)]
    return float(pesq(16_000, *low, "wb"))


def told(values: list[float]) -> str:
    return f"{np.mean(values):.1f} dB on average, {np.min(values):.1f} at least"


def single_talk() -> None:
    for decay_s, bar in ((0.3, 25), (0.6, 18)):
        early, later, off = [], [], []
        for seed in SEEDS:
            played, arrives, rng = scene(seed, decay_s=decay_s, seconds=15.0, level_db=-32.0)
            room = rng.standard_normal(len(played)) * 1e-4
            left, removal = through(arrives + room, played)
            falls = [
                db(part(arrives, *span)) - db(part(left, *span))
                for span in ((5.3, 8.0), (9.0, 14.0))
            ]
            early.append(falls[0])
            later.append(falls[1])
            off.append(removal.lag_s is None)
        print(
            f"far voice alone, room of {decay_s} s: lower by {told(early)} after 5 s (bar {bar});"
            f" {told(later)} after 9 s; lag not found in {sum(off)} of {len(off)}"
        )


def double_talk() -> None:
    rows = []
    for seed in SEEDS:
        played, arrives, rng = scene(seed, decay_s=0.3, seconds=18.0, level_db=-38.0)
        room = rng.standard_normal(len(played)) * 1e-3
        said = speak(NEAR[seed % len(NEAR)], 10.0)
        voice = np.zeros(len(played))
        voice[7 * RATE : 17 * RATE] = said
        left, _removal = through(voice + arrives + room, played)
        rows.append(
            [
                quality(said, part(sound, 7.0, 17.0))
                for sound in (voice + room, voice + arrives + room, left)
            ]
        )
    without, heard, left_over = np.mean(rows, axis=0)
    print(
        f"double talk, PESQ of the near voice: {left_over:.2f}, untreated {heard:.2f}, without the"
        f" far one {without:.2f}: {without - left_over:.2f} less (bar 0.15)"
    )


def moved() -> None:
    before, after = [], []
    for seed in SEEDS:
        played, arrives, rng = scene(seed, decay_s=0.3, seconds=30.0, level_db=-32.0, moved_s=14.0)
        left, _removal = through(arrives + rng.standard_normal(len(played)) * 1e-4, played)
        for found, span in ((before, (9.0, 14.0)), (after, (24.0, 29.0))):
            found.append(db(part(arrives, *span)) - db(part(left, *span)))
    print(
        f"moved: {np.mean(before):.1f} dB before, {np.mean(after):.1f} dB ten seconds after:"
        f" {np.mean(before) - np.mean(after):.1f} dB less (bar 3)"
    )


def headphones() -> None:
    rows = []
    for seed in SEEDS[:4]:
        played, _arrives, rng = scene(seed, decay_s=0.3, seconds=10.0, level_db=-60.0)
        said = speak(NEAR[seed % len(NEAR)], 10.0)
        left, _removal = through(said + rng.standard_normal(len(said)) * 1e-4, played)
        rows.append(quality(said, left))
    print(f"a voice with headphones, while a far one plays, keeps PESQ {np.mean(rows):.2f}")


def cost() -> None:
    played, arrives, _rng = scene(SEEDS[0], decay_s=0.3, seconds=15.0, level_db=-32.0)
    removal, beside = (
        LoudspeakerRemoval(rate_hz=RATE),
        VoiceChain([LearnedSpec(24.0, -70.0, 24.0)], RATE),
    )
    spent: tuple[list[float], list[float]] = ([], [])
    for at in range(0, len(arrives) - BLOCK + 1, BLOCK):
        block = arrives[at : at + BLOCK]
        start = time.perf_counter()
        removal.process(block, played[at : at + BLOCK])
        middle = time.perf_counter()
        beside.process(block)
        spent[0].append(middle - start)
        spent[1].append(time.perf_counter() - middle)
    ours, learned = (1e3 * float(np.median(times)) for times in spent)
    print(
        f"a block of 10 ms, median: {ours:.3f} ms, mean {1e3 * np.mean(spent[0]):.3f} ms (bar 0.3"
        f" ms); the learned stage in turns with it {learned:.3f} ms"
    )
    print(f"delay {1e3 * removal.delay_samples / RATE:.1f} ms")


def main() -> None:
    warnings.filterwarnings("ignore")
    missing = missing_generators()
    if missing:
        print(f"not measured: {missing}")
        return
    single_talk()
    double_talk()
    moved()
    headphones()
    cost()


if __name__ == "__main__":
    main()
