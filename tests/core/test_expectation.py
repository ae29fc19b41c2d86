"""What a rig may expect before anything is measured."""

from dataclasses import replace

import numpy as np
import pytest

from obsidian_wren.core.derive import capsule, expectation
from obsidian_wren.core.derive.hardware import Interface, Microphone, Placement, Room

MICROPHONE = Microphone(
    sensitivity_mv_pa=20.0, self_noise_dba=14.0, max_spl_db=130.0, needs_phantom=True
)


INTERFACE = Interface(0.0, 56.0, 1.0, 10.0, 9.0, -127.0, has_phantom=True)


LOFT = Room((4.6, 3.4, 2.4), "furnished")


def look(placement=Placement(), microphone=MICROPHONE, interface=INTERFACE, room=LOFT, **more):  # noqa: B008
    return expectation.outlook(microphone, interface, room, placement, **more)


def codes(found):
    return {warning.code for warning in found.warnings}


def test_levels_at_the_capsule_follow_distance_and_the_data_sheet():
    found = look(Placement(25.0), gain_db=30.0)
    assert found.talk_db_spl == pytest.approx(60.0 + 12.04, abs=0.01)
    # 94 dB SPL at 20 mV/Pa is 20 mV, −31.76 dBu; 9 dBu read full scale.
    assert found.talk_dbfs == pytest.approx(72.04 - 94.0 - 31.76 + 30.0 - 9.0, abs=0.02)
    assert look(Placement(25.0)).talk_dbfs is None
    back = capsule.spl_of_dbfs(found.talk_dbfs, MICROPHONE, INTERFACE, 30.0)
    assert back == pytest.approx(found.talk_db_spl)
    assert capsule.dbfs_of_spl(94.0, MICROPHONE, INTERFACE, 30.0, pad_on=True) == pytest.approx(
        -31.76 + 30 - 9 - 10, abs=0.02
    )


def test_the_floor_adds_room_microphone_and_interface():
    found = look(room=replace(LOFT, noise_dba=30.0))
    parts = {part.name: part for part in found.contributions}
    assert parts["room"].level_dba == pytest.approx(30.0 - 4.77, abs=0.01)
    assert not parts["room"].assumed
    # −127 dBu through 20 mV/Pa: −129.2 dBV − 2 dB + 34 dB + 94 dB.
    assert parts["interface"].level_dba == pytest.approx(-3.2, abs=0.1)
    assert found.floor_dba == pytest.approx(
        10 * np.log10(10**2.523 + 10**1.4 + 10**-0.32), abs=0.05
    )
    assert {part.name: part.assumed for part in look().contributions}["room"]


@pytest.mark.parametrize(
    "pattern, boost", [("omni", 0.0), ("cardioid", 2.9), ("figure of eight", 6.9)]
)
def test_proximity_comes_from_the_spherical_wave(pattern, boost):
    kr = 2 * np.pi * 100.0 * 0.28 / 343.0
    exact = {
        "omni": 0.0,
        "cardioid": 10 * np.log10(1 + 1 / (4 * kr**2)),
        "figure of eight": 10 * np.log10(1 + 1 / kr**2),
    }[pattern]
    found = capsule.proximity_boost_db(pattern, 0.28, 100.0)
    assert found == pytest.approx(exact, abs=1e-6)
    assert found == pytest.approx(boost, abs=0.4)


def test_what_would_improve_it_most_stands_first_in_decibels():
    found = look(Placement(60.0))
    assert found.improvements[0].title == "Moving from 60 to 15 cm"
    assert found.improvements[0].gains_db == pytest.approx(12.04, abs=0.01)
    omni = look(
        Placement(15.0), replace(MICROPHONE, pattern="omni"), room=replace(LOFT, noise_dba=40.0)
    )
    assert omni.improvements[0].title == "Choosing cardioid"
    assert omni.improvements[0].gains_db == pytest.approx(4.77, abs=0.1)
    noisy = look(
        Placement(15.0),
        replace(MICROPHONE, sensitivity_mv_pa=1.5, self_noise_dba=None),
        replace(INTERFACE, ein_dbu=-105.0),
    )
    assert "preamp" in noisy.improvements[0].title
    assert look(Placement(14.0)).improvements == ()


def test_reverberation_is_told_from_size_and_surfaces():
    decay = capsule.decay_time_s(LOFT)
    volume, surface = 4.6 * 3.4 * 2.4, 2 * (4.6 * 3.4 + 3.4 * 2.4 + 4.6 * 2.4)
    assert decay == pytest.approx(0.161 * volume / (0.16 * surface))
    critical = capsule.critical_distance_m(LOFT, "cardioid")
    assert critical == pytest.approx(0.057 * np.sqrt(volume / decay) * np.sqrt(3.0), rel=1e-6)
    assert look(Placement(100.0 * critical)).direct_over_reverberant_db == pytest.approx(
        0.0, abs=1e-6
    )
    assert look(room=Room()).direct_over_reverberant_db is None


@pytest.mark.parametrize(
    "change, code",
    [
        (dict(phantom_on=False), "phantom-off"),
        (dict(interface=replace(INTERFACE, has_phantom=False)), "no-phantom"),
        (
            dict(microphone=Microphone("ribbon", "figure of eight"), phantom_on=True),
            "phantom-ribbon",
        ),
        (dict(microphone=Microphone("dynamic"), phantom_on=True), "phantom-idle"),
        (dict(microphone=Microphone(pattern="omni")), "omni"),
        (dict(placement=Placement(20.0, 120.0)), "off-axis"),
        (dict(placement=Placement(6.0)), "plosives"),
        (dict(placement=Placement(80.0)), "far"),
        (dict(placement=Placement(support="desk stand")), "desk"),
        (dict(microphone=replace(MICROPHONE, max_spl_db=100.0)), "overload"),
    ],
)
def test_each_warning_has_its_reason(change, code):
    assert code in codes(look(**change))


def test_a_good_rig_gets_no_warning():
    assert (
        codes(look(Placement(18.0, 20.0, pop_screen=True, support="arm"), phantom_on=True)) == set()
    )
