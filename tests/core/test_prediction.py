"""A reading at another gain is the reading of the sound at that gain, in every level of it."""

import dataclasses

import numpy as np
import pytest

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.voice_spectrum import FineSpectrum
from signals import RATE, noise, room, voice

LEVELS = ("_dbfs", "_dbtp", "_lufs")


def levels_of(value, where=""):
    """Every level of a reading, by where it stands."""
    if isinstance(value, FineSpectrum):
        yield where, float(np.log10(value.cells.sum()) * 10)
    elif dataclasses.is_dataclass(value):
        for field in dataclasses.fields(value):
            yield from levels_of(getattr(value, field.name), f"{where}.{field.name}")
    elif isinstance(value, tuple):
        for number, inner in enumerate(value):
            yield from levels_of(inner, f"{where}.{number}")
    elif isinstance(value, float) and any(f"{unit}" in where for unit in LEVELS):
        yield where, value


def hummed():
    t = np.arange(15 * RATE) / RATE
    hum = sum(0.002 / k * np.sin(2 * np.pi * 50 * k * t) for k in range(1, 6))
    return room(seconds=15.0)[: len(t)] + hum + 0.001 * np.sin(2 * np.pi * 3150 * t)


@pytest.mark.parametrize("change_db", [-9.5, 6.0])
def test_every_level_of_the_room_moves_with_the_gain(change_db):
    sound = hummed()
    predicted = dict(levels_of(quiet_at_gain(read_quiet(sound, rate_hz=RATE), change_db)))
    taken = read_quiet(sound * amplitude_from_db(change_db), rate_hz=RATE)
    measured = dict(levels_of(taken))
    assert taken.hum is not None
    assert len(measured) > 30
    assert predicted.keys() == measured.keys()
    for where, level in measured.items():
        assert predicted[where] == pytest.approx(level, abs=0.05), where


@pytest.mark.parametrize("change_db", [-9.5, 3.0])
def test_every_level_of_the_talk_moves_with_the_gain(change_db):
    sound = 0.5 * voice() + noise(1e-4, len(voice()) / RATE)[: len(voice())]
    reading = read_talk(sound, rate_hz=RATE)
    predicted = talk_at_gain(reading, change_db)
    taken = read_talk(sound * amplitude_from_db(change_db), rate_hz=RATE)
    found = dict(levels_of(predicted))
    for where, level in levels_of(taken):
        if "flat_tops" not in where:
            assert found[where] == pytest.approx(level, abs=0.1), where
    assert predicted.stretches_db == pytest.approx(taken.stretches_db, abs=0.1)


def test_no_change_is_the_same_reading():
    quiet = read_quiet(room(), rate_hz=RATE)
    assert quiet_at_gain(quiet, 0.0) is quiet
