"""What colour adds, against what its settings say."""

import numpy as np
import pytest

from obsidian_wren.core.chain.colour import ColourSpec
from obsidian_wren.core.derive.colour_added import what_colour_adds

NOTHING = {
    "drive_db": 6.0,
    "harmonics": 0.0,
    "echo_ms": 120.0,
    "echo": 0.0,
    "room_s": 0.4,
    "room": 0.0,
    "plate": 0.0,
    "ring_hz": 60.0,
    "ring": 0.0,
}


@pytest.fixture(params=[48_000, 44_100, 16_000])
def adds(request):
    def measure(peak_dbfs=-12.0, **changed):
        spec = ColourSpec(**(NOTHING | changed), on=False)
        return what_colour_adds(spec, peak_dbfs=peak_dbfs, rate_hz=request.param)

    return measure


def test_nothing_is_added_without_a_share(adds):
    found = adds()
    assert set(found.harmonics_db) == {None}
    assert found.beside_db is None
    assert found.arrivals == ()
    assert found.decay_s is None


def test_harmonics_are_those_of_a_square_and_a_cube(adds):
    # u = a sin x: its square halves into a second harmonic of a²/2, its cube into a third of a³/4,
    # each of them added with half the share, over the drive; the cube takes from the tone too.
    peak, drive, share = 10 ** (-12.0 / 20), 10 ** (6.0 / 20), 0.2
    # The filter before it lets the tone through within half a decibel.
    a = peak * drive
    tone = peak - share * 0.5 * 0.75 * a**3 / drive
    second = share * 0.5 * (a**2 / 2.0) / drive / tone
    third = share * 0.5 * (a**3 / 4.0) / drive / tone
    found = adds(harmonics=20.0)
    assert found.harmonics_db[0] == pytest.approx(20 * np.log10(second), abs=1.2)
    assert found.harmonics_db[1] == pytest.approx(20 * np.log10(third), abs=1.8)
    assert set(found.harmonics_db[2:]) == {None}


def test_more_level_makes_more_harmonics(adds):
    low, high = (adds(peak_dbfs=db, harmonics=20.0).harmonics_db[0] for db in (-24.0, -12.0))
    # A square grows by twice the decibels, so against the tone by as many.
    assert high - low == pytest.approx(12.0, abs=0.5)


def test_an_echo_arrives_when_and_as_loud_as_it_is_set(adds):
    arrivals = dict(adds(echo=50.0, echo_ms=200.0).arrivals)
    assert arrivals[0.2] == pytest.approx(-6.0, abs=0.1)
    # It comes again by 35 % of what came.
    assert arrivals[0.4] == pytest.approx(-6.0 + 20 * np.log10(0.35), abs=0.1)
    assert not any(0.21 < at < 0.39 for at in arrivals)


@pytest.mark.parametrize("seconds", [0.6, 2.0])
def test_a_plate_falls_by_sixty_decibels_in_its_decay(adds, seconds):
    assert adds(plate=100.0, room_s=seconds).decay_s == pytest.approx(seconds, rel=0.2)


@pytest.mark.parametrize("ring_hz", [60.0, 440.0])
def test_ring_modulation_puts_two_tones_beside_what_it_leaves(adds, ring_hz):
    # Half of the tone is left, each of the others is √2/2 of half of it.
    assert adds(ring=50.0, ring_hz=ring_hz).beside_db == pytest.approx(-3.0, abs=0.1)
