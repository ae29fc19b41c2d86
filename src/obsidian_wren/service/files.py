"""The job on files, without a data folder: what the command line does with the sound of any real
microphone."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from obsidian_wren.core.chain.engine import rendered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.causes import find_causes
from obsidian_wren.core.derive.plan import plan as derive_plan
from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.long import STRETCH_S, LongTalk, read_level_long, read_talk_long
from obsidian_wren.core.measure.readings import LONGEST_AT_ONCE_S, read_level, read_quiet, read_talk
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.formats import calibration
from obsidian_wren.formats.jsonable import reading_json, to_jsonable
from obsidian_wren.formats.read_sound import pick_channel, read_sound
from obsidian_wren.formats.response import read_response, response_at
from obsidian_wren.formats.sound import OpenSound, open_sound
from obsidian_wren.formats.write_sound import SoundWriter
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings.sound_notes import sentences_of
from obsidian_wren.store.folder import FolderError, write_through


@dataclass(frozen=True)
class FileAnswer:
    """What a command found: JSON values, and notes for the person."""

    body: dict[str, Any]
    notes: tuple[str, ...]


# Told how much of a long file is done, 0 to 1.
Progress = Callable[[float], None]


def _no_progress(_share: float) -> None:
    """Nobody looks."""


def _load(
    path: Path, purpose: faults.Purpose, channel: int | None
) -> tuple[Samples, int, tuple[str, ...]]:
    sound = read_sound(path, channel=channel)
    notes = sound.notes + faults.check(sound.samples, rate_hz=sound.rate_hz, purpose=purpose)
    return (
        sound.samples,
        sound.rate_hz,
        tuple(f"{path.name}: {sentence}" for sentence in sentences_of(sound, notes)),
    )


_WHOLE_PERCENT = 100.0


def _read(
    path: Path, channel: int | None, read: Callable[[OpenSound, int], Any]
) -> tuple[Any, tuple[str, ...]]:
    """What a reading in stretches gives of one channel of a file, and what is to be said of it."""
    with open_sound(path) as file:
        chosen, notes, _ = pick_channel(file, channel)
        return read(file, chosen), tuple(f"{path.name}: {note.sentence}" for note in notes)


def _stretches(file: OpenSound, channel: int, progress: Progress) -> Iterator[Samples]:
    done = 0
    for stretch in file.blocks(channel, seconds=STRETCH_S):
        done += len(stretch)
        progress(min(1.0, done / file.frames) if file.frames else 0.0)
        yield stretch


def _is_long(path: Path) -> bool:
    with open_sound(path) as file:
        return file.frames is None or file.frames > LONGEST_AT_ONCE_S * file.rate_hz


def read_level_file(
    path: Path, *, channel: int | None = None, progress: Progress = _no_progress
) -> FileAnswer:
    """Levels, peaks and loudness of any sound. A long one is read in stretches."""
    if not _is_long(path):
        samples, rate_hz, notes = _load(path, "level", channel)
        return FileAnswer(reading_json(read_level(samples, rate_hz=rate_hz)), notes)
    reading, notes = _read(
        path,
        channel,
        lambda file, chosen: read_level_long(
            lambda: _stretches(file, chosen, progress), rate_hz=file.rate_hz
        ),
    )
    return FileAnswer(reading_json(reading), notes)


def read_quiet_file(path: Path, *, channel: int | None = None) -> FileAnswer:
    """The quiet reading of a room take, with what makes its floor."""
    samples, rate_hz, notes = _load(path, "rest", channel)
    reading = read_quiet(samples, rate_hz=rate_hz)
    return FileAnswer(reading_json(reading) | {"causes": to_jsonable(find_causes(reading))}, notes)


def read_talk_file(
    path: Path,
    *,
    quiet: Path | None = None,
    channel: int | None = None,
    progress: Progress = _no_progress,
) -> FileAnswer:
    """The talk reading, against a room take where there is one. A long one is read in stretches."""
    room = None
    room_notes: tuple[str, ...] = ()
    if quiet is not None:
        room_samples, room_rate, room_notes = _load(quiet, "rest", channel)
        room = read_quiet(room_samples, rate_hz=room_rate)
    if not _is_long(path):
        samples, rate_hz, notes = _load(path, "talk", channel)
        return FileAnswer(
            reading_json(read_talk(samples, rate_hz=rate_hz, quiet=room)), notes + room_notes
        )

    def read(file: OpenSound, chosen: int) -> LongTalk:
        duration_s = file.frames / file.rate_hz if file.frames else None
        # Twice through the file.
        passes = iter(
            (lambda share: progress(0.6 * share), lambda share: progress(0.6 + 0.4 * share))
        )
        return read_talk_long(
            lambda: _stretches(file, chosen, next(passes)),
            rate_hz=file.rate_hz,
            duration_s=duration_s,
            quiet=room,
        )

    found, notes = _read(path, channel, read)
    faults.check_long(found.reading.peak_dbfs, found.reading.flat_tops, has_voice=found.has_voice)
    return FileAnswer(reading_json(found.reading), notes + room_notes)


def plan_files(
    quiet_path: Path,
    talk_path: Path,
    out: Path,
    *,
    in_use: Path | None = None,
    mic_response: Path | None = None,
    reference: Path | None = None,
    shape_percent: float = 0.0,
    channel: int | None = None,
) -> FileAnswer:
    """A full calibration from two takes, written to ``out``."""
    if not 0.0 <= shape_percent <= _WHOLE_PERCENT:
        raise Refused(
            "shape", f"{shape_percent:g} % is no way to shape a voice. Give 0 to 100 for --shape."
        )
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
    trusted = None
    if reference is not None:
        samples, rate_hz, more_notes = _load(reference, "passage", channel)
        trusted = read_talk(samples, rate_hz=rate_hz)
        notes += more_notes
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
            reference=trusted,
            shape=shape_percent / 100.0,
        )
    except ValueError as error:
        raise Refused(
            "too-noisy",
            "The voice is above the noise in less than one octave, so its tone cannot be measured."
            " Go closer to the microphone or quieten the room.",
        ) from error
    advice = to_jsonable(found.preamp)
    body = calibration.calibration_json(
        rig={"rate_hz": talk_rate, "preamp": advice},
        readings=readings,
        chain=calibration.chain_json(found.chain.stages),
        feeds=calibration.feeds_json(Aims(), found.chain.landing),
    )
    _write_text(out, json.dumps(body, indent=2, ensure_ascii=False) + "\n")
    return FileAnswer(body, notes)


def _write_text(out: Path, text: str) -> None:
    try:
        write_through(out, text.encode(), private=False)
    except OSError as error:
        raise FolderError(
            "unwritable",
            f"{out} cannot be written ({error.strerror}). Check the folder and the free space, then"
            " try again.",
        ) from error


def render_file(
    calibration_path: Path,
    source: Path,
    out: Path,
    *,
    channel: int | None = None,
    progress: Progress = _no_progress,
) -> FileAnswer:
    """Run a sound through a calibration, block by block; stages that are off are passed over.

    The output is one channel.
    """
    file = calibration.read_calibration(calibration_path)
    specs = calibration.chain_spec(file)
    if out.exists() and source.exists() and out.samefile(source):
        raise Refused(
            "same-file",
            f"{out.name} would be written over itself while it is read. Name another file for the"
            " output.",
        )
    with open_sound(source) as sound:
        chosen, notes, _ = pick_channel(sound, channel)
        levels = RunningLevels(rate_hz=sound.rate_hz, channels=1)
        count, whole, untouched = 0, sound.frames, not out.exists()
        try:
            with SoundWriter(out, rate_hz=sound.rate_hz) as written:
                for block in rendered(specs, sound.blocks(chosen), rate_hz=sound.rate_hz):
                    written.write(block)
                    levels.add(block[:, None])
                    count += len(block)
                    progress(min(1.0, count / whole) if whole else 0.0)
        except BaseException:
            if untouched:
                # What is not whole is not there.
                out.unlink(missing_ok=True)
            raise
        rate_hz = sound.rate_hz
    body = {
        "out": str(out),
        "stages": [stage.kind for stage in file.chain if stage.on],
        "loudness_lufs": levels.lufs,
        "true_peak_dbtp": levels.true_peak_dbtp,
        "duration_s": count / rate_hz,
        "rate_hz": rate_hz,
    }
    return FileAnswer(to_jsonable(body), tuple(f"{source.name}: {note.sentence}" for note in notes))
