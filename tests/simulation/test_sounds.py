"""Sound of our own making: sounds, does not clip, is the same every time, and joins end to
start."""

import numpy as np
import pytest

from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.simulation.sounds import CLIPS, clip, computer_sound, far_voice, music

RATES = (16_000, 48_000)


@pytest.mark.parametrize("rate_hz", RATES)
@pytest.mark.parametrize("make", [music, computer_sound])
def test_a_bed_is_stereo_and_sounds_all_the_way(make, rate_hz):
    sound = make(rate_hz)
    assert sound.shape[1] == 2
    assert np.abs(sound).max() < 0.3
    seconds = sound[: len(sound) // rate_hz * rate_hz].reshape(-1, rate_hz, 2)
    assert np.sqrt(np.mean(seconds**2, axis=(1, 2))).min() > 1e-3
    assert np.corrcoef(sound.T)[0, 1] < 0.99
    assert -35.0 < integrated_lufs(sound, rate_hz=rate_hz) < -15.0


def test_music_joins_end_to_start():
    sound = music(48_000)
    inside = np.abs(np.diff(sound, axis=0)).max()
    assert np.abs(sound[0] - sound[-1]).max() <= inside


@pytest.mark.parametrize("name", CLIPS)
def test_a_clip_is_short_and_dies_away(name):
    sound = clip(name, 48_000)
    assert 0.5 < len(sound) / 48_000 < 3.0
    assert np.abs(sound).max() == pytest.approx(0.5)
    assert np.abs(sound[-480:]).max() < 0.05


def test_the_voices_at_the_far_end_are_not_one():
    editor, crew = far_voice("editor", 48_000), far_voice("crew", 48_000)
    assert integrated_lufs(crew, rate_hz=48_000) - integrated_lufs(editor, rate_hz=48_000) > 3.0
    power, hz = np.abs(np.fft.rfft(editor)) ** 2, np.fft.rfftfreq(len(editor), 1.0 / 48_000)
    beside = power[(np.abs(hz - 100.0) > 2.0) & (np.abs(hz - 100.0) < 8.0)]
    assert power[np.abs(hz - 100.0) < 0.2].max() > 100.0 * np.median(beside)


def test_it_is_the_same_every_time():
    first = music(16_000).copy()
    music.cache_clear()
    assert np.array_equal(music(16_000), first)
