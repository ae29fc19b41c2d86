"""The job on files, without a data folder: what the command line does with the sound of any real microphone."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.causes import find_causes
from obsidian_wren.core.derive.plan import plan as derive_plan
from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import measure_loudness
from obsidian_wren.core.measure.readings import read_level, read_quiet, read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.formats import calibration
from obsidian_wren.formats.plain import plain, reading_json
from obsidian_wren.formats.response import read_response, response_at
from obsidian_wren.formats.sound import read_sound, write_sound
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.folder import FolderError, write_through


@dataclass(frozen=True)
class Answer:
    """What a command found: JSON values, and notes for the person."""

    body: dict[str, Any]
    notes: tuple[str, ...]


def _load(path: Path, purpose: faults.Purpose, channel: int | None) -> tuple[Samples, int, tuple[str, ...]]:
    sound = read_sound(path)
    samples, notes = faults.choose_channel(sound.samples, channel)
    notes += faults.check(samples, rate_hz=sound.rate_hz, purpose=purpose)
    return samples, sound.rate_hz, tuple(f"{path.name}: {note.sentence}" for note in notes)


def read_level_file(path: Path, *, channel: int | None = None) -> Answer:
    """Levels, peaks and loudness of any sound."""
    samples, rate_hz, notes = _load(path, "level", channel)
    return Answer(reading_json(read_level(samples, rate_hz=rate_hz)), notes)


def read_quiet_file(path: Path, *, channel: int | None = None) -> Answer:
    """The quiet reading of a room take, with what makes its floor."""
    samples, rate_hz, notes = _load(path, "rest", channel)
    reading = read_quiet(samples, rate_hz=rate_hz)
    return Answer(reading_json(reading) | {"causes": plain(find_causes(reading))}, notes)


def read_talk_file(path: Path, *, quiet: Path | None = None, channel: int | None = None) -> Answer:
    """The talk reading, against a room take where there is one."""
    samples, rate_hz, notes = _load(path, "talk", channel)
    room = None
    if quiet is not None:
        room_samples, room_rate, room_notes = _load(quiet, "rest", channel)
        room = read_quiet(room_samples, rate_hz=room_rate)
        notes += room_notes
    return Answer(reading_json(read_talk(samples, rate_hz=rate_hz, quiet=room)), notes)


def plan_files(
    quiet_path: Path,
    talk_path: Path,
    out: Path,
    *,
    in_use: Path | None = None,
    mic_response: Path | None = None,
    channel: int | None = None,
) -> Answer:
    """A full calibration from two takes, written to ``out``."""
    quiet_samples, quiet_rate, notes = _load(quiet_path, "rest", channel)
    talk_samples, talk_rate, talk_notes = _load(talk_path, "passage", channel)
    notes += talk_notes
    quiet = read_quiet(quiet_samples, rate_hz=quiet_rate)
    talk = read_talk(talk_samples, rate_hz=talk_rate, quiet=quiet)
    readings = {"quiet": reading_json(quiet), "talk": reading_json(talk)}
    floor, used_samples, used_rate = None, None, None
    if in_use is not None:
        used_samples, used_rate, used_notes = _load(in_use, "rest", channel)
        floor = read_quiet(used_samples, rate_hz=used_rate)
        readings["in_use"] = reading_json(floor)
        notes += used_notes
    response = None
    if mic_response is not None:
        hz, db = read_response(mic_response)
        response = response_at(POINT_HZ, hz, db)
    try:
        found = derive_plan(
            quiet,
            talk,
            quiet_samples,
            talk_samples,
            in_use_samples=used_samples,
            in_use_rate_hz=used_rate,
            floor=floor,
            mic_response_db=response,
        )
    except ValueError as error:
        raise Refused(
            "too-noisy",
            "The voice stands over the room in less than one octave, so its tone cannot be told. Go closer to the microphone or quieten the room.",
        ) from error
    advice = plain(found.preamp)
    body = calibration.calibration_json(
        rig={"rate_hz": talk_rate, "preamp": advice},
        readings=readings,
        chain=calibration.chain_json(found.chain.stages),
        feeds=calibration.feeds_json(Aims(), found.chain.landing),
    )
    _write_text(out, json.dumps(body, indent=2, ensure_ascii=False) + "\n")
    return Answer(body, notes)


def _write_text(out: Path, text: str) -> None:
    try:
        write_through(out, text.encode())
    except OSError as error:
        raise FolderError(
            "unwritable", f"{out} cannot be written ({error.strerror}). Check the folder and the free space, then try again."
        ) from error


def render_file(calibration_path: Path, source: Path, out: Path, *, channel: int | None = None) -> Answer:
    """Run a sound through a calibration; stages that are off are passed over. The output is one channel."""
    file = calibration.read_calibration(calibration_path)
    specs = calibration.chain_spec(file)
    samples, rate_hz, notes = _load(source, "level", channel)
    treated = render(specs, samples, rate_hz=rate_hz)
    write_sound(out, treated, rate_hz=rate_hz)
    loudness = measure_loudness(treated, rate_hz=rate_hz)
    body = {
        "out": str(out), "stages": [stage.kind for stage in file.chain if stage.on], "loudness_lufs": loudness.integrated_lufs,
        "true_peak_dbtp": true_peak_dbtp(treated), "duration_s": len(treated) / rate_hz, "rate_hz": rate_hz,
    }  # fmt: skip
    return Answer(plain(body), notes)
