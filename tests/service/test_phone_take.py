"""A phone beside the microphone: its take tells of the rig, or is refused with the reason."""

import pytest
import scipy.signal as ss
import soundfile

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.takes import from_file, from_page, starting
from obsidian_wren.store.models import Take
from shown import shows


def known(app):
    return {line.name: line for line in shows(app, "tone").known}["Phone beside it"]


@pytest.fixture
def heard(boathouse):
    """The passage as the simulated microphone took it, and its rate in Hz."""
    take_id = next(t.id for t in shows(boathouse, "takes") if t.purpose == "passage" and t.current)
    with boathouse.sessions() as session:
        take = session.get_one(Take, take_id)
        return measuring.samples_of(boathouse, take), take.rate_hz


def test_it_narrows_what_is_known_and_goes_with_its_take(boathouse, heard, tmp_path):
    before, sound = known(boathouse), heard[0]
    assert not before.given
    soundfile.write(tmp_path / "phone.wav", 0.5 * sound, heard[1], subtype="PCM_24")
    from_file.keep_file(boathouse, "phone", tmp_path / "phone.wav", channel=None)
    after = known(boathouse)
    voice = shows(boathouse, "tone").known[0]
    assert after.given
    assert after.uncertainty_db < voice.uncertainty_db
    # The same sound by both: the rig adds nothing but what a phone may miss.
    inside = [
        abs(level)
        for level, trust in zip(
            shows(boathouse, "tone").rig_db, shows(boathouse, "tone").trust, strict=True
        )
        if trust > 0.5
    ]
    assert max(inside) < 3.0


def test_one_that_was_worked_on_is_refused_and_changes_nothing(boathouse, heard, tmp_path):
    before = shows(boathouse, "tone").rig_db
    sound, rate = heard
    cut = ss.sosfiltfilt(ss.cheby2(10, 50, 3400.0, fs=rate, output="sos"), sound)
    soundfile.write(tmp_path / "call.wav", cut, rate, subtype="PCM_24")
    with pytest.raises(Refused, match="ends at about"):
        from_file.keep_file(boathouse, "phone", tmp_path / "call.wav", channel=None)
    assert shows(boathouse, "tone").rig_db == before
    assert "as a call does" in shows(boathouse, "takes")[-1].fault


def test_it_is_never_recorded_by_the_rig_itself(boathouse):
    with pytest.raises(Refused, match="Choose the file that it recorded"):
        starting.start(boathouse, "phone")
    with pytest.raises(Refused, match="Choose the file that it recorded"):
        from_page.start_browser(boathouse, "phone", rate_hz=48_000, seconds=20.0, not_obeyed=[])
