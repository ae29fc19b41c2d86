"""Every stage: any block size the same, silence and nonsense harmless, delay as reported, static
curves and times as stated."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import BadSetting
from signals import RATE, noise, sine, voice

FLAT_NOISE = ((0.0, -100.0), (24_000.0, -100.0))
SETTINGS = {
    "hum": {
        "mains_hz": 50.0,
        "settle_s": 2.0,
        "lines": ((1, -50.0, -70.0), (2, -55.0, -70.0), (3, -60.0, -70.0)),
    },
    "learned": {"range_db": 24.0, "quiet_dbfs": -90.0, "under_voice_db": 24.0},
    "clicks": {"over_db": 5.0, "loudest_dbfs": -20.0, "range_db": 40.0},
    "highpass": {"frequency_hz": 80.0, "order": 3},
    "deplosive": {
        "threshold_dbfs": -25.0,
        "frequency_hz": 150.0,
        "range_db": 18.0,
        "release_ms": 60.0,
    },
    "noise_reduction": {"reduction_db": 15.0, "follow_s": 20.0, "profile": FLAT_NOISE},
    "ring_reduction": {"reduction_db": 10.0, "decay_s": 0.5, "ring_share_db": 0.0},
    "gate": {
        "threshold_dbfs": -45.0,
        "hysteresis_db": 5.0,
        "ratio": 100.0,
        "range_db": 30.0,
        "attack_ms": 1.0,
        "hold_ms": 100.0,
        "release_ms": 120.0,
        "look_ahead_ms": 1.0,
        "sidechain_hz": 100.0,
        "likelihood_db": 0.4,
    },
    "equalizer": {
        "bands": (
            EqualizerBand("peak", 400.0, -3.0, 1.2),
            EqualizerBand("high_shelf", 7000.0, 3.0, 0.7),
        )
    },
    "lowpass": {"frequency_hz": 15_000.0, "order": 2},
    "deesser": {
        "frequency_hz": 6500.0,
        "threshold_dbfs": -35.0,
        "ratio": 4.0,
        "range_db": 8.0,
        "q": 0.8,
    },
    "leveller": {"target_dbfs": -22.0, "range_db": 6.0, "speed_db_per_s": 2.0, "guard_dbfs": -45.0},
    "compressor": {
        "threshold_dbfs": -24.0,
        "ratio": 3.0,
        "knee_db": 6.0,
        "attack_ms": 5.0,
        "release_ms": 120.0,
        "makeup_db": 4.0,
        "sidechain_hz": 80.0,
    },
    "colour": {
        "drive_db": 6.0,
        "harmonics": 30.0,
        "echo_ms": 120.0,
        "echo": 20.0,
        "room_s": 0.5,
        "room": 20.0,
        "plate": 10.0,
        "ring_hz": 60.0,
        "ring": 10.0,
    },
    "gain": {"gain_db": 6.0},
    "limiter": {"ceiling_dbtp": -3.0, "release_ms": 100.0},
}


def spec(kind, **changes):
    return kind_of(kind).spec_class().from_settings({**SETTINGS[kind], **changes}, on=True)


CHAIN = tuple(spec(kind) for kind in SETTINGS)
SOUND = voice()[: 3 * RATE] + noise(1e-3, 3.0)


def pieces(chain, sound, sizes):
    at, out = 0, []
    while at < len(sound):
        size = sizes[len(out) % len(sizes)]
        out.append(chain.process(sound[at : at + size]))
        at += size
    return np.concatenate(out)


def test_every_stage_is_known_by_kind_title_and_parameters():
    assert tuple(KINDS) == tuple(SETTINGS)
    for kind, known in KINDS.items():
        assert {p.name for p in known.parameters} == set(SETTINGS[kind]) - {
            "bands",
            "profile",
            "lines",
        }
        for entry in known.parameters:
            assert entry.low < entry.high
            assert known.parameter(entry.name) is entry
            assert entry.low <= SETTINGS[kind][entry.name] <= entry.high
    with pytest.raises(KeyError):
        KINDS["gate"].parameter("colour")


@pytest.mark.parametrize("kind", SETTINGS)
def test_a_missing_setting_is_named(kind):
    name = next(iter(SETTINGS[kind]))
    with pytest.raises(BadSetting, match=name):
        kind_of(kind).spec_class().from_settings(
            {k: v for k, v in SETTINGS[kind].items() if k != name}, on=True
        )


@pytest.mark.parametrize("kind", SETTINGS)
@settings(max_examples=6, deadline=None)
@given(sizes=st.lists(st.integers(1, 8192), min_size=2, max_size=9))
def test_any_block_size_gives_the_same_output(kind, sizes):
    # Small blocks need no long sound to meet every join.
    sound = SOUND[: max(RATE // 2, 3000 * sum(sizes) // len(sizes))]
    whole = VoiceChain([spec(kind)], RATE).process(sound)
    assert np.abs(pieces(VoiceChain([spec(kind)], RATE), sound, sizes) - whole).max() <= 1e-9


def test_one_sample_at_a_time_is_the_same_chain():
    short = SOUND[:4000]
    assert (
        np.abs(
            pieces(VoiceChain(CHAIN, RATE), short, [1]) - VoiceChain(CHAIN, RATE).process(short)
        ).max()
        <= 1e-9
    )


@pytest.mark.parametrize("rate_hz", [16_000, 44_100, 96_000])
def test_every_stage_runs_at_other_rates(rate_hz):
    sound = voice(rate_hz=rate_hz)[:rate_hz]
    out = render(CHAIN, sound, rate_hz=rate_hz)
    assert len(out) == len(sound)
    assert np.isfinite(out).all()
    assert np.abs(out).max() > 0.01


@pytest.mark.parametrize("kind", SETTINGS)
def test_silence_stays_silence_and_a_faded_sound_ends(kind):
    chain = VoiceChain([spec(kind)], RATE)
    assert not chain.process(np.zeros(4800)).any()
    chain.process(SOUND[:RATE])
    for _ in range(400):
        tail = chain.process(np.zeros(4800))
    # Nothing so small is left that a processor would slow down over it.
    assert not ((np.abs(tail) > 0) & (np.abs(tail) < 1e-300)).any()
    assert np.abs(tail).max() < 1e-9


@pytest.mark.parametrize("kind", SETTINGS)
@pytest.mark.parametrize("bad", [np.nan, np.inf, -np.inf, 1e300])
def test_nonsense_never_leaves_and_the_sound_after_it_does(kind, bad):
    chain = VoiceChain([spec(kind)], RATE)
    chain.process(SOUND[:4800])
    broken = SOUND[4800:9600].copy()
    broken[100] = bad
    assert np.isfinite(chain.process(broken)).all()
    after = np.concatenate([chain.process(SOUND[i : i + 4800]) for i in range(9600, 96_000, 4800)])
    assert np.isfinite(after).all()
    assert np.abs(after[-48_000:]).max() > 0.01


@pytest.mark.parametrize(
    "kind", ["clicks", "learned", "noise_reduction", "ring_reduction", "gate", "limiter"]
)
def test_delay_is_as_reported(kind):
    """Settings that change nothing let a click through, later by exactly what the stage says."""
    idle = {
        "clicks": {"range_db": 0.0},
        "learned": {"range_db": 0.0, "quiet_dbfs": 0.0},
        "noise_reduction": {"reduction_db": 0.0},
        "ring_reduction": {"reduction_db": 0.0},
        "gate": {"threshold_dbfs": -90.0, "range_db": 0.0},
        "limiter": {},
    }[kind]
    chain = VoiceChain([spec(kind, **idle)], RATE)
    click = np.zeros(9600)
    click[3000] = 0.5
    out = chain.process(click)
    assert int(np.abs(out).argmax()) == 3000 + chain.delay_samples
    assert out[3000 + chain.delay_samples] == pytest.approx(0.5, abs=1e-9)


def test_the_chain_is_within_its_delay():
    cleaning = {
        "clicks": 0.014,
        "learned": 0.032,
        "noise_reduction": 0.012,
        "ring_reduction": 0.008,
    }
    without = [s for s in CHAIN if s.kind not in cleaning]
    assert VoiceChain(without, RATE).delay_samples / RATE <= 0.003
    for kind, longest_s in cleaning.items():
        stages = [s for s in CHAIN if s.kind == kind]
        assert 0.0 < VoiceChain(stages, RATE).delay_samples / RATE <= longest_s + 1e-4


def steady_gain_db(stage_spec, level_dbfs, hz=1000.0, seconds=1.5):
    tone = sine(hz, level_dbfs, seconds)
    out = render([stage_spec], tone, rate_hz=RATE)[
        round((seconds - 0.2) * RATE) : -round(0.05 * RATE)
    ]
    return 10 * np.log10(2 * np.mean(out**2)) - level_dbfs


@pytest.mark.parametrize("level", [-50.0, -30.0, -27.0, -24.0, -21.0, -18.0, -12.0, -3.0])
@pytest.mark.parametrize("ratio", [1.5, 3.0, 10.0])
def test_the_compressor_follows_its_static_curve(level, ratio):
    """Giannoulis et al. 2012, equation 4."""
    threshold, knee = -24.0, 6.0
    over = level - threshold
    slope = 1.0 - 1.0 / ratio
    if 2 * over <= -knee:
        wanted = 0.0
    elif 2 * over < knee:
        wanted = -slope * (over + knee / 2) ** 2 / (2 * knee)
    else:
        wanted = -slope * over
    stage = spec("compressor", ratio=ratio, makeup_db=2.0, sidechain_hz=20.0)
    assert steady_gain_db(stage, level) == pytest.approx(wanted + 2.0, abs=0.1)
    assert stage.curve_db(level) == pytest.approx(wanted, abs=1e-9)


@pytest.mark.parametrize("level", [-60.0, -50.0, -47.0, -45.5, -44.0, -30.0])
@pytest.mark.parametrize("ratio, span", [(2.0, 12.0), (3.0, 20.0), (100.0, 30.0)])
def test_gate_and_expander_follow_their_static_curve(level, ratio, span):
    stage = spec(
        "gate",
        ratio=ratio,
        range_db=span,
        sidechain_hz=20.0,
        hold_ms=0.0,
        hysteresis_db=0.0,
        release_ms=30.0,
    )
    under = -1e9 if ratio == 100.0 else (ratio - 1.0) * (level + 45.0)
    wanted = 0.0 if level >= -45.0 else max(-span, min(0.0, under))
    assert steady_gain_db(stage, level) == pytest.approx(wanted, abs=0.1)


def envelope_db(out, hz=4000.0):
    """Peak of each quarter of a millisecond, dB."""
    frame = RATE // 4000
    return 20 * np.log10(
        np.abs(out[: len(out) // frame * frame]).reshape(-1, frame).max(axis=1) + 1e-12
    )


def time_to_63_db(gain_db, start_s, first, last):
    """Seconds from the start until 63.2 % of the way from first to last."""
    goal = first + (last - first) * (1 - np.exp(-1))
    step = 1 / 4000
    at = round(start_s / step)
    crossed = np.flatnonzero((gain_db[at:] - goal) * np.sign(last - first) >= 0)[0]
    return crossed * step


@pytest.mark.parametrize("attack_ms, release_ms", [(8.0, 60.0), (20.0, 120.0), (40.0, 250.0)])
def test_the_compressors_times_are_to_63_percent(attack_ms, release_ms):
    stage = spec(
        "compressor",
        attack_ms=attack_ms,
        release_ms=release_ms,
        knee_db=0.0,
        ratio=4.0,
        makeup_db=0.0,
        sidechain_hz=20.0,
    )
    quiet, loud = 10 ** (-40 / 20), 10 ** (-4 / 20)
    level = np.concatenate([np.full(RATE, quiet), np.full(RATE, loud), np.full(2 * RATE, quiet)])
    tone = np.sin(2 * np.pi * 6000 * np.arange(len(level)) / RATE + 0.3) * level
    out = render([stage], tone, rate_hz=RATE)
    gain = envelope_db(out) - envelope_db(tone)
    held = -0.75 * 20.0
    assert time_to_63_db(gain, 1.0, 0.0, held) * 1000 == pytest.approx(attack_ms, rel=0.05)
    # Release begins when the detector lets go, 6 ms after the sound fell.
    assert time_to_63_db(gain, 2.006, held, 0.0) * 1000 == pytest.approx(release_ms, rel=0.05)


@pytest.mark.parametrize("hold_ms, release_ms", [(50.0, 60.0), (150.0, 200.0)])
def test_the_gate_holds_and_releases_as_stated(hold_ms, release_ms):
    stage = spec(
        "gate",
        hold_ms=hold_ms,
        release_ms=release_ms,
        hysteresis_db=5.0,
        sidechain_hz=20.0,
        range_db=30.0,
    )
    level = np.concatenate([np.full(RATE, 10 ** (-20 / 20)), np.full(2 * RATE, 10 ** (-60 / 20))])
    tone = np.sin(2 * np.pi * 6000 * np.arange(len(level)) / RATE + 0.3) * level
    gain = envelope_db(render([stage], tone, rate_hz=RATE)) - envelope_db(tone)
    begins = np.flatnonzero(gain[4100:] < -0.3)[0] / 4 + 25.0
    assert begins == pytest.approx(hold_ms + 6.0, abs=0.05 * hold_ms + 3.0)
    assert time_to_63_db(gain, 1.006 + hold_ms / 1000, 0.0, -30.0) * 1000 == pytest.approx(
        release_ms, rel=0.05
    )


def test_the_gate_opens_within_its_attack_and_before_the_word_with_look_ahead():
    stage = spec(
        "gate",
        attack_ms=2.0,
        look_ahead_ms=4.0,
        hysteresis_db=3.0,
        sidechain_hz=20.0,
        hold_ms=20.0,
        release_ms=20.0,
    )
    level = np.concatenate([np.full(RATE, 1e-4), np.full(RATE // 2, 0.1)])
    tone = np.sin(2 * np.pi * 6000 * np.arange(len(level)) / RATE + 0.3) * level
    gain = envelope_db(render([stage], tone, rate_hz=RATE)) - envelope_db(tone)
    at = 4000
    assert gain[at - 40] < -25.0
    assert gain[at + 2] > -2.0


def test_hysteresis_keeps_it_open_between_the_thresholds():
    stage = spec(
        "gate",
        threshold_dbfs=-40.0,
        hysteresis_db=6.0,
        hold_ms=10.0,
        release_ms=20.0,
        sidechain_hz=20.0,
    )

    def after(first_dbfs):
        tone = np.concatenate([sine(1000, first_dbfs, 1.0), sine(1000, -43.0, 1.0)])
        out = render([stage], tone, rate_hz=RATE)[-RATE // 4 : -2400]
        return 10 * np.log10(2 * np.mean(out**2)) + 43.0

    assert after(-20.0) == pytest.approx(0.0, abs=0.1)
    # Once closed it stays closed there: it has to be let fall under -46 first.
    closed = np.concatenate([sine(1000, -20, 0.5), sine(1000, -60, 0.5), sine(1000, -43, 1.0)])
    out = render([stage], closed, rate_hz=RATE)[-RATE // 4 : -2400]
    assert 10 * np.log10(2 * np.mean(out**2)) + 43.0 < -25.0


def test_rumble_does_not_open_the_gate():
    rumble = sine(30, -20.0, 2.0)
    stage = spec("gate", threshold_dbfs=-40.0, sidechain_hz=200.0, hold_ms=10.0, release_ms=20.0)
    out = render([stage], rumble, rate_hz=RATE)[-RATE // 2 : -2400]
    assert 10 * np.log10(2 * np.mean(out**2)) < -45.0


def test_the_deesser_cuts_its_band_by_what_stands_over_and_no_more():
    stage = spec("deesser", frequency_hz=6000.0, threshold_dbfs=-30.0, ratio=4.0, range_db=6.0)
    assert steady_gain_db(stage, -34.0, hz=6000) == pytest.approx(0.0, abs=0.1)
    assert steady_gain_db(stage, -26.0, hz=6000) == pytest.approx(-3.0, abs=0.15)
    assert steady_gain_db(stage, -10.0, hz=6000) == pytest.approx(-6.0, abs=0.1)
    assert steady_gain_db(stage, -10.0, hz=200) == pytest.approx(0.0, abs=0.1)


def test_the_deplosive_takes_a_burst_under_its_threshold_and_leaves_the_voice():
    stage = spec("deplosive", threshold_dbfs=-20.0, range_db=24.0, release_ms=40.0)
    quiet = sine(60, -30.0, 1.0)
    assert np.abs(render([stage], quiet, rate_hz=RATE) - quiet).max() < 1e-6
    loud = sine(40, 0.0, 1.0)
    out = render([stage], loud, rate_hz=RATE)[RATE // 2 :]
    assert 10 * np.log10(2 * np.mean(out**2)) == pytest.approx(-24.0, abs=1.0)
    assert steady_gain_db(stage, 0.0, hz=300) == pytest.approx(0.0, abs=0.5)
    both = voice()[:RATE] * 0.5
    assert np.abs(render([stage], both, rate_hz=RATE) - both).max() < 1e-3


def test_the_leveller_rides_at_its_speed_and_waits_in_pauses():
    stage = spec("leveller", target_dbfs=-20.0, range_db=9.0, speed_db_per_s=3.0, guard_dbfs=-45.0)
    soft = sine(500, -26.0, 6.0)
    out = render([stage], soft, rate_hz=RATE)
    rms = lambda a, b: 10 * np.log10(2 * np.mean(out[round(a * RATE) : round(b * RATE)] ** 2))  # noqa: E731
    assert rms(0.98, 1.02) == pytest.approx(-26.0 + 3.0, abs=0.2)
    assert rms(5.5, 5.9) == pytest.approx(-20.0, abs=0.1)
    pause = np.concatenate([sine(500, -26.0, 4.0), sine(500, -60.0, 6.0)])
    out = render([stage], pause, rate_hz=RATE)
    assert rms(4.3, 4.6) == pytest.approx(rms(9.5, 9.9), abs=0.05)
    assert rms(9.5, 9.9) == pytest.approx(-54.0, abs=0.5)
    far = render([stage], sine(500, -40.0, 8.0), rate_hz=RATE)[-RATE:]
    assert 10 * np.log10(2 * np.mean(far**2)) == pytest.approx(-31.0, abs=0.1)


@pytest.mark.parametrize("hz", [100, 1000, 4000, 5900, 8000, 12_000, 18_000])
def test_colour_folds_nothing_back(hz):
    """Harmonics of a sine lie at its multiples; whatever else is there has folded over Nyquist."""
    tone = sine(hz, -6.0, 1.0)
    only = {"echo": 0.0, "room": 0.0, "plate": 0.0, "ring": 0.0}
    out = render([spec("colour", drive_db=6.0, harmonics=100.0, **only)], tone, rate_hz=RATE)[
        RATE // 4 : RATE // 4 + 1 << 15
    ]
    out = out[: 1 << 14] * np.blackman(1 << 14)
    power = np.abs(np.fft.rfft(out)) ** 2
    found = np.fft.rfftfreq(1 << 14, 1 / RATE)
    own = np.zeros(len(found), dtype=bool)
    for k in range(1, 4):
        own |= np.abs(found - k * hz) < 20
    own |= found < 40
    assert 10 * np.log10(power[~own].sum() / power.sum()) < -60.0
    if hz == 1000:
        second = power[np.abs(found - 2 * hz) < 20].sum()
        assert 10 * np.log10(second / power.sum()) > -40.0


def test_colour_without_a_share_changes_nothing_and_ring_modulation_moves_a_tone():
    silent = dict.fromkeys(("harmonics", "echo", "room", "plate", "ring"), 0.0)
    assert np.array_equal(render([spec("colour", **silent)], SOUND, rate_hz=RATE), SOUND)
    out = render(
        [spec("colour", **{**silent, "ring": 100.0, "ring_hz": 100.0})],
        sine(1000, -6, 1.0),
        rate_hz=RATE,
    )
    level = np.abs(np.fft.rfft(out[:RATE] * np.hanning(RATE)))
    assert set(np.argsort(level)[-2:]) == {900, 1100}


def test_an_echo_comes_when_it_should_and_a_room_decays_in_its_time():
    silent = dict.fromkeys(("harmonics", "echo", "room", "plate", "ring"), 0.0)
    click = np.zeros(2 * RATE)
    click[100] = 1.0
    echo = render(
        [spec("colour", **{**silent, "echo": 50.0, "echo_ms": 200.0})], click, rate_hz=RATE
    )
    assert echo[100 + round(0.2 * RATE)] == pytest.approx(0.5)
    for name in ("room", "plate"):
        tail = render(
            [spec("colour", **{**silent, name: 100.0, "room_s": 0.6})], click, rate_hz=RATE
        )[101:]
        energy = np.cumsum(tail[::-1] ** 2)[::-1]
        decay = 10 * np.log10(energy / energy[0] + 1e-30)
        inside = (decay < -5) & (decay > -25)
        slope = np.polyfit(np.flatnonzero(inside) / RATE, decay[inside], 1)[0]
        # The low-passes in the loops make it somewhat shorter than its low frequencies are.
        assert 0.2 < -60 / slope < 0.65
