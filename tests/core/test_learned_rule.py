"""When the learned stage is on, how far it goes, and what is said of it."""

import numpy as np
import pytest

from moving_noise import moving
from obsidian_wren.core.derive.learned import derive_learned
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import prepare
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, voice

SECONDS = 12.0


def takes(in_use, *, talk=None, room=1e-5):
    """A talker over a steady room, and what is added to it in use; None where it was not taken."""
    rest = noise(room, SECONDS, seed=9)
    said = (voice()[: 20 * RATE] if talk is None else talk) + noise(room, 20.0, seed=4)
    reading = read_quiet(rest, rate_hz=RATE)
    return prepare(
        said,
        rest,
        None if in_use is None else noise(room, SECONDS, seed=7) + in_use,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=None if in_use is None else RATE,
        talk_reading=read_talk(said, rate_hz=RATE, quiet=reading),
        quiet_reading=reading,
    )


def at(kind, level_dbfs):
    sound = moving(kind, 21, SECONDS)
    return sound * 10.0 ** ((level_dbfs - rms_dbfs(sound)) / 20.0)


@pytest.mark.parametrize("kind", ["street", "mouse", "bark"])
def test_what_moves_over_the_target_is_taken(kind):
    plan = derive_learned(takes(at(kind, -50.0)), Pins())
    assert plan.switch.on
    assert plan.switch.because.startswith("Your room in use rises up to")
    evidence = plan.evidence
    assert len(evidence.before_dbfs_a) == len(evidence.after_dbfs_a)
    assert all(each.after_dbfs_a < each.before_dbfs_a for each in evidence.kinds)
    assert evidence.moving_s > 0.5


def test_it_goes_as_far_as_the_loudest_asks_for():
    soft, loud = (derive_learned(takes(at("street", level)), Pins()) for level in (-72.0, -50.0))
    assert 9.0 <= soft.settings["range_db"].value < loud.settings["range_db"].value <= 36.0


def test_a_room_that_does_not_move_leaves_it_off():
    steady = derive_learned(takes(np.zeros(round(SECONDS * RATE))), Pins())
    assert not steady.switch.on
    assert steady.switch.because.startswith("Nothing moves")
    soft = derive_learned(takes(at("street", -95.0)), Pins())
    assert not soft.switch.on
    seldom = np.zeros(round(SECONDS * RATE))
    seldom[RATE : RATE + RATE // 5] = noise(0.01, 0.2)
    once = derive_learned(takes(seldom), Pins())
    assert not once.switch.on
    assert once.switch.because.endswith("too seldom to justify the delay.")


def test_without_a_room_in_use_it_cannot_know():
    plan = derive_learned(takes(None), Pins())
    assert (plan.switch.on, plan.evidence) == (False, None)
    assert plan.switch.because.startswith("Unknown")


def test_another_persons_voice_is_said_and_left():
    plan = derive_learned(takes(voice("passage")[: round(SECONDS * RATE)] * 0.05), Pins())
    assert not plan.switch.on
    assert "another person's voice" in plan.switch.because
    assert "voice" in {each.kind for each in plan.evidence.kinds}


def test_who_sings_does_not_get_it():
    t = np.arange(20 * RATE) / RATE
    notes = 220.0 * 2.0 ** (np.array([0, 2, 4, 5, 7, 5, 4, 2])[(t / 0.8).astype(int) % 8] / 12.0)
    phase = 2.0 * np.pi * np.cumsum(notes) / RATE
    sung = sum(np.sin(k * phase) / k for k in range(1, 8)) * 0.03 * (t % 0.8 < 0.7)
    plan = derive_learned(takes(at("street", -50.0), talk=sung), Pins())
    assert not plan.switch.on
    assert plan.switch.because.startswith("You hold notes")


def test_a_pin_holds_and_a_switch_wins():
    held = Pins({("learned", "range_db"): 12.0}, {"learned": True})
    plan = derive_learned(takes(at("street", -95.0)), held)
    assert (plan.switch.on, plan.switch.derived) == (True, False)
    assert plan.settings["range_db"].value == 12.0
    assert plan.settings["range_db"].derived == 9.0


def test_it_can_be_switched_on_where_nothing_moves():
    still = takes(np.zeros(round(SECONDS * RATE)))
    plan = derive_learned(still, Pins(switches={"learned": True}))
    assert (plan.switch.on, plan.switch.derived) == (True, False)
    assert plan.switch.because.startswith("Nothing moves")
    assert plan.settings["range_db"].derived == 9.0


def test_a_room_over_the_target_is_taken_as_well():
    quiet, loud = (
        derive_learned(takes(at("street", -45.0), room=room), Pins()) for room in (1e-5, 3e-3)
    )
    assert quiet.settings["quiet_dbfs"].value > -110.0
    assert "reduced as well" in loud.settings["quiet_dbfs"].because


def test_a_talk_that_holds_what_moves_tells_nothing_of_its_cost():
    street = at("street", -40.0)
    said = voice()[: 20 * RATE]
    noisy = said + np.resize(moving("street", 5, SECONDS), len(said)) * 10.0 ** (-40.0 / 20.0)
    clear, held = (derive_learned(takes(street, talk=talk), Pins()) for talk in (said, noisy))
    assert clear.switch.on and held.switch.on
    assert "Your words lose" in clear.settings["range_db"].because
    assert "is unknown" in held.settings["range_db"].because
    assert held.settings["under_voice_db"].value == 28.0
    assert "nine tenths" in clear.settings["under_voice_db"].because
