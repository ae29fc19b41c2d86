"""The edge between our clock and another: an hour of drift on a fast clock, gaps that are
counted, the delay that is told."""

import numpy as np
import pytest

from obsidian_wren.core.mix.edge import Edge, Straight
from signals import sine

RATE = 8_000
BLOCK = 400


def taken(sound, ppm, *, jitter=0, from_hz=RATE, to_hz=RATE, channels=1, edge=None):
    """Push sound by our clock in blocks and take it by one that is off; gives what was taken,
    the edge, and the blocks' sizes."""
    edge = edge or Edge(from_hz=from_hz, to_hz=to_hz, channels=channels, waiting_s=0.02)
    rng = np.random.default_rng(3)
    out, owed = [], 0.0
    for at in range(0, len(sound) - BLOCK + 1, BLOCK):
        edge.push(np.repeat(sound[at : at + BLOCK, None], channels, axis=1))
        owed += BLOCK * to_hz / from_hz * (1.0 + ppm * 1e-6)
        count = int(owed) - (int(rng.integers(0, jitter + 1)) if jitter else 0)
        owed -= count
        out.append(edge.pull(count))
    return np.concatenate(out), edge


@pytest.mark.parametrize(("ppm", "minutes"), [(200.0, 60), (-200.0, 10)])
def test_an_hour_of_200_ppm_passes_without_a_gap_or_a_click(ppm, minutes):
    minute = np.tile(sine(400.0, -12.0, 1.0, rate_hz=RATE), 60)
    edge, worst, first = None, 0.0, True
    top = 10 ** (-12 / 20)
    # What a pure tone of this pitch does from one sample to the next but one; a click would do far
    # more.
    bound = (2.0 * np.pi * 400.0 / RATE) ** 2 * top
    for _ in range(minutes):
        out, edge = taken(minute, ppm, edge=edge)
        part = out[RATE:, 0] if first else out[:, 0]
        first = False
        worst = max(worst, float(np.abs(np.diff(part, 2)).max()))
    assert edge.dropouts == 0
    assert worst < 1.02 * bound
    assert edge.drift_ppm == pytest.approx(-ppm, abs=20.0)
    assert edge.delay_s == pytest.approx(0.02 + 64 / RATE, abs=0.01)


def test_uneven_taking_is_no_drift():
    _, edge = taken(np.tile(sine(400.0, -12.0, 1.0, rate_hz=RATE), 60), 0.0, jitter=40)
    assert edge.dropouts == 0
    assert abs(edge.drift_ppm) < 60.0


def test_what_is_taken_before_it_came_is_silence_and_counted():
    edge = Edge(from_hz=RATE, to_hz=RATE, channels=1, waiting_s=0.01)
    edge.push(np.full((BLOCK, 1), 0.5))
    got = edge.pull(3 * BLOCK)
    assert got.shape == (3 * BLOCK, 1)
    assert edge.dropouts == 1
    assert not got[-BLOCK:].any()


def test_what_nobody_takes_is_let_go_after_a_second():
    edge = Edge(from_hz=RATE, to_hz=RATE, channels=1)
    for _ in range(200):
        edge.push(np.zeros((BLOCK, 1)))
    assert edge.delay_s < 1.1


@pytest.mark.parametrize("to_hz", [4_000, 8_000, 16_000])
def test_the_delay_is_what_it_says(to_hz):
    sound = np.zeros(4 * RATE)
    sound[RATE] = 1.0
    out, edge = taken(sound, 0.0, to_hz=to_hz)
    came = np.abs(out[:, 0]).argmax() / to_hz
    assert came - 1.0 == pytest.approx(edge.delay_s, abs=0.003)


def test_both_channels_stay_in_step():
    out, _ = taken(np.tile(sine(400.0, -12.0, 1.0, rate_hz=RATE), 4), 150.0, channels=2)
    assert np.array_equal(out[:, 0], out[:, 1])


def test_a_listener_without_a_clock_gets_all_of_it_at_once():
    edge = Straight(from_hz=48_000, to_hz=48_000, channels=1)
    block = np.arange(480.0)[:, None]
    edge.push(block)
    assert np.array_equal(edge.pull(1), block)
    assert (edge.delay_s, edge.dropouts) == (0.0, 0)


def test_a_listener_without_a_clock_at_another_rate_hears_the_same_tone():
    edge = Straight(from_hz=44_100, to_hz=48_000, channels=1)
    sound = np.sin(2 * np.pi * 1000.0 * np.arange(44_100) / 44_100)
    heard = []
    for first in range(0, 44_100, 441):
        edge.push(sound[first : first + 441, None])
        heard.append(edge.pull(480)[:, 0])
    heard = np.concatenate(heard)[4800:43_200]
    at = np.arange(len(heard)) / 48_000
    base = np.stack([np.sin(2 * np.pi * 1000.0 * at), np.cos(2 * np.pi * 1000.0 * at)], axis=1)
    size, *_ = np.linalg.lstsq(base, heard, rcond=None)
    assert np.hypot(*size) == pytest.approx(1.0, abs=1e-3)
    assert np.sqrt(np.mean((heard - base @ size) ** 2)) < 1e-4
    assert edge.delay_s > 0.0
