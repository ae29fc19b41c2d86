"""What mixes cost as sources and listeners grow, and ten minutes of everything at once.

A voice through a chain into one mix is the measure; beside it, turn by turn, the same with 4 x 4, 8
x 8 and 16 x 16 sources and listeners, stereo, half of them ducked. Then a run of every source and
listener that ships, over a clock that is as fast as the machine, with a call whose clock is off by
200 ppm: gaps, what was learned of the clock, memory. Then the same at the pace of sound, alone,
beside a thread of the program that never waits, and beside it where the interpreter gives way as
late as it usually does. Then the recorder: an hour beside four minutes.
"""

from __future__ import annotations

import os
import resource
import sys
import tempfile
import threading
import time
from pathlib import Path

# As the program itself has it: the matrices are small, and more threads only spin.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixEngine, MixSend
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.simulation import sounds
from obsidian_wren.simulation.acoustics import talker_sound
from obsidian_wren.simulation.listeners import StandInProgram
from obsidian_wren.simulation.players import Round
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.pace import Pacing
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.voice.recorder import Recorder
from obsidian_wren.voice.records import BeginRecording, RecordedTrack
from obsidian_wren.voice.run import LiveRun

RATE = 48_000
COUNT = 480
DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)
CHAIN = (HighpassSpec(80.0, 2), GainSpec(6.0), LimiterSpec(-3.0, 100.0))
ROUNDS = 1500
MINUTES = 10
SIZES = (1, 4, 8, 16)


def engine_of(size: int) -> MixEngine:
    names = ["voice treated", *(f"source {n}" for n in range(1, size))]
    mixes = [
        Mix(
            f"listener {row}",
            tuple(
                MixSend(name, -6.0, 6.0 if place % 2 else 0.0) for place, name in enumerate(names)
            ),
            2,
            -3.0,
        )
        for row in range(size)
    ]
    return MixEngine(mixes, ducking=DUCKING, rate_hz=RATE)


def grow() -> None:
    voice = talker_sound("talk", RATE)
    rng = np.random.default_rng(5)
    engines = {size: engine_of(size) for size in SIZES}
    chains = {size: VoiceChain(CHAIN, RATE) for size in SIZES}
    others = rng.standard_normal((16, COUNT, 2)) * 0.05
    took: dict[int, list[float]] = {size: [] for size in SIZES}
    for number in range(ROUNDS):
        at = number * COUNT % (len(voice) - COUNT)
        block = voice[at : at + COUNT]
        for size in SIZES:
            begun = time.perf_counter()
            treated = chains[size].process(block)
            engines[size].process(
                {"voice treated": treated} | {f"source {n}": others[n] for n in range(1, size)}
            )
            took[size].append(time.perf_counter() - begun)
    alone = float(np.median(took[1][100:]))
    for size in SIZES:
        here = np.array(took[size][100:]) * 1e6
        print(
            f"{size:2d} sources into {size:2d} mixes   median {np.median(here):7.0f} µs   p99"
            f" {np.percentile(here, 99):7.0f} µs   {np.median(here) / alone / 1e6:5.1f} times one"
            " voice alone"
        )


def memory_kb() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() // 1024


def run_of_everything(pacing: Pacing) -> tuple[LiveRun, Loop, list[Seat]]:
    kinds = ("call", "game chat", "stream", "headphones", "second computer")
    settings = {
        "call": ProgramSettings(drift_ppm=200.0),
        "game chat": ProgramSettings(rate_hz=24_000, narrow_band=True, drift_ppm=-200.0),
    }
    programs = {
        kind: StandInProgram(kind, kind, settings.get(kind, ProgramSettings())) for kind in kinds
    }
    seats = [
        Seat(kind, n, programs[kind], own_feed=None, rate_hz=RATE, channels=2)
        for n, kind in enumerate(kinds)
    ]
    returns = [ReturnPath(kind, programs[kind], rate_hz=RATE) for kind in ("call", "game chat")]
    sends = ("voice treated", "music", "computer", "return-call", "return-game chat")
    mixes = [
        Mix(
            kind,
            tuple(
                MixSend(s, -6.0, 6.0 if s in ("music", "computer") else 0.0)
                for s in sends
                if s != f"return-{kind}"
            ),
            2,
            -3.0,
        )
        for kind in kinds
    ]
    stream = Loop(talker_sound("talk", RATE), RATE)
    run = LiveRun(
        [VoicePath("voice", stream, CHAIN)],
        seats,
        {},
        mixes,
        players={"music": Round("music", RATE), "computer": Round("computer", RATE)},
        returns=returns,
        ducking=DUCKING,
        tell=lambda *_: None,
        pacing=pacing,
    )
    sounds.far_voice("crew", 24_000)
    return run, stream, seats


def everything() -> None:
    run, stream, seats = run_of_everything(Pacing(None))
    took, first = np.zeros(MINUTES * 6000), 0
    for number in range(MINUTES * 6000):
        block = stream.read(COUNT)
        begun = time.perf_counter()
        run.step({"voice": block})
        took[number] = time.perf_counter() - begun
        if number == 6000:
            first = memory_kb()
    here = took[500:] * 1e3
    edges = {seat.key: seat.edge for seat in seats}
    print(
        f"everything at once, {MINUTES} min   median {np.median(here):.2f} ms   p99.9"
        f" {np.percentile(here, 99.9):.2f} ms of 10 ms"
    )
    print(f"gaps                          {run.dropouts}")
    print(
        f"clocks off by 200 and -200    learned {-edges['call'].drift_ppm:.0f} and"
        f" {-edges['game chat'].drift_ppm:.0f} ppm"
    )
    print(f"memory grown after a minute   {memory_kb() - first} kB")


def beside_a_busy_thread() -> None:
    usual_s = sys.getswitchinterval()
    for title, switch_s, busy in (
        ("alone", None, False),
        ("beside a busy thread", None, True),
        ("the same, giving way late", usual_s, True),
    ):
        run, _, _ = run_of_everything(Pacing(1.0, urgent=True))
        ended = threading.Event()
        run.start()
        time.sleep(1.0)
        if switch_s is not None:
            sys.setswitchinterval(switch_s)
        if busy:
            threading.Thread(target=spin, args=(ended,), daemon=True).start()
        time.sleep(12.0)
        print(f"{title:28s}  {run.load:5.2f} of its time   {run.dropouts} gaps in 12 s")
        ended.set()
        run.stop()
        sys.setswitchinterval(usual_s)


def spin(ended: threading.Event) -> None:
    count = 0
    while not ended.is_set():
        count += 1


def recorder() -> None:
    talk = talker_sound("talk", RATE)
    with tempfile.TemporaryDirectory() as folder:
        grown = {}
        for minutes in (4, 60):
            before = memory_kb()
            track = RecordedTrack("raw", "raw", "voice raw")
            asked = BeginRecording("", "", folder, f"{minutes}", (track,))
            held = Recorder(asked, rate_hz=RATE, tell=lambda *_: None)
            most = before
            for second in range(minutes * 60):
                at = second * RATE % (len(talk) - RATE)
                for place in range(0, RATE, 4800):
                    held.tap({"voice raw": talk[at + place : at + place + 4800]}, {})
                while held._queue.qsize() > 100:
                    time.sleep(0.001)
                most = max(most, memory_kb())
            held.stop()
            grown[minutes] = most - before
        print(
            f"memory of the recorder        4 min: {grown[4]} kB, 1 h: {grown[60]} kB more than"
            " before"
        )


if __name__ == "__main__":
    grow()
    everything()
    beside_a_busy_thread()
    recorder()
