"""The engine beside a native C++ effects library in one run, 10 ms blocks at 48 kHz.

The same stages in both: high-pass, gate, eight bells and shelves, low-pass, compressor, gain,
limiter. The library's limiter has no true-peak detection and no look-ahead, its gate no hysteresis
and no hold; ours have. Then the whole chain of ours, with plosives, de-esser, leveller and noise
reduction, which the library has no counterpart for, and blocks of 2.5 ms without noise reduction.
Prints medians, high percentiles, their ratio, and whether memory grew over ten minutes of blocks.
"""

from __future__ import annotations

import gc
import pathlib
import resource
import sys
import time

import numpy as np
import soundfile
import soxr

from native import BELLS, native
from obsidian_wren.core.chain.compressor import CompressorSpec
from obsidian_wren.core.chain.deesser import DeesserSpec
from obsidian_wren.core.chain.deplosive import DeplosiveSpec
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.leveller import LevellerSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.lowpass import LowpassSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.service.side_by_side import beside

RATE, BLOCK = 48_000, 480
TALK = pathlib.Path(__file__).resolve().parents[1] / "src/obsidian_wren/simulation/talker/talk.flac"
HISS = ((0.0, -105.0), (24_000.0, -105.0))


def talk() -> np.ndarray:
    samples, rate = soundfile.read(TALK)
    samples = soxr.resample(samples, rate, RATE)
    return samples * (0.25 / np.abs(samples).max())


def shared() -> dict[str, object]:
    bands = [EqualizerBand("peak", *bell) for bell in BELLS]
    bands += [
        EqualizerBand("low_shelf", 110, 2.0, 0.7),
        EqualizerBand("high_shelf", 8000, 3.0, 0.7),
    ]
    return {
        "highpass": HighpassSpec(80, 2),
        "gate": GateSpec(-48.0, 5.0, 100.0, 30.0, 1.0, 120.0, 150.0, 0.8, 20.0),
        "equalizer": EqualizerSpec(tuple(bands)),
        "lowpass": LowpassSpec(15_000, 2),
        "compressor": CompressorSpec(-24.0, 3.0, 6.0, 3.0, 120.0, 8.0, 20.0),
        "gain": GainSpec(3.0),
        "limiter": LimiterSpec(-3.0, 100.0),
    }


def whole() -> tuple[object, ...]:
    own = shared()
    return (
        own["highpass"],
        DeplosiveSpec(-24.0, 150.0, 18.0, 60.0),
        NoiseReductionSpec(12.0, HISS),
        own["gate"],
        own["equalizer"],
        own["lowpass"],
        DeesserSpec(6500.0, -32.0, 4.0, 6.0, 0.9),
        LevellerSpec(-24.0, 5.0, 2.5, -45.0),
        own["compressor"],
        own["gain"],
        own["limiter"],
    )


def told(name: str, times: np.ndarray) -> None:
    print(
        f"{name:34} median {np.median(times) / 1000:7.1f} µs   p99.9"
        f" {np.percentile(times, 99.9) / 1000:7.1f} µs"
    )


def short_blocks(sound: np.ndarray) -> None:
    specs = tuple(spec for spec in whole() if not isinstance(spec, NoiseReductionSpec))
    chain, count = VoiceChain(specs, RATE), 120
    times = np.empty(8000)
    for i in range(len(times)):
        at = i * count % (len(sound) - count)
        start = time.perf_counter_ns()
        chain.process(sound[at : at + count])
        times[i] = time.perf_counter_ns() - start
    told("2.5 ms, without noise reduction", times[400:])


def main() -> None:
    sound = talk() + np.random.default_rng(1).normal(0.0, 4e-4, len(talk()))
    blocks = [sound[i : i + BLOCK] for i in range(0, len(sound) - BLOCK, BLOCK)]
    single = [block.astype(np.float32) for block in blocks]
    chain, board, full = (
        VoiceChain(tuple(shared().values()), RATE),
        native(),
        VoiceChain(whole(), RATE),
    )
    rounds = 60_000 if "--short" not in sys.argv else 6_000
    mine, theirs, all_of_it = np.empty(rounds), np.empty(rounds), np.empty(rounds)
    for warm in range(400):
        chain.process(blocks[warm])
        full.process(blocks[warm])
        board.process(single[warm], RATE, buffer_size=BLOCK, reset=False)
    gc.collect()
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    # Turn by turn, so that whatever else the machine does meets all alike.
    for i in range(rounds):
        block, one = blocks[i % len(blocks)], single[i % len(blocks)]
        start = time.perf_counter_ns()
        chain.process(block)
        first = time.perf_counter_ns()
        board.process(one, RATE, buffer_size=BLOCK, reset=False)
        second = time.perf_counter_ns()
        full.process(block)
        all_of_it[i] = time.perf_counter_ns() - second
        mine[i], theirs[i] = first - start, second - first
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    print(f"blocks of 10 ms                    {rounds}  ({rounds / 6000:.0f} min of sound)")
    told("this engine, the stages of both", mine)
    told("native C++ library, the same", theirs)
    print(f"median, ours over theirs           {np.median(mine) / np.median(theirs):.2f}")
    told("whole chain with noise reduction", all_of_it)
    print(f"memory grown                       {grown} kB")
    print(
        f"delay, stages of both / whole      {chain.delay_samples / RATE * 1000:.2f} ms /"
        f" {full.delay_samples / RATE * 1000:.2f} ms"
    )
    short_blocks(sound)
    seconds = len(sound) / RATE
    speeds = []
    for _ in range(3):
        start = time.perf_counter()
        render(whole(), sound, rate_hz=RATE, beside=beside)
        speeds.append(seconds / (time.perf_counter() - start))
    print(
        f"offline, whole chain               {max(speeds):.0f} times real time (best of three;"
        f" {min(speeds):.0f} worst)"
    )


if __name__ == "__main__":
    main()
