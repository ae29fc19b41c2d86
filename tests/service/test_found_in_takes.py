"""What is found in takes is said where a person looks before a step is confirmed."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.setup import confirming
from obsidian_wren.service.takes import from_file
from rigging import change, use_boathouse
from shown import overview, shows
from signals import RATE, babble, noise, room, voice


@pytest.fixture
def keep(app, tmp_path):
    use_boathouse(app)
    change(app, source="file")

    def go(purpose, sound):
        path = tmp_path / f"{purpose}.wav"
        soundfile.write(path, sound, RATE, subtype="PCM_24")
        from_file.keep_file(app, purpose, path, channel=None)
        return overview(app)

    go.app = app
    return go


def talk(seed=3):
    return voice("talk") + room(2e-4, len(voice("talk")) / RATE, seed=seed)


def test_a_slam_is_told_at_the_take_and_left_out_of_its_level(keep):
    slammed = room(2e-4)
    slammed[5 * RATE : 5 * RATE + RATE // 3] += noise(0.2, 1 / 3)
    shown = keep("rest", slammed)
    (take,) = shown.takes
    assert "it is left out" in " ".join(take.notes)
    assert shown.quiet.rms_dbfs == pytest.approx(20 * np.log10(2e-4) + 3.01, abs=0.4)


def test_a_quiet_take_at_another_gain_is_told_in_gain_and_moved(keep):
    """Nobody said that the gain was turned: the pauses of the talk tell."""
    keep("rest", room(2e-4))
    whole = keep("talk", talk())
    assert [cause.code for cause in whole.voice_causes] == []
    keep("rest", room(2e-4 * 10 ** (-15 / 20), seed=8))
    shown = keep("talk", talk())
    (cause,) = shown.voice_causes
    assert cause.code == "floor_mismatch"
    assert "the gain was changed" in cause.evidence
    floors = [each.clean.noise_reduction.floor_dbfs_a for each in (whole, shown)]
    assert floors[1] == pytest.approx(floors[0], abs=1.5)


def test_a_short_passage_says_how_much_is_enough(keep):
    keep("rest", room(2e-4))
    sound = voice("passage")[: 8 * RATE] + room(2e-4, 8.0, seed=4)
    shown = keep("passage", sound)
    (take,) = [take for take in shown.takes if take.purpose == "passage"]
    assert "show little of your tone" in " ".join(take.notes)


def test_music_under_the_talk_is_told_and_asked_about(keep, app):
    keep("rest", room(2e-4))
    at = np.arange(len(voice("talk"))) / RATE
    notes = 220.0 * 2.0 ** (np.array([0, 4, 7, 2, 9])[(at / 0.4).astype(int) % 5] / 12.0)
    tune = sum(np.sin(2.0 * np.pi * k * np.cumsum(notes) / RATE) / k for k in (1, 2, 3))
    shown = keep("talk", talk() + 3e-3 * tune)
    (cause,) = [cause for cause in shown.voice_causes if cause.code == "music_in_talk"]
    assert cause.spoils
    (asked,) = [step.asks for step in shown.steps if step.asks]
    assert "There is music under your voice" in asked
    confirming.confirm_step(app, "quiet")
    with pytest.raises(Refused, match="There is music"):
        confirming.confirm_step(app, "gain")
    confirming.confirm_step(app, "gain", anyway=True)
    steps = {step.name: step.status for step in shows(app, "steps")}
    assert steps["gain"] == "confirmed"


def test_two_rates_are_told(keep, app, tmp_path):
    keep("talk", talk())
    path = tmp_path / "other.wav"
    soundfile.write(path, room(2e-4, 10.0), 44_100, subtype="PCM_24")
    from_file.keep_file(app, "rest", path, channel=None)
    found = {cause.code: cause for cause in shows(app, "voice_causes")}
    assert "44.1 kHz" in found["rate_mismatch"].evidence


def test_where_the_tone_cannot_be_told_the_rest_is_planned_and_says_why(keep):
    """A voice as strong as the noise: in no octave does it stand out, yet noise and loudness can
    be planned."""
    spoken = voice("passage")
    rms = float(np.sqrt(np.mean(spoken**2)))
    keep("rest", babble(spoken, rms, 15.0))
    loud = spoken + babble(spoken, rms, len(spoken) / RATE, seed=4)
    keep("talk", loud)
    shown = keep("passage", loud)
    assert shown.tone is None
    stages = {stage.key: stage for stage in shown.stages}
    assert not stages["equalizer"].on
    assert "less than one octave" in stages["equalizer"].because
    assert stages["noise_reduction"].on
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=1.0)
    confirming.confirm_step(keep.app, "tone")
