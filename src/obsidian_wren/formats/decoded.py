"""Recordings as phones and browsers make them: AAC and AMR in MP4 and 3GP, Opus in WebM, read
through a decoder that is installed on top.

Source: ISO/IEC 14496-12 for the boxes that MP4 and 3GP begin with, RFC 9559 for WebM, RFC 4867 for
AMR, ISO/IEC 13818-7 for AAC.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from obsidian_wren.core.wording import _
from obsidian_wren.formats.sound_header import LONGEST_S, BadSound, broken

_MATROSKA = b"\x1a\x45\xdf\xa3"
_AMR = b"#!AMR"
_AAC = (b"\xff\xf1", b"\xff\xf9")


def needs_decoder(path: Path) -> bool:
    """Whether a file begins as one of the recordings that only the decoder reads."""
    try:
        with path.open("rb") as file:
            head = file.read(12)
    except OSError:
        return False
    return head[4:8] == b"ftyp" or head.startswith((_MATROSKA, _AMR, *_AAC))


@contextmanager
def decoded(path: Path) -> Iterator[Path]:
    """The sound of a recording as a WAV that goes with the block. Raises BadSound where the decoder
    is missing, or finds no sound."""
    av = _decoder(path.name)
    with tempfile.NamedTemporaryFile(suffix=".wav") as file:
        try:
            with av.open(str(path)) as container:
                _write(container, Path(file.name), path.name)
        except av.error.FFmpegError as error:
            raise broken(path.name) from error
        yield Path(file.name)


def _decoder(name: str) -> Any:
    try:
        return import_module("av")
    except ImportError as error:
        raise BadSound(
            "needs-decoder",
            _(
                "{name} is a phone's or a browser's recording, which needs a decoder. Install it"
                " with “pip install obsidian-wren[phone]”, or export the recording as WAV.",
                name=name,
            ),
        ) from error


def _write(container: Any, to: Path, name: str) -> None:
    if not container.streams.audio:
        raise BadSound("empty", _("There is no sound in {name}. Choose another file.", name=name))
    stream = container.streams.audio[0]
    rate_hz, channels = stream.rate, stream.channels
    # One shape, whatever the frames are in.
    shaped = import_module("av").AudioResampler(
        format="flt", layout="mono" if channels == 1 else "stereo", rate=rate_hz
    )
    with soundfile.SoundFile(to, "w", rate_hz, min(channels, 2), subtype="FLOAT") as file:
        for frame in container.decode(stream):
            _append(file, shaped.resample(frame))
            if file.frames > LONGEST_S * rate_hz:
                raise BadSound(
                    "too-long",
                    _(
                        "{name} lasts over 2 h. Cut out the part you need, a minute is enough.",
                        name=name,
                    ),
                )
        _append(file, shaped.resample(None))


def _append(file: soundfile.SoundFile, frames: Any) -> None:
    for frame in frames:
        file.write(np.asarray(frame.to_ndarray()).reshape(-1, file.channels))
