"""The live voice in headphones through the services."""

import struct
import time

import numpy as np
import pytest

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.service import live
from obsidian_wren.service.calibration import settings
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living, monitor, watching
from signals import RATE, sine


def pieces(stream):
    for chunk in stream:
        count, chain_ms, raw_gain, treated_gain = struct.unpack("<Ifff", chunk[:16])
        both = np.frombuffer(chunk[16:], "<f4").reshape(count, 2)
        yield both, chain_ms, raw_gain, treated_gain


def take(stream, count):
    return [next(stream) for _ in range(count)]


def test_nothing_live_cannot_be_heard(boathouse):
    with pytest.raises(Refused, match="Listen in, or start live"):
        monitor.put_on(boathouse)
    with pytest.raises(Refused, match="headphones are off"):
        monitor.leave_out(boathouse, ["gate"])


@pytest.mark.parametrize("heard_from", ["watch", "run"])
def test_what_is_live_is_heard_raw_and_treated(boathouse, heard_from):
    if heard_from == "watch":
        watching.start_watch(boathouse, "talk")
    else:
        living.start_run(boathouse)
    pair = monitor.put_on(boathouse)
    stream = pieces(pair.chunks())
    heard = take(stream, 60)
    sound = np.concatenate([both for both, *_ in heard])
    assert len(sound) >= 60 * 0.04 * RATE - 60
    assert np.ptp(sound[:, 0]) > 0.01
    assert not np.allclose(sound[:, 0], sound[:, 1])
    assert heard[-1][1] > 0
    monitor.take_off(boathouse, pair)
    assert sum(1 for _ in stream) <= 60
    assert live.current(boathouse).monitor is None
    (watching.stop_watch if heard_from == "watch" else living.stop_run)(boathouse)


def test_the_second_pair_takes_the_sound_over(boathouse):
    watching.start_watch(boathouse, "talk")
    first = monitor.put_on(boathouse)
    second = monitor.put_on(boathouse)
    assert list(first.chunks())[60:] == []
    monitor.take_off(boathouse, first)
    assert live.current(boathouse).monitor is second
    assert len(take(pieces(second.chunks()), 3)) == 3
    watching.stop_watch(boathouse)


def test_a_stage_is_left_out_in_the_headphones_alone():
    pair = monitor.LiveMonitor(
        {"gain": GainSpec(12.0), "limiter": LimiterSpec(-1.0, 100.0)}, (), RATE
    )
    sound = sine(500.0, -40.0, 1).reshape(-1, 2400)
    stream = pieces(pair.chunks())

    def ratio():
        out = []
        for block in sound:
            pair.hear(block)
            out.append(next(stream)[0])
        late = np.concatenate(out)[-9600:]
        return np.sqrt(np.mean(late[:, 1] ** 2) / np.mean(late[:, 0] ** 2))

    assert ratio() == pytest.approx(10 ** (12 / 20), rel=1e-3)
    pair.leave_out(["gain"])
    assert ratio() == pytest.approx(1.0, rel=1e-3)
    pair.follow({"gain": GainSpec(6.0), "limiter": LimiterSpec(-1.0, 100.0)})
    pair.leave_out([])
    assert ratio() == pytest.approx(10 ** (6 / 20), rel=1e-3)


def test_headphones_that_do_not_follow_lose_the_oldest_sound():
    pair = monitor.LiveMonitor({}, (), RATE)
    for number in range(1000):
        pair.hear(np.full(2400, number / 1000.0))
    first = next(pieces(pair.chunks()))[0]
    assert first[0, 0] == pytest.approx(0.94, abs=1e-6)


def test_the_headphones_follow_a_pin(boathouse):
    watching.start_watch(boathouse, "talk")
    pair = monitor.put_on(boathouse)
    stream = pieces(pair.chunks())

    def lift_db():
        both = np.concatenate([piece[0] for piece in take(stream, 50)])
        return 20.0 * np.log10(
            np.sqrt(np.mean(both[:, 1] ** 2)) / np.sqrt(np.mean(both[:, 0] ** 2))
        )

    before = lift_db()
    settings.change_setting(boathouse, "gain", "gain_db", value=-20.0, band=None, pinned=True)
    deadline = time.monotonic() + 20
    while (after := lift_db()) > before - 15.0 and time.monotonic() < deadline:
        pass
    assert after < before - 15.0
    watching.stop_watch(boathouse)
