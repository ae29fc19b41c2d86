"""Programs that listen, as their own pages set them."""

import numpy as np
import pytest

from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.simulation.listeners import StandInProgram
from obsidian_wren.simulation.players import Round, SecondMicrophone

RATE = 48_000


def program(kind="call", **settings):
    return StandInProgram(kind, "A program", ProgramSettings(**settings))


def through(listener, sound, size=480):
    start = listener.position
    for at in range(0, len(sound), size):
        listener.hear(sound[at : at + size, None])
        listener.play(size / RATE)
    return listener.heard_since(start)


def test_it_hears_after_its_buffer_and_keeps_what_it_hears():
    call = program(latency_ms=20.0, speaks=False)
    call.hear(np.ones((480, 1)))
    start = call.position
    call.hear(np.full((480, 1), 0.5))
    call.hear(np.full((480, 1), 0.25))
    assert np.array_equal(call.heard_since(start), np.concatenate([np.zeros(480), np.ones(480)]))


def test_both_sides_of_a_feed_are_folded():
    call = program(latency_ms=0.0, speaks=False)
    call.hear(np.tile([0.5, -0.25], (480, 1)))
    assert call.heard_since(0) == pytest.approx(0.125)


@pytest.mark.parametrize("ppm", [-500.0, 0.0, 200.0])
def test_its_clock_takes_what_it_says(ppm):
    call = program(drift_ppm=ppm)
    taken = sum(call.wants(0.01) for _ in range(6000))
    assert taken == pytest.approx(60 * RATE * (1.0 + ppm * 1e-6), abs=1.0)


def test_one_that_mistakes_a_rate_takes_another_than_it_keeps():
    call = program(rate_hz=44_100, takes_hz=48_000)
    assert (call.rate_hz, call.takes_hz) == (44_100, 48_000)
    assert sum(call.wants(0.01) for _ in range(100)) == 48_000


def test_switches_do_what_they_say():
    tone = 0.1 * np.sin(2 * np.pi * 300.0 * np.arange(RATE) / RATE)
    plain = through(program(latency_ms=0.0, speaks=False), tone)
    np.testing.assert_allclose(plain, tone, rtol=0, atol=1e-6)
    assert not through(program(muted=True, speaks=False), tone).any()
    assert through(program(upside_down=True, latency_ms=0.0, speaks=False), tone) == pytest.approx(
        -tone, abs=1e-6
    )
    assert not through(program(activation_dbfs=-10.0, latency_ms=0.0, speaks=False), tone).any()
    assert np.abs(
        through(program(activation_dbfs=-40.0, latency_ms=0.0, speaks=False), tone)[4800:]
    ).max() == pytest.approx(0.1, abs=1e-3)


def test_what_comes_back_is_someone_else_unless_it_lets_you_hear_yourself():
    call = program()
    assert call.gives_back
    back = np.concatenate([call.play(0.01) for _ in range(1000)])
    assert integrated_lufs(back, rate_hz=RATE) == pytest.approx(-26.0, abs=4.0)
    assert np.array_equal(
        call.returned_since(0)[-480:].astype(np.float32), back[-480:].astype(np.float32)
    )
    quiet = program(speaks=False)
    assert not quiet.gives_back
    assert not quiet.play(0.01).any()
    echoing = program(speaks=False, hears_itself=True, latency_ms=20.0)
    click = np.zeros(RATE // 2)
    click[0] = 1.0
    through(echoing, click)
    # Its buffer on the way there, and 80 ms back.
    assert np.abs(echoing.returned_since(0)).argmax() == pytest.approx(0.1 * RATE, abs=1)
    assert np.abs(echoing.returned_since(0)).max() == pytest.approx(0.5, abs=0.01)


def test_jitter_loses_packets_and_covers_them_up():
    def lost(jitter_ms):
        call = program(jitter_ms=jitter_ms)
        clean = program(jitter_ms=0.0)
        packets = [(call.play(0.02), clean.play(0.02)) for _ in range(500)]
        return np.mean([not np.array_equal(a, b) for a, b in packets])

    assert lost(0.0) == 0.0
    assert lost(10.0) < 0.01
    assert 0.01 < lost(40.0) < 0.2


def test_other_settings_take_hold_at_once():
    call = program()
    call.set(ProgramSettings(rate_hz=16_000))
    assert call.rate_hz == 16_000
    assert call.position == 0


def test_players_go_round_and_tell_a_sample_of_themselves():
    player = Round("music", RATE)
    first = player.read(1000)
    assert np.array_equal(player.sample(1000 / RATE), first)
    rest = player.read(len(player.sample(100.0)) - 1000)
    assert np.array_equal(player.read(1000), first)
    assert rest.shape[1] == 2
    second = SecondMicrophone(RATE)
    assert np.abs(second.read(RATE)).max() > 0.01
    second.close()
