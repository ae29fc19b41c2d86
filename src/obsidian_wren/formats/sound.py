"""Reading and writing sound files: WAV, FLAC, AIFF and Ogg, 8 to 192 kHz, 8 to 32 bit, 1 to 8 channels.

Every way a file can be wrong has a sentence that says what to do; it is raised as :class:`BadSound`.
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.faults import BadTake, require_finite

LARGEST_BYTES = 2 * 1024**3
LONGEST_S = 2 * 3600.0
_RATES_HZ = (8_000, 192_000)
_MOST_CHANNELS = 8
_UNKNOWN_LENGTHS = (0, 0xFFFFFFFF, 0x7FFFFFFF)
_FORMATS = ("WAV", "WAVEX", "FLAC", "AIFF", "OGG", "RF64", "W64")


class BadSound(BadTake):
    """A file that cannot be read as sound."""


@dataclass(frozen=True)
class Sound:
    """Samples ``(n,)`` or ``(n, channels)``, rate in Hz, and the container they came in."""

    samples: Samples
    rate_hz: int
    container: str


def read_sound(path: Path) -> Sound:
    """Read a whole file as float64. Raises BadSound with a sentence for anything that is not whole, sane sound."""
    name = path.name
    try:
        size = path.stat().st_size
    except OSError as error:
        raise BadSound("unreadable", f"{name} cannot be opened ({error.strerror}). Check the name and try again.") from error
    if size > LARGEST_BYTES:
        raise BadSound(
            "too-large", f"{name} is {size / 1024**3:.1f} GB; 2 GB is the most. Cut out the part that you need, a minute is enough."
        )
    if size == 0:
        raise BadSound("empty", f"{name} is empty (0 bytes). Export or record it again.")
    try:
        with soundfile.SoundFile(path) as file:
            _check_header(file, name)
            claimed = file.frames
            samples = file.read(dtype="float64")
            rate, container = file.samplerate, file.format
    except soundfile.LibsndfileError as error:
        if _looks_like_sound(path):
            raise BadSound("broken", f"{name} begins like sound but is broken inside. Export it again as WAV or FLAC.") from error
        raise BadSound("not-sound", f"{name} is not a sound file that can be read. Use WAV, FLAC, AIFF or Ogg.") from error
    if not len(samples):
        raise BadSound("empty", f"There is no sound in {name}: zero samples. Record again, then try once more.")
    promised = _promised_frames(path, samples)
    if promised is not None:
        claimed = max(claimed, promised)
    if len(samples) < claimed:
        raise BadSound(
            "cut-off",
            f"{name} claims {claimed / rate:.1f} s but holds {len(samples) / rate:.1f} s: it was cut off. Copy or export it again.",
        )
    require_finite(samples, rate_hz=rate)
    return Sound(samples, rate, container)


def _check_header(file: soundfile.SoundFile, name: str) -> None:
    if file.format not in _FORMATS:
        raise BadSound("not-sound", f"{name} is {file.format}, which is not read here. Use WAV, FLAC, AIFF or Ogg.")
    low, high = _RATES_HZ
    if not low <= file.samplerate <= high:
        raise BadSound("rate", f"{name} has {file.samplerate} samples a second; 8 to 192 kHz are read. Convert it to 48 kHz.")
    if file.channels > _MOST_CHANNELS:
        raise BadSound("channels", f"{name} has {file.channels} channels; 8 is the most. Export the microphone's channel alone.")
    if file.frames / file.samplerate > LONGEST_S and file.frames < 2**62:
        raise BadSound(
            "too-long",
            f"{name} lasts {file.frames / file.samplerate / 3600:.1f} h; 2 h is the most. Cut out the part that you need, a minute is enough.",
        )


def _looks_like_sound(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(4) in (b"RIFF", b"fLaC", b"FORM", b"OggS", b"RF64")


def _promised_frames(path: Path, samples: Samples) -> int | None:
    """Frames that a WAV or AIFF header promises; libsndfile quietly trims them to what is there."""
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
                return None if length <= here + 1 else int(len(samples) * length / max(here, 1))
            file.seek(length + length % 2, os.SEEK_CUR)
    return None


def write_sound(path: Path, samples: Samples, *, rate_hz: int) -> None:
    """Write ``(n,)`` or ``(n, channels)`` as 24-bit, in the format of the file's ending. Samples over full scale are cut there."""
    kind = {".wav": "WAV", ".flac": "FLAC", ".aiff": "AIFF", ".aif": "AIFF", ".ogg": "OGG"}.get(path.suffix.lower())
    if kind is None:
        raise BadSound("ending", f"{path.name} has no ending that says how to write it. Use .wav, .flac, .aiff or .ogg.")
    subtype = "VORBIS" if kind == "OGG" else "PCM_24"
    try:
        soundfile.write(path, np.clip(samples, -1.0, 1.0), rate_hz, format=kind, subtype=subtype)
    except (OSError, soundfile.LibsndfileError) as error:
        raise BadSound("unwritable", f"{path} cannot be written ({error}). Check the folder and the free space, then try again.") from error
