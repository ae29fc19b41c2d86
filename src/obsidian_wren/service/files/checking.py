"""A check of a calibration on two files: what drifted since, and why."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove.drift import find_drift
from obsidian_wren.core.prove.drift_words import tell
from obsidian_wren.core.prove.found import FoundDrift
from obsidian_wren.core.prove.sounding import Sounding, heard_for_checks
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import BadCalibration, CalibrationFile, RigFile
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.formats.sounding import NAME, read_sounding
from obsidian_wren.service.files.reading import load_for
from obsidian_wren.service.readings.sound_notes import sentences_of

# What makes a take useless for a calibration is news for a check.
_NEWS = ("silent",)


@dataclass(frozen=True)
class CheckAnswer:
    """What a check found, and notes for the person."""

    found: FoundDrift
    notes: tuple[str, ...]


def check_files(
    calibration: Path, quiet: Path, talk: Path, *, channel: int | None = None
) -> CheckAnswer:
    """Compare two new takes with those of a calibration.

    Raises BadCalibration for a file that holds no check, BadTake for a take that cannot serve.
    """
    file = read_calibration(calibration)
    then = _then(calibration, file)
    now, notes = hear_files(quiet, talk, channel)
    distance_m = file.rig.distance_cm / 100.0 if file.rig.distance_cm else None
    drift = find_drift(then, now, distance_m=distance_m)
    found = tell(drift, distance_known=distance_m is not None, cardioid_deg=_cardioid_deg(file.rig))
    return CheckAnswer(found, notes)


def _cardioid_deg(rig: RigFile) -> float | None:
    """How far off its axis the calibration's microphone stood, None where it is no cardioid."""
    cardioid = rig.microphone is not None and rig.microphone.pattern == "cardioid"
    return rig.angle_deg if cardioid else None


def _then(path: Path, file: CalibrationFile) -> Sounding:
    kept = file.readings.check
    if kept is None:
        raise BadCalibration(
            _(
                "{name} was written before checks were stored in it. Write it again with"
                " “obsidian-wren plan”.",
                name=path.name,
            )
        )
    try:
        return read_sounding(kept.model_dump())
    except ValueError as error:
        raise BadCalibration(
            _(
                "{name}, in readings.{name_2}: data that a check needs are missing. Write it"
                " again with “obsidian-wren plan”.",
                name=path.name,
                name_2=NAME,
            )
        ) from error


def hear_files(
    quiet_path: Path, talk_path: Path, channel: int | None
) -> tuple[Sounding, tuple[str, ...]]:
    """A quiet take and a talk as a check hears them; a silent room is no fault here. Raises
    BadTake."""
    notes: tuple[str, ...] = ()
    talk = load_for(talk_path, "talk", channel)
    try:
        room = load_for(quiet_path, "rest", channel)
        quiet_samples, quiet_rate, notes = room.samples, room.rate_hz, room.notes
    except faults.BadTake as error:
        if error.code not in _NEWS:
            raise
        sound = read_sound(quiet_path, channel=channel, voiced=False)
        quiet_samples, quiet_rate = sound.samples, sound.rate_hz
        notes = tuple(f"{quiet_path.name}: {one}" for one in sentences_of(sound, sound.notes))
    samples = at_rate(quiet_samples, quiet_rate, talk.rate_hz)
    reading = read_talk(talk.samples, rate_hz=talk.rate_hz)
    return heard_for_checks(samples, talk.samples, reading), notes + talk.notes
