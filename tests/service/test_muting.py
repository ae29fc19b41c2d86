"""A muted mix: the voice is gone, everything else goes on as if it had never been there."""

import numpy as np
import pytest

from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living, muting
from obsidian_wren.service.send import listeners
from obsidian_wren.voice.safe_mixer import SafeMixer, voice_signals, without_voices
from shown import shows
from signals import RATE, noise
from voices import program_of, run_of
from waiting import wait_until

MIX = Mix(
    "call",
    (
        MixSend("voice treated", 0.0),
        MixSend("music", -3.0, duck_db=12.0),
        MixSend("second raw", 0.0),
    ),
)
OTHER = Mix("game", MIX.sends)
DUCKING = Ducking(threshold_dbfs=-50.0, attack_ms=5.0, hold_ms=100.0, release_ms=100.0)
BLOCK = 480


def test_only_the_voices_go_and_nothing_ducks_under_what_is_not_heard():
    found = without_voices(MIX, ["voice", "second"])
    assert found.sends == (MixSend("music", -3.0),)
    assert (found.listener, found.channels, found.ceiling_dbtp) == ("call", 1, -3.0)
    assert without_voices(MIX, []).sends == (
        MIX.sends[0],
        MixSend("music", -3.0),
        MIX.sends[2],
    )
    assert "voice at once" in voice_signals(["voice"])


@pytest.fixture
def mixer():
    return SafeMixer([MIX, OTHER], DUCKING, RATE, ["voice", "second"])


def run(mixer, signals, blocks=60):
    out = {"call": [], "game": []}
    for k in range(blocks):
        part = {name: s[k * BLOCK : (k + 1) * BLOCK] for name, s in signals.items()}
        mixed, trouble = mixer.process(part, BLOCK)
        assert not trouble
        for key, block in mixed.items():
            out[key].append(block[:, 0])
    return {key: np.concatenate(found) for key, found in out.items()}


def level_db(samples):
    return 20.0 * np.log10(np.sqrt(np.mean(samples**2)) + 1e-12)


def test_a_muted_feed_gets_no_voice_and_its_music_undimmed_the_other_stays(mixer):
    length = 60 * BLOCK / RATE
    voice, music = noise(0.05, length), noise(0.02, length)
    mixer.mute(frozenset({"call"}))
    run(mixer, {"voice treated": voice}, blocks=10)
    alone = run(mixer, {"voice treated": voice})
    assert level_db(alone["call"]) < -200
    assert level_db(alone["game"]) == pytest.approx(level_db(voice), abs=0.5)
    both = run(mixer, {"voice treated": voice, "music": music})
    assert level_db(both["call"]) == pytest.approx(level_db(music) - 3.0, abs=0.3)
    mixer.mute(frozenset())
    run(mixer, {"voice treated": voice}, blocks=10)
    again = run(mixer, {"voice treated": voice})
    assert level_db(again["call"]) == pytest.approx(level_db(voice), abs=0.5)


def test_a_mute_fades_and_does_not_click(mixer):
    seconds = 60 * BLOCK / RATE
    tone = 0.1 * np.sin(2.0 * np.pi * 200.0 * np.arange(round(seconds * RATE)) / RATE)
    steady = run(mixer, {"voice treated": tone}, blocks=20)["call"]
    usual = np.max(np.abs(np.diff(steady[2 * BLOCK :])))
    mixer.mute(frozenset({"call"}))
    fading = run(mixer, {"voice treated": tone[20 * BLOCK :]}, blocks=20)["call"]
    assert np.max(np.abs(np.diff(fading))) <= 1.1 * usual
    assert level_db(fading[-5 * BLOCK :]) < -200


def test_other_mixes_stay_muted_until_they_are_let_in(mixer):
    mixer.mute(frozenset({"call"}))
    mixer.change([MIX, OTHER])
    voice = noise(0.05, 60 * BLOCK / RATE)
    run(mixer, {"voice treated": voice}, blocks=10)
    assert level_db(run(mixer, {"voice treated": voice})["call"]) < -200


@pytest.fixture
def live_call(boathouse):
    """The boathouse live, its call on our feed."""
    call = next(row for row in shows(boathouse, "destinations") if row.kind == "call")
    listeners.pick_input(boathouse, call.key, call.feed)
    living.start_run(boathouse)
    yield boathouse, call.key
    living.stop_run(boathouse)


def hears(app, key):
    """The level of what the call has heard since now, dBFS."""
    probe = program_of(app, key).probe
    begun = probe.position
    wait_until(lambda: probe.position > begun + 2 * probe.rate_hz)
    return level_db(probe.heard_since(begun + probe.rate_hz))


def test_a_call_hears_nothing_while_it_is_muted_and_the_voice_again_afterwards(live_call):
    app, key = live_call
    assert hears(app, key) > -50
    muting.mute(app, key, True)
    assert shows(app, "run").feeds_muted in ("all", "some")
    assert hears(app, key) < -80
    shown = next(row for row in shows(app, "destinations") if row.key == key)
    assert (shown.muted, shown.push, shown.mute_reaches) == (True, False, True)
    muting.mute(app, key, False)
    assert hears(app, key) > -50
    with pytest.raises(Refused, match="no feed in use"):
        muting.mute(app, "nobody", True)


def test_push_to_talk_lets_the_voice_in_while_the_key_is_held(live_call, monkeypatch):
    app, key = live_call
    muting.push_to_talk(app, None, True)
    assert shows(app, "run").push_to_talk
    assert hears(app, key) < -80
    monkeypatch.setattr(muting, "HELD_S", 600.0)
    muting.talk(app, True)
    assert shows(app, "run").talking
    assert hears(app, key) > -50
    muting.talk(app, False)
    assert hears(app, key) < -80
    # A page that went away with the key down lets go of it.
    monkeypatch.setattr(muting, "HELD_S", 0.05)
    muting.talk(app, True)
    wait_until(lambda: not shows(app, "run").talking)
    assert hears(app, key) < -80


def test_a_mute_outlives_the_run_and_one_key_mutes_all_or_none(boathouse):
    muting.toggle_mute(boathouse)
    assert shows(boathouse, "run").feeds_muted == "all"
    living.start_run(boathouse)
    key = next(row.key for row in shows(boathouse, "destinations") if row.muted)
    mixer = run_of(boathouse)._mixer
    wait_until(lambda: key in mixer.levels_dbfs)
    assert mixer._muted >= {key}
    living.stop_run(boathouse)
    muting.toggle_mute(boathouse)
    assert shows(boathouse, "run").feeds_muted == "none"
