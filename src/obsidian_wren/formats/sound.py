"""Reading and writing sound files: WAV, FLAC, AIFF and Ogg, 8 to 192 kHz, 8 to 32 bit, 1 to 8 channels.

A file is never held whole. Its header is looked at first; then one channel is read in blocks, up to as much as its purpose can use. Every way
a file can be wrong has a sentence that says what to do; it is raised as :class:`BadSound`.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.faults import BadTake, Note, choose_channel, require_finite
from obsidian_wren.core.measure.integrity import Channels, compare_channels

LARGEST_BYTES = 2 * 1024**3
LONGEST_S = 2 * 3600.0
_RATES_HZ = (8_000, 192_000)
_MOST_CHANNELS = 8
_UNKNOWN_LENGTHS = (0, 0xFFFFFFFF, 0x7FFFFFFF)
_FORMATS = ("WAV", "WAVEX", "FLAC", "AIFF", "OGG", "RF64", "W64")
_BLOCK_S = 1.0
# What the channels say of each other is told from so many samples of all of them.
_COMPARED_SAMPLES = 6_000_000
# What is held of a take: five minutes at 48 kHz.
MOST_HELD_SAMPLES = 14_400_000
_ENDLESS = 2**62
_SMALL_BLOCK = 1024


class BadSound(BadTake):
    """A file that cannot be read as sound."""


@dataclass(frozen=True)
class Sound:
    """One channel of a file: samples ``(n,)``, rate in Hz, the container, and what is to be said of it.

    ``channels`` is what the channels said of each other, None where there is one; ``left_out_s`` the seconds at its end that were not read.
    """

    samples: Samples
    rate_hz: int
    container: str
    notes: tuple[Note, ...]
    channels: Channels | None
    left_out_s: float


class OpenSound:
    """A sound file that is open, its header looked at."""

    def __init__(self, file: soundfile.SoundFile, path: Path) -> None:
        self._file = file
        self._path = path
        self.name = path.name
        self.rate_hz: int = file.samplerate
        self.channels: int = file.channels
        self.container: str = file.format
        # None where the header does not say, as in sound that was written as it came.
        self.frames: int | None = file.frames if file.frames < _ENDLESS else None

    def close(self) -> None:
        """Let the file go."""
        self._file.close()

    @property
    def claimed(self) -> int | None:
        """Frames that the header claims, None where it does not say."""
        promised = _promised_frames(self._path, self.frames or 0)
        return max(self.frames or 0, promised) if promised is not None else self.frames

    def head(self) -> Samples:
        """The beginning of every channel ``(n, channels)``, as much as tells them apart; the next read starts anew."""
        wanted = max(self.rate_hz, _COMPARED_SAMPLES // self.channels)
        self._rewind()
        return np.asarray(self._read(min(wanted, 60 * self.rate_hz)), dtype=np.float64)

    def blocks(self, channel: int | None, *, seconds: float = _BLOCK_S, most: int | None = None) -> Iterator[Samples]:
        """One channel, counted from 1, or all folded into one (None), in stretches of so many seconds ``(n,)``, up to ``most`` samples. Raises BadSound where it breaks off."""
        self._rewind()
        length = max(1, round(seconds * self.rate_hz))
        done = 0
        while most is None or done < most:
            wanted = length if most is None else min(length, most - done)
            block = self._stretch(wanted, channel)
            if not len(block):
                break
            if not np.isfinite(block).all():
                _require_finite_at(block, done, self.rate_hz)
            done += len(block)
            if done > LONGEST_S * self.rate_hz:
                raise BadSound("too-long", f"{self.name} lasts over 2 h. Cut out the part that you need, a minute is enough.")
            yield block
        self._require_whole(done, all_read=most is None or done < most)

    def _stretch(self, wanted: int, channel: int | None) -> Samples:
        """So many samples of one channel; all channels are held for a second at a time only."""
        parts: list[Samples] = []
        got = 0
        while got < wanted:
            both = self._read(min(wanted - got, self.rate_hz))
            part = both.mean(axis=1) if channel is None else both[:, channel - 1]
            if not len(part):
                break
            parts.append(part.astype(np.float64))
            got += len(part)
        return np.concatenate(parts) if parts else np.zeros(0)

    def _rewind(self) -> None:
        with _breaking(self.name):
            if self.frames is None:
                # Past its end, which was an error, it cannot be sought in.
                self._file.close()
                self._file = soundfile.SoundFile(self._path)
            else:
                self._file.seek(0)

    def _read(self, count: int) -> np.ndarray:
        if self.frames is None:
            return self._read_endless(count)
        with _breaking(self.name):
            return np.asarray(self._file.read(count, dtype="float32" if self._narrow else "float64", always_2d=True))

    def _read_endless(self, count: int) -> np.ndarray:
        """Of sound that does not say how long it is, the library tells the end as an error: what comes before it counts."""
        parts: list[np.ndarray] = []
        with suppress(soundfile.LibsndfileError):
            while count > 0 and len(part := self._file.read(min(count, _SMALL_BLOCK), dtype="float32", always_2d=True)):
                parts.append(part)
                count -= len(part)
        return np.concatenate(parts) if parts else np.zeros((0, self.channels))

    @property
    def _narrow(self) -> bool:
        """Whether single precision holds every sample as it is."""
        return self._file.subtype not in ("PCM_32", "DOUBLE")

    def _require_whole(self, read: int, *, all_read: bool) -> None:
        claimed = self.claimed
        if not read:
            raise BadSound("empty", f"There is no sound in {self.name}: zero samples. Record again, then try once more.")
        there = self.frames if self.frames is not None and not all_read else read
        if claimed is not None and there < claimed:
            raise BadSound(
                "cut-off",
                f"{self.name} claims {claimed / self.rate_hz:.1f} s but holds {there / self.rate_hz:.1f} s: it was cut off. "
                "Copy or export it again.",
            )


@contextmanager
def _breaking(name: str) -> Iterator[None]:
    try:
        yield
    except soundfile.LibsndfileError as error:
        raise BadSound("broken", f"{name} begins like sound but is broken inside. Export it again as WAV or FLAC.") from error


def _require_finite_at(block: Samples, done: int, rate_hz: int) -> None:
    try:
        require_finite(block, rate_hz=rate_hz)
    except BadTake:
        bad = np.flatnonzero(~np.isfinite(block))
        raise BadSound(
            "not-finite",
            f"{len(bad)} samples are not numbers or infinite, the first at {(done + bad[0]) / rate_hz:.2f} s. "
            "The program that wrote the sound is at fault: export it again, as 24-bit WAV or FLAC.",
        ) from None


@contextmanager
def open_sound(path: Path) -> Iterator[OpenSound]:
    """Open a file and look at its header. Raises BadSound with a sentence for anything that is not sane sound."""
    name = path.name
    try:
        size = path.stat().st_size
    except OSError as error:
        raise BadSound("unreadable", f"{name} cannot be opened ({error.strerror}). Check the name and try again.") from error
    if path.is_dir():
        raise BadSound("unreadable", f"{name} is a folder. Name the sound file in it.")
    if size > LARGEST_BYTES:
        raise BadSound(
            "too-large", f"{name} is {size / 1024**3:.1f} GB; 2 GB is the most. Cut out the part that you need, a minute is enough."
        )
    if size == 0:
        raise BadSound("empty", f"{name} is empty (0 bytes). Export or record it again.")
    try:
        file = soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, OSError) as error:
        if _looks_like_sound(path):
            raise BadSound("broken", f"{name} begins like sound but is broken inside. Export it again as WAV or FLAC.") from error
        raise BadSound("not-sound", f"{name} is not a sound file that can be read. Use WAV, FLAC, AIFF or Ogg.") from error
    opened = OpenSound(file, path)
    try:
        _check_header(file, name)
        yield opened
    finally:
        opened.close()


def read_sound(
    path: Path, *, channel: int | None = None, most_samples: int = MOST_HELD_SAMPLES, longest_s: float | None = None, fold: bool = False
) -> Sound:
    """Read one channel of a file, its first ``most_samples`` at the most; ``channel`` counts from 1, None takes the one that carries sound.
    ``fold`` takes the mean of all.

    Raises BadSound for anything that is not whole, sane sound, or lasts longer than ``longest_s``; BadTake for a channel that is not there.
    """
    with open_sound(path) as file:
        if longest_s is not None and file.frames is not None and file.frames > longest_s * file.rate_hz:
            raise BadSound(
                "too-long",
                f"{file.name} lasts {file.frames / file.rate_hz:.0f} s; {longest_s:.0f} s are the most here. Cut it shorter first.",
            )
        chosen, notes, channels = (None, (), None) if fold else pick_channel(file, channel)
        held = np.empty(min(most_samples, file.frames) if file.frames is not None else 0)
        count = 0
        for block in file.blocks(chosen, most=most_samples):
            if count + len(block) > len(held):
                held = np.concatenate([held[:count], np.empty(max(len(block), count))])
            held[count : count + len(block)] = block
            count += len(block)
        left_out = max(0.0, ((file.frames or count) - count) / file.rate_hz)
        return Sound(held[:count], file.rate_hz, file.container, notes, channels, left_out)


def pick_channel(file: OpenSound, channel: int | None) -> tuple[int, tuple[Note, ...], Channels | None]:
    """Which channel of a file is used, counted from 1, what is to be said of that, and what the channels say of each other."""
    head = file.head()
    if not len(head):
        raise BadSound("empty", f"There is no sound in {file.name}: zero samples. Record again, then try once more.")
    # What is no number is told where it is read.
    head = np.nan_to_num(head, nan=0.0, posinf=1.0, neginf=-1.0)
    if file.channels == 1:
        choose_channel(head[:, 0], channel)
        return 1, (), None
    samples, notes = choose_channel(head, channel)
    chosen = next(c for c in range(file.channels) if np.array_equal(head[:, c], samples)) if channel is None else channel - 1
    return chosen + 1, notes, compare_channels(head)


def _check_header(file: soundfile.SoundFile, name: str) -> None:
    if file.format not in _FORMATS:
        raise BadSound("not-sound", f"{name} is {file.format}, which is not read here. Use WAV, FLAC, AIFF or Ogg.")
    low, high = _RATES_HZ
    if not low <= file.samplerate <= high:
        raise BadSound("rate", f"{name} has {file.samplerate} samples a second; 8 to 192 kHz are read. Convert it to 48 kHz.")
    if file.channels > _MOST_CHANNELS:
        raise BadSound("channels", f"{name} has {file.channels} channels; 8 is the most. Export the microphone's channel alone.")
    if file.frames / file.samplerate > LONGEST_S and file.frames < _ENDLESS:
        raise BadSound(
            "too-long",
            f"{name} lasts {file.frames / file.samplerate / 3600:.1f} h; 2 h is the most. Cut out the part that you need, a minute is enough.",
        )


def _looks_like_sound(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return file.read(4) in (b"RIFF", b"fLaC", b"FORM", b"OggS", b"RF64")
    except OSError:
        return False


def _promised_frames(path: Path, frames: int) -> int | None:
    """Frames that a WAV or AIFF header promises; libsndfile quietly trims them to the ``frames`` that are there."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        big = head[:4] == b"FORM"
        if head[:4] not in (b"RIFF", b"FORM"):
            return None
        order = ">" if big else "<"
        while len(header := file.read(8)) == 8:
            kind, length = header[:4], struct.unpack(order + "I", header[4:])[0]
            if kind in (b"data", b"SSND"):
                if length in _UNKNOWN_LENGTHS:
                    return None
                here = size - file.tell()
                return None if length <= here + 1 else int(frames * length / max(here, 1))
            file.seek(length + length % 2, os.SEEK_CUR)
    return None


class SoundWriter:
    """Writes a sound as it comes, as 24-bit, in the format of the file's ending. Samples over full scale are cut there."""

    def __init__(self, path: Path, *, rate_hz: int, channels: int = 1) -> None:
        kind = {".wav": "WAV", ".flac": "FLAC", ".aiff": "AIFF", ".aif": "AIFF", ".ogg": "OGG"}.get(path.suffix.lower())
        if kind is None:
            raise BadSound("ending", f"{path.name} has no ending that says how to write it. Use .wav, .flac, .aiff or .ogg.")
        self._path = path
        with _writing(path):
            self._file = soundfile.SoundFile(
                path, "w", samplerate=rate_hz, channels=channels, format=kind, subtype="VORBIS" if kind == "OGG" else "PCM_24"
            )

    def write(self, samples: Samples) -> None:
        """The next ``(n,)`` or ``(n, channels)`` samples. Raises BadSound where the disk refuses."""
        with _writing(self._path):
            self._file.write(np.clip(samples, -1.0, 1.0))

    def close(self) -> None:
        """Finish the file."""
        with _writing(self._path):
            self._file.close()

    def __enter__(self) -> SoundWriter:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


@contextmanager
def _writing(path: Path) -> Iterator[None]:
    try:
        yield
    except (OSError, soundfile.LibsndfileError, AssertionError) as error:
        # The library tells a write that failed by its count alone.
        raise BadSound("unwritable", f"{path} cannot be written. Check the folder and the free space, then try again.") from error


def write_sound(path: Path, samples: Samples, *, rate_hz: int) -> None:
    """Write ``(n,)`` or ``(n, channels)`` samples to a file."""
    with SoundWriter(path, rate_hz=rate_hz, channels=1 if samples.ndim == 1 else samples.shape[1]) as file:
        file.write(samples)
