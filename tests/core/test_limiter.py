import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from obsidian_wren.core.chain.between_samples import (
    BOUND,
    FOLDED,
    PHASES,
    SHARP,
    local_peaks,
    raise_to_peaks,
)
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import (
    Limiter,
    LimiterSpec,
    limiter_gains,
)
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.highest import highest
from obsidian_wren.core.measure.levels import (
    between_bound,
    interpolator,
    may_pass,
    true_peak_dbtp,
)
from signals import RATE, noise, sine, voice


@pytest.mark.parametrize("gain_db", [0.0, 9.0, 20.0])
def test_gains_solved_ahead_are_those_of_the_running_limiter(gain_db):
    """The delivery rule solves with limiter_gains; the engine must then do the same to the
    sample."""
    sound = voice()[: 8 * RATE]
    gains = limiter_gains(
        local_peaks(sound), gain_db=gain_db, ceiling_dbtp=-3.0, release_s=0.1, rate_hz=RATE
    )
    out = render([GainSpec(gain_db), LimiterSpec(-3.0, 100.0)], sound, rate_hz=RATE)
    assert out == pytest.approx(sound * 10 ** (gain_db / 20) * gains, abs=1e-9)


def test_local_peaks_cover_samples_and_what_lies_between():
    sound = noise(0.1, 0.5)
    peaks = local_peaks(sound)
    assert (peaks >= np.abs(sound) - 1e-12).all()
    assert 20 * np.log10(peaks.max()) == pytest.approx(true_peak_dbtp(sound), abs=0.15)


def test_the_interpolator_passes_dc_and_the_samples_themselves():
    rows = interpolator(8, 32)
    assert rows.sum(axis=1) == pytest.approx(np.ones(8))
    assert rows[0] == pytest.approx(np.eye(32)[15], abs=1e-12)


def test_release_takes_its_time_to_63_percent():
    """A burst over a quiet tone: a release time after the burst the gain has come back by 63 %
    of what was taken."""
    sound = np.full(2 * RATE, 0.05)
    sound[RATE // 2 : RATE // 2 + 200] = 1.0
    limiter = Limiter(ceiling_dbtp=-12.0, release_s=0.2, rate_hz=RATE)
    gain = limiter.process(sound)[limiter.delay_samples :] / sound[: -limiter.delay_samples]
    lowest = gain.min()
    at = RATE // 2 + 200 + round(0.2 * RATE)
    assert (gain[at] - lowest) / (1 - lowest) == pytest.approx(0.63, abs=0.04)
    assert gain[: RATE // 2 - 200] == pytest.approx(1.0)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.floats(-20, -1), st.floats(0.02, 0.5), st.floats(0, 24))
def test_the_ceiling_holds_for_any_band_limited_sound(seed, ceiling, release, drive_db):
    """Sound as a converter gives it, nothing above 20 kHz, at any drive, ceiling and release."""
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft(rng.standard_normal(RATE // 2) * rng.choice([0.02, 1.0], RATE // 2))
    spectrum[np.fft.rfftfreq(RATE // 2, 1 / RATE) > 20_000] = 0
    sound = np.fft.irfft(spectrum) * 0.3 * 10 ** (drive_db / 20)
    out = render([LimiterSpec(ceiling, 1000.0 * release)], sound, rate_hz=RATE)
    assert true_peak_dbtp(out) <= ceiling + 0.02


def test_deepest_gain_is_told():
    limiter = Limiter(ceiling_dbtp=-6.0, release_s=0.1, rate_hz=RATE)
    limiter.process(noise(0.01, 0.1))
    assert limiter.gain_db == 0.0
    limiter.process(sine(997, 0.0, 1.0))
    assert limiter.gain_db == pytest.approx(-6.3, abs=0.1)


def worst_cases():
    """What gets between samples, or changes faster than a few phases can see: sines, clicks,
    alternations, random signs."""
    count = RATE // 2
    at = np.arange(count)
    rng = np.random.default_rng(3)
    cases = {
        f"sine {hz}": np.sin(2 * np.pi * hz * at / RATE + phase)
        for hz, phase in (
            (11_999, 0.3),
            (12_000, np.pi / 4),
            (16_000, np.pi / 4),
            (19_997, 0.1),
            (23_000, 1.0),
        )
    }
    cases["alternation that begins at once"] = np.where(at < 1000, 0.0, np.where(at % 2, 1.0, -1.0))
    bursts = np.zeros(count)
    for start in range(500, count - 100, 300):
        bursts[start : start + 5] = (1, -1, 1, -1, 1)
    cases["short alternations"] = bursts
    cases["lone clicks"] = (at % 997 == 0).astype(float)
    cases["pairs of clicks"] = (at % 997 == 1).astype(float) - (at % 997 == 2)
    cases["random"] = rng.uniform(-1, 1, count)
    cases["random signs"] = np.sign(rng.standard_normal(count))
    cases["square"] = np.sign(np.sin(2 * np.pi * 441.3 * at / RATE))
    return cases


@pytest.mark.parametrize("name", worst_cases())
@pytest.mark.parametrize("drive_db", [0.0, 12.0])
@pytest.mark.parametrize("ceiling", [-1.0, -3.0])
def test_the_ceiling_holds_on_the_worst_of_sounds(name, drive_db, ceiling):
    sound = worst_cases()[name] * 10 ** (drive_db / 20)
    assert true_peak_dbtp(render([LimiterSpec(ceiling, 100.0)], sound, rate_hz=RATE)) <= ceiling


@pytest.mark.parametrize("hz", [1_000, 12_000, 16_300, 17_500, 19_000, 20_500, 22_000])
def test_high_sounds_are_held_no_lower_than_low_ones(hz):
    sound = sine(hz, 3.0, 1.0)
    out = render([LimiterSpec(-3.0, 100.0)], sound, rate_hz=RATE)[RATE // 4 : -RATE // 4]
    amplitude_db = 10 * np.log10(2.0 * np.mean(out**2))
    assert -3.6 <= amplitude_db <= -2.95


@pytest.mark.parametrize("sharp", [PHASES, SHARP], ids=["four times", "sharp"])
def test_nothing_between_samples_passes_what_bounds_it(sharp):
    rng = np.random.default_rng(3)
    bound = between_bound(sharp)
    taps = sharp.shape[1]
    worst = np.sign(sharp[np.abs(sharp).sum(axis=1).argmax()])
    sounds = [
        np.cumsum(rng.normal(size=400)),
        rng.normal(size=400),
        sine(1000.0, 0.0, 0.02),
        np.cos(np.pi * np.arange(400)) * np.linspace(0.0, 1.0, 400),
        np.concatenate([np.zeros(taps), worst, np.zeros(taps)]),
    ]
    for sound in sounds:
        between = max(np.abs(np.convolve(sound, row[::-1], "valid")).max() for row in sharp)
        assert not may_pass(sound, 3.0 * np.abs(sound).max(), bound)
        assert may_pass(sound, between * (1.0 - 1e-9), bound)
    # What it is for: a voice that stays under the ceiling is not looked at between its samples.
    assert not may_pass(sine(1000.0, -1.0, 0.1), 1.0, bound)


@pytest.mark.parametrize("over_db", [-1.0, -1e-3, 1e-3, 1.0, 9.0])
@pytest.mark.parametrize("name", ["noise", "talk", "14 kHz", "20 kHz", "22.5 kHz", "23.5 kHz"])
def test_every_peak_that_passes_a_ceiling_is_found_whatever_is_passed_over(name, over_db):
    sound = {"noise": noise(0.1, 0.3), "talk": voice()[5 * RATE : 6 * RATE]}.get(name)
    if sound is None:
        sound = sine(1000.0 * float(name.split()[0]), 0.0, 0.3, phase=0.4)
    peaks = local_peaks(sound)
    ceiling = peaks.max() * 10.0 ** (-over_db / 20.0)
    found = np.zeros(len(sound))
    raise_to_peaks(np.pad(sound, (15, 16)), FOLDED, SHARP, BOUND, ceiling, found)
    over = peaks > ceiling
    assert over.any() == (over_db > 0.0)
    assert found[over] == pytest.approx(peaks[over], rel=1e-12)
    assert (found[~over] <= ceiling).all()


@pytest.mark.parametrize("count", [0, 1, 7, 8, 21, 64])
def test_the_highest_of_samples_is_found_wherever_it_stands(count):
    sound = np.random.default_rng(count).uniform(-0.5, 0.5, count)
    assert highest(sound) == np.abs(sound).max(initial=0.0)
    for at in range(count):
        assert highest(np.where(np.arange(count) == at, -0.75, sound)) == 0.75
