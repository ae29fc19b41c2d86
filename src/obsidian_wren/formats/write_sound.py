"""Sound files are written in blocks, put on the disk, and then named."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.formats.sound_header import BadSound, library_path


class SoundWriter:
    """Writes a sound as it arrives, as 24-bit, in the format of the file's ending.

    Samples over full scale are cut there.
    """

    def __init__(self, path: Path, *, rate_hz: int, channels: int = 1) -> None:
        kind = {".wav": "WAV", ".flac": "FLAC", ".aiff": "AIFF", ".aif": "AIFF", ".ogg": "OGG"}.get(
            path.suffix.lower()
        )
        if kind is None:
            raise BadSound(
                "ending",
                _(
                    "{name} has no ending that names its format. Use .wav, .flac, .aiff or .ogg.",
                    name=path.name,
                ),
            )
        self._path = path
        with _writing(path):
            self._file = soundfile.SoundFile(
                library_path(path),
                "w",
                samplerate=rate_hz,
                channels=channels,
                format=kind,
                subtype="VORBIS" if kind == "OGG" else "PCM_24",
            )

    def write(self, samples: Samples) -> None:
        """The next ``(n,)`` or ``(n, channels)`` samples.

        Raises BadSound where the disk refuses.
        """
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
        raise BadSound(
            "unwritable",
            _(
                "{path} cannot be written. Check the folder and the free space, then try again.",
                path=path,
            ),
        ) from error


def write_sound(path: Path, samples: Samples, *, rate_hz: int) -> None:
    """Write ``(n,)`` or ``(n, channels)`` samples to a file."""
    with SoundWriter(
        path, rate_hz=rate_hz, channels=1 if samples.ndim == 1 else samples.shape[1]
    ) as file:
        file.write(samples)
