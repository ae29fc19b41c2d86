"""What cleaning stands on: words and pauses, gate counts, noise reduction's gain and cost, the ring of rooms. Truth is made here."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec, late_share
from obsidian_wren.core.chain.short_time import ShortTime
from obsidian_wren.core.derive.gate import balance
from obsidian_wren.core.derive.gate_evidence import count, detector_levels_dbfs, distributions, gains_of
from obsidian_wren.core.derive.noise_reduction import profile_rows
from obsidian_wren.core.measure.artefacts import restlessness_db, speech_loss
from obsidian_wren.core.measure.decay import response_from_sweep, ring_of_response, ring_of_speech, sweep_signal
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.words import find_words, pauses_s, within
from obsidian_wren.standins import acoustics
from signals import RATE, noise, voice

STARTS = (0.5, 1.2, 1.75, 2.9, 4.0)
LENGTHS = (0.4, 0.3, 0.6, 0.25, 0.7)


def words_at(starts=STARTS, lengths=LENGTHS, *, peak=0.2, seconds=6.0, edge_s=0.01):
    """Bursts of speech-shaped noise with known edges."""
    rng = np.random.default_rng(3)
    sound = np.zeros(round(seconds * RATE))
    for start, length in zip(starts, lengths, strict=True):
        count_ = round(length * RATE)
        burst = acoustics.shaped_noise(count_, RATE, rng, ((80.0, -10.0), (200.0, 0.0), (3000.0, -12.0), (12_000.0, -30.0)))
        ramp = np.clip(np.minimum(np.arange(count_), count_ - np.arange(count_)) / (edge_s * RATE), 0.0, 1.0)
        first = round(start * RATE)
        sound[first : first + count_] += burst * ramp * peak / 3.0
    return sound


def test_words_are_found_where_they_are():
    sound = words_at() + noise(1e-4, 6.0)
    found = find_words(sound, rate_hz=RATE, room_dbfs=-75.0)
    assert len(found) == len(STARTS)
    for word, start, length in zip(found, STARTS, LENGTHS, strict=True):
        assert word.start_s == pytest.approx(start, abs=0.02)
        assert word.end_s == pytest.approx(start + length, abs=0.025)
    assert pauses_s(found) == pytest.approx([0.3, 0.25, 0.55, 0.85], abs=0.04)
    assert within(found, np.array([0.0, 0.6, 1.0, 1.9, 5.9])).tolist() == [False, True, False, True, False]


def test_a_knock_and_a_silent_take_are_no_words():
    knock = noise(1e-4, 3.0)
    knock[RATE : RATE + 200] += 0.01
    assert len(find_words(words_at() + np.pad(knock, (0, 3 * RATE)), rate_hz=RATE, room_dbfs=-75.0)) == len(STARTS)
    assert find_words(np.zeros(RATE), rate_hz=RATE, room_dbfs=-80.0) == ()
    assert not within((), np.array([1.0])).any()


def gate(**changes):
    return GateSpec(
        **{
            "threshold_dbfs": -50.0, "hysteresis_db": 4.0, "ratio": 100.0, "range_db": 30.0, "attack_ms": 0.5, "hold_ms": 50.0,
            "release_ms": 50.0, "look_ahead_ms": 0.5, "sidechain_hz": 80.0, **changes,
        }
    )  # fmt: skip


def counted(spec, talk, room, clicks=()):
    levels, step = detector_levels_dbfs(talk, spec.sidechain_hz, rate_hz=RATE)
    quiet, _ = detector_levels_dbfs(room, spec.sidechain_hz, rate_hz=RATE)
    words = find_words(talk, rate_hz=RATE, room_dbfs=-75.0)
    return count(spec, levels, quiet, step, words, np.array(clicks, dtype=float), rate_hz=RATE)


def test_a_gate_between_the_two_cuts_nothing_and_lets_nothing_through():
    found = counted(gate(), words_at() + noise(1e-4, 6.0), noise(1e-4, 10.0))
    assert (found.words, found.beginnings_cut, found.ends_cut) == (5, 0, 0)
    # It starts open and closes after its hold and release.
    assert found.room_let_through_s < 0.2
    assert found.room_s == pytest.approx(10.0, abs=0.01)


def test_words_with_soft_edges_are_cut_by_a_high_threshold_and_counted():
    """Two words of five begin 26 dB under the others for 80 ms, two end so for 120 ms."""
    sound = words_at()
    for start in (STARTS[1], STARTS[3]):
        sound[round(start * RATE) : round((start + 0.08) * RATE)] *= 0.05
    for start, length in ((STARTS[2], LENGTHS[2]), (STARTS[4], LENGTHS[4])):
        sound[round((start + length - 0.12) * RATE) : round((start + length) * RATE)] *= 0.05
    sound = sound + noise(1e-5, 6.0)
    harsh = counted(gate(threshold_dbfs=-28.0, hold_ms=0.0, release_ms=5.0), sound, noise(1e-4, 5.0))
    assert (harsh.words, harsh.beginnings_cut, harsh.ends_cut) == (5, 2, 2)
    gentle = counted(gate(threshold_dbfs=-60.0, hold_ms=150.0), sound, noise(1e-4, 5.0))
    assert (gentle.beginnings_cut, gentle.ends_cut) == (0, 0)


def test_clicks_that_open_the_gate_are_counted_with_the_room_they_let_in():
    room = noise(1e-4, 10.0)
    times = (1.0, 3.0, 5.0, 7.0)
    for at, height in zip(times, (0.2, 0.2, 0.002, 0.2), strict=True):
        room[round(at * RATE) : round(at * RATE) + 480] += height * noise(0.3, 0.01)
    found = counted(gate(threshold_dbfs=-45.0), words_at(), room, times)
    assert (found.clicks, found.clicks_let_through) == (4, 3)
    assert 3 * 0.06 < found.room_let_through_s < 3 * 0.25 + 0.2


def test_gains_of_evidence_are_those_of_the_running_stage():
    sound = words_at() + noise(1e-4, 6.0)
    spec = gate(look_ahead_ms=0.0)
    levels, step = detector_levels_dbfs(sound, spec.sidechain_hz, rate_hz=RATE)
    gains = gains_of(levels, spec, rate_hz=RATE)
    out = render([spec], sound, rate_hz=RATE)
    loud = np.abs(sound) > 1e-5
    at = np.minimum((np.arange(len(sound)) / RATE / step).astype(int), len(gains) - 1)
    told = gains[at][loud]
    acted = 20 * np.log10(np.abs(out[loud]) / np.abs(sound[loud]))
    # The gain glides between control points, so they may differ on the steep flanks only.
    assert np.percentile(np.abs(told - acted), 97) < 0.5
    assert not gains_of(levels, gate(on=False), rate_hz=RATE).any()


def test_the_threshold_balances_the_errors_as_they_are_weighed():
    decibels = np.arange(-100.0, 0.0)
    bell = lambda middle, width: np.exp(-0.5 * ((decibels - middle) / width) ** 2)  # noqa: E731
    speech, room = bell(-30.0, 6.0), bell(-54.0, 6.0)
    speech, room = speech / speech.sum(), room / room.sum()
    middle, cut, leaked = balance(speech, room, 0.5)
    assert middle == pytest.approx(-42.0, abs=1.0)
    assert cut == pytest.approx(leaked, abs=0.01)
    words_first, cut_less, leaked_more = balance(speech, room, 0.9)
    assert words_first < middle - 1.0
    assert cut_less < cut < leaked_more
    room_first, *_ = balance(speech, room, 0.2)
    assert room_first > middle + 0.5
    apart = balance(np.roll(speech, 5), np.roll(room, -20), 0.8)
    assert (apart[1], apart[2]) == pytest.approx((0.0, 0.0), abs=1e-3)


def test_distributions_share_out_all_the_time():
    sound = words_at() + noise(1e-4, 6.0)
    levels, step = detector_levels_dbfs(sound, 80.0, rate_hz=RATE)
    room, _ = detector_levels_dbfs(noise(1e-4, 5.0), 80.0, rate_hz=RATE)
    words = find_words(sound, rate_hz=RATE, room_dbfs=-75.0)
    speech_share, room_share = distributions(levels, room, step, words)
    assert speech_share.sum() == pytest.approx(1.0)
    assert room_share.sum() == pytest.approx(1.0)
    assert np.flatnonzero(room_share > 0.05).max() < np.flatnonzero(speech_share > 0.05).min()


FANS = {
    "white": ((10.0, 0.0), (20_000.0, 0.0)),
    "fan": ((10.0, -12.0), (40.0, 0.0), (120.0, -3.0), (300.0, -10.0), (1000.0, -22.0), (4000.0, -36.0), (20000.0, -55.0)),
    "rain": ((10.0, -60.0), (200.0, -30.0), (1000.0, -8.0), (3500.0, 0.0), (9000.0, -4.0), (20000.0, -16.0)),
    "pink": ((20.0, 0.0), (20_000.0, -30.0)),
}


@pytest.fixture(scope="module", params=FANS)
def reduced(request):
    """A dry voice, a steady noise 20 dB under it, and what 15 dB of reduction makes of both, apart and together."""
    clean = voice("passage")[: 30 * RATE]
    level = active_level(clean, rate_hz=RATE).level_dbfs - 3.0103 - 20.0
    drawn = acoustics.shaped_noise(len(clean) + 10 * RATE, RATE, np.random.default_rng(4), FANS[request.param])
    drawn *= 10 ** (level / 20) / np.sqrt(np.mean(drawn**2))
    rest, under = drawn[: 10 * RATE], drawn[10 * RATE :]
    spec = NoiseReductionSpec(15.0, profile_rows(noise_profile(rest, rate_hz=RATE)))
    return clean, rest, under, spec


def through_the_same_gains(spec, mixture, alone):
    """What the gains found on the mixture do to one part of it alone."""
    stage, kept = spec.build(rate_hz=RATE), []
    weigh = stage._weigh

    def watched(spectra):
        before = np.abs(spectra)
        weigh(spectra)
        kept.append(np.abs(spectra) / np.maximum(before, 1e-30))

    stage._weigh = watched
    stage.process(mixture)
    gains, at = np.concatenate(kept), 0
    frames = ShortTime(rate_hz=RATE, delay_s=0.008)

    def given(spectra):
        nonlocal at
        at += len(spectra)
        spectra *= gains[at - len(spectra) : at]

    return frames.process(alone, given)[frames.delay_samples :]


def test_a_steady_noise_falls_by_twelve_decibels_and_no_clear_band_of_the_voice_by_one(reduced):
    clean, rest, under, spec = reduced
    quiet = render([spec], rest, rate_hz=RATE)[RATE:]
    assert 10 * np.log10(np.mean(rest[RATE:] ** 2) / np.mean(quiet**2)) >= 12.0
    left = through_the_same_gains(spec, clean + under, clean)
    bands = [third_octaves(power_spectrum(x, rate_hz=RATE, frame_s=0.17)) for x in (clean[: len(left)], left, under)]
    changes = [b.level_dbfs - a.level_dbfs for a, b, n in zip(*bands, strict=True) if a.level_dbfs - n.level_dbfs >= 10.0]
    assert len(changes) >= 15
    assert max(np.abs(changes)) < 1.0


def test_what_is_left_of_the_noise_does_not_warble(reduced):
    _, rest, _, spec = reduced
    before = restlessness_db(rest[RATE:], rate_hz=RATE)
    after = restlessness_db(render([spec], rest, rate_hz=RATE)[RATE:], rate_hz=RATE)
    assert before == pytest.approx(5.6, abs=0.4)
    assert after < before + 1.0


def test_the_cost_read_from_a_real_take_is_the_true_one(reduced):
    clean, rest, under, spec = reduced
    told = speech_loss(clean + under, render([spec], clean + under, rate_hz=RATE), rest, rate_hz=RATE)
    assert told is not None
    assert told.loss_db < 1.0
    # A reduction without caution takes more, and that is told.
    dull = render([spec], clean + under, rate_hz=RATE) * 0.5
    assert speech_loss(clean + under, dull, rest, rate_hz=RATE).loss_db > 5.0
    assert speech_loss(under, under, under, rate_hz=RATE) is None


def room_answer(decay_s, direct_db, *, seconds=2.0, seed=1):
    """A direct impulse and an exponential tail of noise: the decay and the share are known."""
    at = np.arange(round(seconds * RATE)) / RATE
    tail = np.random.default_rng(seed).standard_normal(len(at)) * 10 ** (-3.0 * at / decay_s)
    tail[: round(0.005 * RATE)] = 0.0
    tail *= 10 ** (-direct_db / 20) / np.sqrt(np.sum(tail**2))
    tail[0] = 1.0
    return tail


@pytest.mark.parametrize("decay_s", [0.2, 0.5, 1.2])
@pytest.mark.parametrize("direct_db", [0.0, 10.0])
def test_decay_and_share_of_a_known_room(decay_s, direct_db):
    answer = np.concatenate([np.zeros(4800), room_answer(decay_s, direct_db), np.zeros(RATE)]) + noise(1e-7, 3.1)
    ring = ring_of_response(answer, rate_hz=RATE)
    assert ring.decay_s == pytest.approx(decay_s, rel=0.06)
    assert ring.ring_share_db == pytest.approx(-direct_db, abs=1.0)
    assert [octave.centre_hz for octave in ring.octaves] == [250, 500, 1000, 2000, 4000, 8000]
    assert all(octave.range == "T30" for octave in ring.octaves)


def test_several_claps_are_averaged_and_noise_shortens_the_range():
    one = room_answer(0.4, 6.0, seconds=1.9)
    claps = np.concatenate([np.zeros(9600), one, room_answer(0.4, 6.0, seconds=1.9, seed=2)])
    assert ring_of_response(claps, rate_hz=RATE).decay_s == pytest.approx(0.4, rel=0.06)
    noisy = ring_of_response(claps + noise(1.5e-4, len(claps) / RATE), rate_hz=RATE)
    assert noisy.decay_s == pytest.approx(0.4, rel=0.15)
    assert any(octave.range == "T20" for octave in noisy.octaves)
    assert ring_of_response(claps + noise(0.05, len(claps) / RATE), rate_hz=RATE) is None


def test_a_sweep_is_folded_back_into_the_room():
    sweep = sweep_signal(rate_hz=RATE, level=0.3)
    heard = np.convolve(np.pad(sweep, (2400, 2 * RATE)), room_answer(0.6, 3.0, seconds=1.5)[: RATE // 2])
    ring = ring_of_response(response_from_sweep(heard, sweep, rate_hz=RATE), rate_hz=RATE, method="sweep")
    assert ring.method == "sweep"
    assert ring.decay_s == pytest.approx(0.6, rel=0.12)


def test_words_that_end_in_a_room_tell_its_decay_roughly():
    starts = np.arange(0.5, 14.0, 0.9)
    dry = words_at(starts, np.full(len(starts), 0.3), seconds=16.0, edge_s=0.004)
    for decay_s in (0.25, 0.6):
        wet = scipy.signal.oaconvolve(dry, room_answer(decay_s, 6.0, seconds=0.8))[: len(dry)] + noise(2e-5, 16.0)
        found = ring_of_speech(wet, find_words(wet, rate_hz=RATE, room_dbfs=-85.0), rate_hz=RATE)
        assert found.method == "speech ends"
        assert found.decay_s == pytest.approx(decay_s, rel=0.4)
    assert ring_of_speech(dry[: 2 * RATE], find_words(dry[: 2 * RATE], rate_hz=RATE, room_dbfs=-85.0), rate_hz=RATE) is None


def test_the_ring_is_held_and_the_dry_voice_is_not():
    dry = words_at()
    wet = scipy.signal.oaconvolve(dry, room_answer(0.8, 0.0, seconds=1.2))[: len(dry)]
    spec = RingReductionSpec(12.0, 0.8, 0.0)
    pauses = slice(round(3.30 * RATE), round(3.9 * RATE))
    held = render([spec], wet, rate_hz=RATE)
    assert 10 * np.log10(np.mean(wet[pauses] ** 2) / np.mean(held[pauses] ** 2)) > 6.0
    inside = slice(round(0.5 * RATE), round(0.62 * RATE))
    assert 10 * np.log10(np.mean(held[inside] ** 2) / np.mean(wet[inside] ** 2)) > -2.0
    spoken = voice("passage")[: 10 * RATE]
    kept = render([RingReductionSpec(12.0, 0.25, -14.0)], spoken, rate_hz=RATE)
    assert abs(10 * np.log10(np.mean(kept**2) / np.mean(spoken**2))) < 0.3


def test_the_late_share_follows_decay_and_distance():
    assert 10 * np.log10(late_share(0.48, 100.0)) == pytest.approx(-6.0, abs=0.01)
    assert 10 * np.log10(late_share(0.48, 0.0)) == pytest.approx(-9.01, abs=0.01)
    assert late_share(0.2, 0.0) < late_share(1.0, 0.0)
