import numpy as np
import pytest

from markers import arrived
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.mix.marker import (
    MarkerSearch,
    feed_path,
    marker_code,
    marker_level_dbfs,
    marker_sound,
)
from signals import RATE, voice

CHAIN = (
    EqualizerSpec(
        (EqualizerBand("peak", 900.0, -5.0, 0.8), EqualizerBand("high_shelf", 4000.0, 4.0, 0.7))
    ),
    GainSpec(10.0),
    LimiterSpec(-3.0, 100.0),
)
TALK = voice()[5 * RATE : 9 * RATE]
LEVEL = marker_level_dbfs(active_level(TALK, rate_hz=RATE).level_dbfs)


def with_marker(path, delay, gain=1.0):
    out = TALK.copy()
    code = marker_sound(path, level_dbfs=LEVEL, rate_hz=RATE)
    out[delay : delay + len(code)] += gain * code
    return out


@pytest.mark.parametrize("delay", [0, 960, 14_400])
@pytest.mark.parametrize("path", ["raw", "treated"])
def test_a_marker_far_under_talk_is_found_where_it_lies(path, delay):
    found = arrived(with_marker(path, delay), LEVEL)
    assert found.which == path
    one = found.raw or found.treated
    assert one.delay_samples == pytest.approx(delay, abs=2)
    assert one.level_db == pytest.approx(0.0, abs=2.0)
    assert not one.inverted


def test_the_marker_lies_24_db_under_the_voice():
    assert pytest.approx(LEVEL) == active_level(TALK, rate_hz=RATE).level_dbfs - 24.0


def test_through_the_chain_delay_and_level_are_those_of_the_chain():
    chain = VoiceChain(CHAIN, RATE)
    found = arrived(chain.process(with_marker("treated", 480)), LEVEL)
    assert found.which == "treated"
    assert found.treated.delay_samples == pytest.approx(480 + chain.delay_samples, abs=3)
    assert found.treated.level_db == pytest.approx(10.0 - 3.0, abs=4.0)


def test_both_and_neither_and_inverted():
    both = with_marker("raw", 500) + with_marker("treated", 700) - TALK
    assert arrived(both, LEVEL).which == "both"
    assert arrived(TALK, LEVEL).which == "neither"
    assert arrived(np.zeros(4 * RATE), LEVEL).which == "neither"
    assert arrived(with_marker("raw", 500, gain=-1.0), LEVEL).raw.inverted


def test_talk_alone_never_looks_like_a_marker():
    talk = voice()
    for start in range(0, 40, 3):
        part = talk[start * RATE : (start + 4) * RATE]
        assert arrived(part, LEVEL).which == "neither"


@pytest.mark.parametrize("rate", [16_000, 44_100, 96_000])
def test_codes_are_in_band_and_strangers_to_each_other(rate):
    raw, treated = marker_code("raw", rate_hz=rate), marker_code("treated", rate_hz=rate)
    assert np.mean(raw**2) == pytest.approx(1.0)
    power = np.abs(np.fft.rfft(raw)) ** 2
    hz = np.fft.rfftfreq(len(raw), 1 / rate)
    assert power[(hz > 250) & (hz < 3800)].sum() / power.sum() > 0.98
    assert abs(np.dot(raw, treated)) / len(raw) < 0.05


def test_every_feed_has_a_code_that_no_other_is_taken_for():
    for number in range(6):
        search = MarkerSearch(with_marker(feed_path(number), 900), rate_hz=RATE)
        found = [
            search.find(path, sent_level_dbfs=LEVEL)
            for path in ("raw", "treated", *(feed_path(n) for n in range(6)))
        ]
        assert [place for place, code in enumerate(found) if code is not None] == [2 + number]
        assert found[2 + number].delay_samples == pytest.approx(900, abs=2)


@pytest.mark.parametrize("ppm", [-80.0, 0.0, 60.0])
def test_a_clock_that_is_off_is_measured(ppm):
    quiet = with_marker("treated", 900)
    at = np.arange(0, len(quiet) - 200) * (1.0 - ppm * 1e-6)
    heard = np.interp(at, np.arange(len(quiet)), quiet)
    search = MarkerSearch(heard, rate_hz=RATE)
    found = search.find("treated", sent_level_dbfs=LEVEL)
    assert search.rate_error_ppm("treated", found) == pytest.approx(ppm, abs=25.0)


def test_a_second_arrival_is_told_from_one():
    once, twice = (
        with_marker("treated", 900),
        with_marker("treated", 900) + 0.5 * (with_marker("treated", 3300) - TALK),
    )
    for sound, apart in ((once, None), (twice, 2400.0)):
        search = MarkerSearch(sound, rate_hz=RATE)
        echo = search.find_echo("treated", search.find("treated", sent_level_dbfs=LEVEL))
        assert echo == (None if apart is None else pytest.approx(apart, abs=2))


@pytest.mark.parametrize("share", [0.1, 0.3, 0.45, 0.55, 0.7, 0.9])
@pytest.mark.parametrize("repeated", [False, True])
def test_a_piece_that_was_lost_or_repeated_on_the_way_is_no_second_arrival(share, repeated):
    sound = with_marker("treated", 4000)
    at = 4000 + round(share * 2.0 * RATE)
    went_on = at - 720 if repeated else at + 720
    heard = np.concatenate([sound[:at], sound[went_on:]])
    search = MarkerSearch(heard, rate_hz=RATE)
    first = search.find("treated", sent_level_dbfs=LEVEL)
    # Most of it lies where it was sent, or all but the beginning does.
    moved = (720 if repeated else -720) if share < 0.5 else 0
    assert first.delay_samples == pytest.approx(4000 + moved, abs=2)
    assert search.find_echo("treated", first) is None


# A narrow path: what is looked for is the same, and less of it.
NARROW_RATE = 8_000


@pytest.mark.parametrize("seconds", [2.1, 3.0, 3.5, 5.0, 6.5, 8.0, 10.0])
def test_a_clean_arrival_is_never_taken_for_a_second_code(seconds):
    rng = np.random.default_rng(round(10 * seconds))
    wrong = []
    for number in range(72):
        sent = ("raw", "treated", "feed 0", "feed 3")[number % 4]
        code = marker_sound(sent, level_dbfs=-40.0, rate_hz=NARROW_RATE)
        heard = rng.standard_normal(round(seconds * NARROW_RATE)) * 10.0 ** rng.uniform(-7.0, -4.0)
        delay = int(rng.integers(0, len(heard) - len(code)))
        heard[delay : delay + len(code)] += code
        search = MarkerSearch(heard, rate_hz=NARROW_RATE)
        paths = ("raw", "treated", "feed 0", "feed 1", "feed 3")
        found = {path: search.find(path, sent_level_dbfs=-40.0) for path in paths}
        there = [path for path, code in found.items() if code is not None]
        echo = search.find_echo(sent, found[sent]) if found[sent] else None
        if there != [sent] or echo is not None:
            wrong.append((sent, delay, there, echo))
    assert wrong == []


def dropped(sound, every, length, rng):
    """The sound without some pieces of it, or with some of them twice."""
    pieces = np.array_split(sound, len(sound) // every)
    return np.concatenate(
        [
            piece[length:] if rng.random() < 0.7 else np.concatenate([piece, piece[-length:]])
            for piece in pieces
        ]
    )


@pytest.mark.parametrize(("every_s", "seed"), [(0.6, 0), (0.3, 9)])
def test_a_marker_is_found_where_a_busy_machine_dropped_pieces_of_it(every_s, seed):
    rng = np.random.default_rng(seed)
    search = MarkerSearch(
        dropped(with_marker("treated", 4800), round(every_s * RATE), 480, rng), rate_hz=RATE
    )
    assert search.find("treated", sent_level_dbfs=LEVEL) is None
    found = search.find_with_gaps("treated", sent_level_dbfs=LEVEL)
    assert found is not None and not found.whole
    # Later pieces lie where gaps and repeats before them put them.
    assert found.delay_samples == pytest.approx(4800, abs=4 * 480)
    assert search.find_with_gaps("raw", sent_level_dbfs=LEVEL) is None


TONE = 0.05 * np.sin(2.0 * np.pi * 1000.0 * np.arange(round(3.5 * RATE)) / RATE)


@pytest.mark.parametrize(
    "heard",
    [
        TALK,
        dropped(TALK, RATE // 4, 480, np.random.default_rng(3)),
        TONE,
        dropped(TONE, RATE // 3, 480, np.random.default_rng(4)),
        np.concatenate([np.zeros(8000), TONE]),
    ],
    ids=["talk", "talk with gaps", "a tone", "a tone with gaps", "a tone that begins"],
)
def test_pieces_of_a_marker_are_not_found_where_there_is_none(heard):
    search = MarkerSearch(heard, rate_hz=RATE)
    for path in ("raw", "treated", *map(feed_path, range(8))):
        assert search.find_with_gaps(path, sent_level_dbfs=LEVEL) is None


@pytest.mark.parametrize("at", [500, 2_499, 60_000, 118_441])
@pytest.mark.parametrize("ends", [False, True])
def test_a_tone_that_begins_or_ends_near_the_edge_of_a_window_is_no_marker(at, ends):
    tone = 0.6 * TONE[: round(2.5 * RATE)]
    tone[at:] *= float(not ends)
    tone[:at] *= float(ends)
    # As devices give it.
    search = MarkerSearch(np.round(tone * 2.0**15) / 2.0**15, rate_hz=RATE)
    for path in ("raw", "treated", *map(feed_path, range(4))):
        assert search.find(path, sent_level_dbfs=LEVEL) is None
