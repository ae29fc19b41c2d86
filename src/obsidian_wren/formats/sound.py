"""Reading and writing sound files:

WAV, FLAC, AIFF and Ogg, 8 to 192 kHz, 8 to 32 bit, 1 to 8 channels; with the decoder also what
phones and browsers record.

A file is never held whole. Its header is looked at first; then one channel is read in blocks, up to
as much as its purpose can use. Every way a file can be wrong has a sentence that says what to do;
it is raised as :class:`BadSound`.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.faults import BadTake, require_finite
from obsidian_wren.core.wording import _
from obsidian_wren.formats.decoded import decoded, needs_decoder
from obsidian_wren.formats.sound_header import (
    ENDLESS_FRAMES,
    LARGEST_BYTES,
    LONGEST_S,
    BadSound,
    broken,
    check_header,
    library_path,
    looks_like_sound,
    promised_frames,
)

_BLOCK_S = 1.0
# What the channels say of each other is told from so many samples of all of them.
_COMPARED_SAMPLES = 6_000_000
_SMALL_BLOCK = 1024
# 40 dB over full scale; whole numbers that were written as fractions are far over it.
_LOUDEST = 100.0


class OpenSound:
    """A sound file that is open, its header looked at."""

    def __init__(self, file: soundfile.SoundFile, path: Path, name: str) -> None:
        self._file = file
        self._path = path
        self.name = name
        self.rate_hz: int = file.samplerate
        self.channels: int = file.channels
        self.container: str = file.format
        # None where the header does not say, as in sound that was written as it came.
        self.frames: int | None = file.frames if file.frames < ENDLESS_FRAMES else None

    def close(self) -> None:
        """Let the file go."""
        self._file.close()

    @property
    def claimed(self) -> int | None:
        """Frames that the header claims, None where it does not say."""
        promised = promised_frames(self._path, self.frames or 0)
        return max(self.frames or 0, promised) if promised is not None else self.frames

    def head(self) -> Samples:
        """The beginning of every channel ``(n, channels)``, as much as tells them apart; the
        next read starts anew."""
        wanted = max(self.rate_hz, _COMPARED_SAMPLES // self.channels)
        self._rewind()
        return np.asarray(self._read(min(wanted, 60 * self.rate_hz)), dtype=np.float64)

    def blocks(
        self, channel: int | None, *, seconds: float = _BLOCK_S, most: int | None = None
    ) -> Iterator[Samples]:
        """One channel, counted from 1, or all folded into one (None), in stretches of so many
        seconds ``(n,)``, up to ``most`` samples. Raises BadSound where it breaks off."""
        self._rewind()
        length = max(1, round(seconds * self.rate_hz))
        done = 0
        while most is None or done < most:
            wanted = length if most is None else min(length, most - done)
            block = self._stretch(wanted, channel)
            if not len(block):
                break
            # A sample that is no number makes both ends so.
            peak = max(float(block.max()), -float(block.min()))
            if not peak <= _LOUDEST:
                _require_finite_at(block, done, self.rate_hz)
                raise BadSound(
                    "scale",
                    _(
                        "{name} reaches {over:.0f} dB over full scale: its samples are scaled"
                        " wrongly. Export it again, as 24-bit WAV or FLAC.",
                        name=self.name,
                        over=20.0 * np.log10(peak),
                    ),
                )
            done += len(block)
            if done > LONGEST_S * self.rate_hz:
                raise BadSound(
                    "too-long",
                    _(
                        "{name} lasts over 2 h. Cut out the part you need, a minute is enough.",
                        name=self.name,
                    ),
                )
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
                self._file = soundfile.SoundFile(library_path(self._path))
            else:
                self._file.seek(0)

    def _read(self, count: int) -> np.ndarray:
        if self.frames is None:
            return self._read_endless(count)
        with _breaking(self.name):
            return np.asarray(
                self._file.read(
                    count, dtype="float32" if self._narrow else "float64", always_2d=True
                )
            )

    def _read_endless(self, count: int) -> np.ndarray:
        """Of sound that does not say how long it is, the library tells the end as an error: what
        comes before it counts."""
        parts: list[np.ndarray] = []
        with suppress(soundfile.LibsndfileError):
            while count > 0 and len(
                part := self._file.read(min(count, _SMALL_BLOCK), dtype="float32", always_2d=True)
            ):
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
            raise BadSound(
                "empty",
                _(
                    "There is no sound in {name}: it has no samples. Record it again.",
                    name=self.name,
                ),
            )
        there = self.frames if self.frames is not None and not all_read else read
        if claimed is not None and there < claimed:
            raise BadSound(
                "cut-off",
                _(
                    "{name} claims {claimed:.1f} s but holds {there:.1f} s: it was cut off. Copy"
                    " or export it again.",
                    name=self.name,
                    claimed=claimed / self.rate_hz,
                    there=there / self.rate_hz,
                ),
            )


@contextmanager
def _breaking(name: str) -> Iterator[None]:
    try:
        yield
    except soundfile.LibsndfileError as error:
        raise broken(name) from error


def _require_finite_at(block: Samples, done: int, rate_hz: int) -> None:
    try:
        require_finite(block, rate_hz=rate_hz)
    except BadTake:
        bad = np.flatnonzero(~np.isfinite(block))
        raise BadSound(
            "not-finite",
            _(
                "{bad} samples are infinite or not a number, the first at {done:.2f} s. The"
                " program that wrote the file is at fault: export it again as 24-bit WAV or"
                " FLAC.",
                bad=len(bad),
                done=(done + bad[0]) / rate_hz,
            ),
        ) from None


@contextmanager
def open_sound(path: Path) -> Iterator[OpenSound]:
    """Open a file and look at its header.

    Raises BadSound with a sentence for anything that is not sane sound.
    """
    name = path.name
    try:
        size = path.stat().st_size
    except OSError as error:
        raise BadSound(
            "unreadable",
            _(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=name,
                strerror=error.strerror,
            ),
        ) from error
    if path.is_dir():
        raise BadSound("unreadable", _("{name} is a folder. Name the sound file in it.", name=name))
    if size > LARGEST_BYTES:
        raise BadSound(
            "too-large",
            _(
                "{name} is {size:.1f} GB; the most is 2 GB. Cut out the part you need, a minute"
                " is enough.",
                name=name,
                size=size / 1024**3,
            ),
        )
    if size == 0:
        raise BadSound(
            "empty", _("{name} is empty (0 bytes). Export or record it again.", name=name)
        )
    if needs_decoder(path):
        with decoded(path) as wav, _opened(wav, name) as opened:
            opened.container = path.suffix.removeprefix(".").upper()
            yield opened
        return
    with _opened(path, name) as opened:
        yield opened


@contextmanager
def _opened(path: Path, name: str) -> Iterator[OpenSound]:
    try:
        file = soundfile.SoundFile(library_path(path))
    except (soundfile.LibsndfileError, OSError) as error:
        if looks_like_sound(path):
            raise broken(name) from error
        raise BadSound(
            "not-sound",
            _(
                "{name} is not a readable sound file. Use WAV, FLAC, AIFF or Ogg.",
                name=name,
            ),
        ) from error
    opened = OpenSound(file, path, name)
    try:
        check_header(file, name)
        yield opened
    finally:
        opened.close()
