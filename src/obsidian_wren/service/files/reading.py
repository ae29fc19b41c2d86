"""The job on files, without a data folder: what the command line does with the sound of any real
microphone."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

from obsidian_wren.core.chain.offline import rendered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.causes import find_causes
from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.bursts import without_bursts
from obsidian_wren.core.measure.finding import Finding, noted
from obsidian_wren.core.measure.long import STRETCH_S, LongTalk, read_level_long, read_talk_long
from obsidian_wren.core.measure.readings import (
    LONGEST_AT_ONCE_S,
    QuietReading,
    read_level,
    read_quiet,
    read_talk,
)
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.core.measure.take_findings import quiet_findings, talk_findings
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import chain_spec
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.formats.jsonable import reading_json, to_jsonable
from obsidian_wren.formats.read_sound import pick_channel, read_sound
from obsidian_wren.formats.sound import OpenSound, open_sound
from obsidian_wren.formats.write_sound import SoundWriter
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings.sound_notes import sentences_of
from obsidian_wren.service.side_by_side import at_once, beside


@dataclass(frozen=True)
class FileAnswer:
    """What a command found: JSON values, notes for the person, and what is to be said of the
    takes."""

    body: dict[str, Any]
    notes: tuple[str, ...]
    warnings: tuple[Finding, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """The values with the warnings beside them."""
        warnings = [
            {"code": found.code, "sentence": found.sentence, "action": found.action}
            for found in self.warnings
        ]
        return {**self.body, "warnings": warnings}


_OVERRULED = ("voice_in_quiet", "melody_in_quiet", "no_voice_in_talk")
_VOICED: tuple[faults.Purpose, ...] = ("talk", "passage")
# Told how much of a long file is done, 0 to 1.
Progress = Callable[[float], None]


def _no_progress(_share: float) -> None:
    """Nobody looks."""


class Loaded(NamedTuple):
    """One channel of a file: samples ``(n,)``, rate in Hz, notes for the person, and what its
    channels say of each other."""

    samples: Samples
    rate_hz: int
    notes: tuple[str, ...]
    findings: tuple[Finding, ...]


def load_for(
    path: Path, purpose: faults.Purpose, channel: int | None, *, anyway: bool = False
) -> Loaded:
    """One channel of a file for a purpose, and what is to be said of it.

    Raises BadTake where it cannot serve; ``anyway`` makes a note of what only makes the answer
    wrong.
    """
    sound = read_sound(path, channel=channel, voiced=purpose in _VOICED)
    try:
        found = faults.check(sound.samples, rate_hz=sound.rate_hz, purpose=purpose)
    except faults.BadTake as error:
        if not anyway or error.code not in _OVERRULED:
            raise
        found = (faults.Note(error.code, str(error)),)
    # A whisper is among the findings of a talk, and so is what is said of channels.
    findings = noted(sound.notes)
    codes = {"whisper", *(finding.code for finding in findings)}
    notes = [note for note in sound.notes + found if note.code not in codes]
    return Loaded(
        sound.samples,
        sound.rate_hz,
        tuple(f"{path.name}: {sentence}" for sentence in sentences_of(sound, notes)),
        tuple(replace(f, sentence=f"{path.name}: {f.sentence}") for f in findings),
    )


def _read(
    path: Path, channel: int | None, read: Callable[[OpenSound, int], Any]
) -> tuple[Any, tuple[str, ...]]:
    """What a reading in stretches gives of one channel of a file, and what is to be said of it."""
    with open_sound(path) as file:
        chosen, notes, _voiced = pick_channel(file, channel)
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
        loaded = load_for(path, "level", channel)
        reading = read_level(loaded.samples, rate_hz=loaded.rate_hz)
        return FileAnswer(reading_json(reading), loaded.notes, loaded.findings)
    reading, notes = _read(
        path,
        channel,
        lambda file, chosen: read_level_long(
            lambda: beside(_stretches(file, chosen, progress)), rate_hz=file.rate_hz
        ),
    )
    return FileAnswer(reading_json(reading), notes)


def read_quiet_file(path: Path, *, channel: int | None = None) -> FileAnswer:
    """The quiet reading of a room take, with what makes its floor."""
    loaded = load_for(path, "rest", channel)
    reading = room_reading(loaded.samples, loaded.rate_hz)
    return FileAnswer(
        reading_json(reading) | {"causes": to_jsonable(find_causes(reading))},
        loaded.notes,
        loaded.findings + quiet_findings(loaded.samples, reading),
    )


def room_reading(samples: Samples, rate_hz: float) -> QuietReading:
    """The room at rest, without what stands out of it."""
    return read_quiet(
        samples, rate_hz=rate_hz, undisturbed=without_bursts(samples, rate_hz=rate_hz)
    )


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
        under = load_for(quiet, "rest", channel)
        room, room_notes = room_reading(under.samples, under.rate_hz), under.notes
    if not _is_long(path):
        loaded = load_for(path, "talk", channel)
        reading = read_talk(loaded.samples, rate_hz=loaded.rate_hz, quiet=room)
        return FileAnswer(
            reading_json(reading),
            loaded.notes + room_notes,
            loaded.findings + talk_findings(loaded.samples, reading),
        )

    def read(file: OpenSound, chosen: int) -> LongTalk:
        duration_s = file.frames / file.rate_hz if file.frames else None
        # Twice through the file.
        passes = iter(
            (lambda share: progress(0.6 * share), lambda share: progress(0.6 + 0.4 * share))
        )
        with at_once() as together:
            return read_talk_long(
                lambda: beside(_stretches(file, chosen, next(passes))),
                rate_hz=file.rate_hz,
                duration_s=duration_s,
                quiet=room,
                together=together,
            )

    found, notes = _read(path, channel, read)
    faults.check_long(found.reading.peak_dbfs, found.reading.flat_tops, has_voice=found.has_voice)
    return FileAnswer(reading_json(found.reading), notes + room_notes)


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
    file = read_calibration(calibration_path)
    specs = chain_spec(file)
    if out.exists() and source.exists() and out.samefile(source):
        raise Refused(
            "same-file",
            _(
                "The output would overwrite {name} while it is being read. Name another file"
                " for the output.",
                name=out.name,
            ),
        )
    with open_sound(source) as sound:
        chosen, notes, _voiced = pick_channel(sound, channel)
        levels = RunningLevels(rate_hz=sound.rate_hz, channels=1)
        count, whole, untouched = 0, sound.frames, not out.exists()
        try:
            with SoundWriter(out, rate_hz=sound.rate_hz) as written:
                parts = rendered(specs, sound.blocks(chosen), rate_hz=sound.rate_hz, beside=beside)
                for block in parts:
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
