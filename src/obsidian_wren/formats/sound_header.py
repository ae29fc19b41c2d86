"""What the header of a sound file promises, and whether that is read here."""

from __future__ import annotations

import os
import struct
from pathlib import Path

import soundfile

from obsidian_wren.core.measure.faults import BadTake
from obsidian_wren.core.wording import _

LARGEST_BYTES = 2 * 1024**3
LONGEST_S = 2 * 3600.0
_RATES_HZ = (8_000, 192_000)
_MOST_CHANNELS = 8
ENDLESS_FRAMES = 2**62
_UNKNOWN_LENGTHS = (0, 0xFFFFFFFF, 0x7FFFFFFF)
_FORMATS = ("WAV", "WAVEX", "FLAC", "AIFF", "OGG", "RF64", "W64", "MP3")


class BadSound(BadTake):
    """A file that cannot be read as sound."""


def broken(name: str) -> BadSound:
    """What is told of a file that begins as sound and is none further on."""
    return BadSound(
        "broken",
        _(
            "{name} starts like a sound file but is broken inside. Export it again as WAV or FLAC.",
            name=name,
        ),
    )


def library_path(path: Path) -> Path | bytes:
    """A path as the sound library takes it: it writes names down itself, but only those that are
    text."""
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return os.fsencode(path)
    return path


def check_header(file: soundfile.SoundFile, name: str) -> None:
    """Raise :class:`BadSound` where format, rate, channels or length are not read here."""
    if file.format not in _FORMATS:
        raise BadSound(
            "not-sound",
            _(
                "{name} is {format}, which this program does not read. Use WAV, FLAC, AIFF or Ogg.",
                name=name,
                format=file.format,
            ),
        )
    low, high = _RATES_HZ
    if not low <= file.samplerate <= high:
        raise BadSound(
            "rate",
            _(
                "{name} has {samplerate} samples a second; 8 to 192 kHz are supported. Convert"
                " it to 48 kHz.",
                name=name,
                samplerate=file.samplerate,
            ),
        )
    if file.channels > _MOST_CHANNELS:
        raise BadSound(
            "channels",
            _(
                "{name} has {channels} channels; the most is 8. Export the microphone's channel"
                " alone.",
                name=name,
                channels=file.channels,
            ),
        )
    if file.frames / file.samplerate > LONGEST_S and file.frames < ENDLESS_FRAMES:
        raise BadSound(
            "too-long",
            _(
                "{name} lasts {frames:.1f} h; the most is 2 h. Cut out the part you need, a"
                " minute is enough.",
                name=name,
                frames=file.frames / file.samplerate / 3600,
            ),
        )


def looks_like_sound(path: Path) -> bool:
    """Whether the file begins as one of the formats that are read."""
    try:
        with path.open("rb") as file:
            return file.read(4) in (b"RIFF", b"fLaC", b"FORM", b"OggS", b"RF64")
    except OSError:
        return False


def promised_frames(path: Path, frames: int) -> int | None:
    """Frames that a WAV or AIFF header promises; libsndfile quietly trims them to the ``frames``
    that are there."""
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
