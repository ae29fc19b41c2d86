"""Two people in one live run: each is lowered while only the other one talks."""

import numpy as np

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.marker import marker_codes
from obsidian_wren.core.mix.spill_gate import SpillGate
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.pace import Pacing
from obsidian_wren.voice.paths import VoicePath
from obsidian_wren.voice.run import LiveRun
from two_at_a_desk import RATE, S, both, desk, lost_db

UNCHANGED = (GainSpec(0.0),)


def run_of(heard, *, first=UNCHANGED):
    """A run of two people, and what it makes of each."""
    gate = SpillGate(*both(), rate_hz=RATE)
    kept = {"voice treated": [], "person treated": []}

    def tap(signals, mixed):
        for name, blocks in kept.items():
            blocks.append(signals[name].copy())

    paths = [
        VoicePath(key, Loop(heard[0], RATE), specs, least_delay_samples=gate.ahead_samples)
        for key, specs in (("voice", first), ("person", UNCHANGED))
    ]
    run = LiveRun(
        paths,
        [],
        {},
        [],
        ducking=Ducking(-40.0, 15.0, 250.0, 400.0),
        tell=lambda *_: None,
        pacing=Pacing(None, urgent=False),
        tap=tap,
        spill=gate,
    )
    return run, paths, kept


def step_through(run, heard, begin=0, end=None):
    for at in range(begin, len(heard[0]) if end is None else end, 480):
        run.step({"voice": heard[0][at : at + 480], "person": heard[1][at : at + 480]})


def test_who_does_not_talk_is_lowered_and_whole_from_the_first_sound():
    said, turn = desk().in_turn(16)
    mics, other = desk().heard(*said)
    run, paths, kept = run_of(mics)
    step_through(run, mics)
    late = paths[0].delay_samples
    for k, blocks in enumerate(kept.values()):
        treated = np.concatenate(blocks)[late:]
        gain = treated / np.where(np.abs(mics[k][:-late]) > 1e-6, mics[k][:-late], np.inf)
        quiet = turn[:-late] != k
        assert lost_db(other[k][:-late][quiet], gain[quiet]) > 12.0
        loud = np.abs(said[k]) > 0.01
        begins = 4 * S * (2 - k) + int(np.argmax(loud[4 * S * (2 - k) :]))
        cut = slice(begins, begins + round(0.05 * RATE))
        assert lost_db(mics[k][cut], gain[cut]) < 3.0


def test_a_slower_chain_gets_its_gains_later():
    """What the chain takes longer than is looked ahead is waited for, also where it changes."""
    said, _ = desk().in_turn(8)
    mics, _ = desk().heard(*said)
    run, paths, kept = run_of(mics)
    step_through(run, mics, 0, 2 * S)
    run.change_chain((GainSpec(0.0), LimiterSpec(0.0, 100.0)))
    step_through(run, mics, 2 * S)
    late = paths[0].delay_samples
    heard = np.concatenate(kept["voice treated"])
    # The first person talks for four seconds; then nothing of them is left but spill that is down.
    np.testing.assert_allclose(
        heard[3 * S + late : 4 * S], mics[0][3 * S : 4 * S - late], atol=2e-3
    )
    down = np.abs(heard[5 * S + late : 8 * S] / mics[0][5 * S : 8 * S - late])
    assert np.median(down) < 0.2


def test_a_marker_finds_both_up():
    said, _ = desk().in_turn(8)
    mics, _ = desk().heard(*said)
    run, paths, _ = run_of(mics)
    step_through(run, mics, 0, 3 * S)
    assert run._live(np.zeros(1))["lowered_db"][1] > 15.0
    kept = []
    run._tap = lambda signals, mixed: kept.append(signals["person treated"].copy())
    run.send_marker(marker_codes({}, -45.0, {}, rate_hz=RATE), lambda heard: None)
    step_through(run, mics, 3 * S, 3 * S + 9600)
    late = paths[1].delay_samples
    heard = np.concatenate(kept)[480:]
    np.testing.assert_allclose(heard, mics[1][3 * S + 480 - late : 3 * S + 9600 - late], atol=1e-9)
