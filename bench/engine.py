"""The engine beside a native C++ effects library in one run: high-pass, eight bells and shelves, gain, limiter, 10 ms at 48 kHz.

The library's limiter has no true-peak detection and no look-ahead; ours has both. Prints medians, high percentiles, their ratio,
and whether memory grew over ten minutes of blocks.
"""

from __future__ import annotations

import pathlib
import resource
import sys
import time

import numpy as np
import pedalboard
import soundfile
import soxr

from obsidian_wren.core.chain.engine import VoiceChain, render
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec

RATE, BLOCK = 48_000, 480
TALK = pathlib.Path(__file__).resolve().parents[1] / "src/obsidian_wren/standins/talker/talk.flac"
BELLS = ((140, 2.0, 1.1), (260, -3.0, 1.4), (520, -2.0, 1.6), (1100, 1.5, 1.2), (2600, 2.5, 0.9), (4800, -2.0, 2.0))


def talk() -> np.ndarray:
    samples, rate = soundfile.read(TALK)
    samples = soxr.resample(samples, rate, RATE)
    return samples * (0.25 / np.abs(samples).max())


def ours() -> VoiceChain:
    bands = [EqualizerBand("peak", *bell) for bell in BELLS]
    bands += [EqualizerBand("low_shelf", 110, 2.0, 0.7), EqualizerBand("high_shelf", 8000, 3.0, 0.7)]
    return VoiceChain((HighpassSpec(80, 2), EqualizerSpec(tuple(bands)), GainSpec(13.0), LimiterSpec(-3.0, 100.0)), RATE)


def theirs() -> pedalboard.Pedalboard:
    # Its high-pass is of first order, so two of them stand for one of second.
    stages = [pedalboard.HighpassFilter(80), pedalboard.HighpassFilter(80)]
    stages += [pedalboard.PeakFilter(*bell) for bell in BELLS]
    stages += [pedalboard.LowShelfFilter(110, 2.0, 0.7), pedalboard.HighShelfFilter(8000, 3.0, 0.7)]
    return pedalboard.Pedalboard([*stages, pedalboard.Gain(13.0), pedalboard.Limiter(-3.0, 100.0)])


def main() -> None:
    sound = talk()
    blocks = [sound[i : i + BLOCK] for i in range(0, len(sound) - BLOCK, BLOCK)]
    single = [block.astype(np.float32) for block in blocks]
    chain, board = ours(), theirs()
    rounds = 60_000 if "--short" not in sys.argv else 6_000
    mine, native = np.empty(rounds), np.empty(rounds)
    for warm in range(200):
        chain.process(blocks[warm])
        board.process(single[warm], RATE, buffer_size=BLOCK, reset=False)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    # Turn by turn, so that whatever else the machine does meets both alike.
    for i in range(rounds):
        block, one = blocks[i % len(blocks)], single[i % len(blocks)]
        start = time.perf_counter_ns()
        chain.process(block)
        between = time.perf_counter_ns()
        board.process(one, RATE, buffer_size=BLOCK, reset=False)
        native[i] = time.perf_counter_ns() - between
        mine[i] = between - start
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    print(f"blocks of 10 ms              {rounds}  ({rounds / 6000:.0f} min of sound)")
    for name, times in (("this engine", mine), ("native C++ library", native)):
        print(f"{name:28} median {np.median(times) / 1000:7.1f} µs   p99.9 {np.percentile(times, 99.9) / 1000:7.1f} µs")
    print(f"median, ours over theirs     {np.median(mine) / np.median(native):.2f}")
    print(f"memory grown                 {grown} kB")
    print(f"delay of the chain           {chain.delay_samples / RATE * 1000:.2f} ms")
    start = time.perf_counter()
    render(chain.specification, sound, rate_hz=RATE)
    print(f"offline                      {len(sound) / RATE / (time.perf_counter() - start):.0f} times real time")


if __name__ == "__main__":
    main()
