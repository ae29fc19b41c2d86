"""What short sounds are read by before anything is compiled: the same as by the kernels."""

import json
import subprocess
import sys

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.chain import filters
from obsidian_wren.core.decibels import amplitude_db
from obsidian_wren.core.measure import levels
from obsidian_wren.core.measure.loudness import k_weighting_sections
from obsidian_wren.core.measure.short_peak import highest_between

RATE = 48_000
TIME = np.arange(RATE) / RATE
RANDOM = np.random.default_rng(5)
SOUNDS = {
    "noise": RANDOM.normal(0.0, 0.1, RATE),
    "a tone that peaks between samples": 0.5 * np.sin(2 * np.pi * RATE / 4 * TIME + np.pi / 4),
    "bursts": RANDOM.normal(0.0, 0.1, RATE) * (np.sin(2 * np.pi * 3 * TIME) > 0.9),
    "a click at the end": np.append(np.zeros(700), 0.5),
    "one sample": np.array([-0.25]),
    "silence": np.zeros(1000),
}


@pytest.mark.parametrize("name", SOUNDS)
def test_the_peak_between_samples_is_that_of_the_kernel(name):
    sound = SOUNDS[name]
    by_arrays = highest_between(sound, levels._PHASES[1:], levels._BOUND)
    assert amplitude_db(by_arrays) == pytest.approx(levels.true_peak_dbtp(sound), abs=1e-9)


@pytest.mark.parametrize(
    "sections",
    [
        k_weighting_sections(RATE),
        filters.highpass_sections(20.0, order=4, rate_hz=RATE),
        filters.lowpass_sections(9000.0, order=3, rate_hz=RATE),
        filters.band_section(filters.EqualizerBand("peak", 60.0, 9.0, 12.0), rate_hz=RATE)[None],
    ],
)
@pytest.mark.parametrize("name", SOUNDS)
def test_filters_by_one_transform_are_those_of_the_kernel(sections, name):
    sound = SOUNDS[name]
    by_kernel = filters.filtered(sections, sound)
    assert filters.filtered_by_spectrum(sections, sound) == pytest.approx(by_kernel, abs=1e-12)


READ = """
import json, sys
from obsidian_wren.cli import main
try:
    main(["read", "level", sys.argv[1], "--json"])
finally:
    print(json.dumps([n for n in ("numba", "scipy.fft", "scipy.signal") if n in sys.modules]))
"""


def test_a_short_sound_is_read_without_what_compiles_and_as_a_long_one_is(tmp_path):
    path = tmp_path / "sound.wav"
    soundfile.write(path, 0.3 * SOUNDS["noise"], RATE, subtype="FLOAT")
    told = subprocess.run(
        [sys.executable, "-c", READ, str(path)], capture_output=True, text=True, check=True
    ).stdout.splitlines()
    assert json.loads(told[-1]) == []
    read = json.loads("".join(told[:-1]))
    sound, _ = soundfile.read(path)
    assert read["true_peak_dbtp"] == round(levels.true_peak_dbtp(sound), 2)
    weighted = filters.filtered(k_weighting_sections(RATE), sound)
    lufs = -0.691 + 10.0 * np.log10(np.mean(weighted**2))
    assert read["loudness_lufs"] == pytest.approx(lufs, abs=0.05)
