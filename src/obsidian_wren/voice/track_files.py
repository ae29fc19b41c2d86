"""Recordings while they grow: files that are whole at any instant, whatever kills the program.

A WAV's header (RIFF, EBU Tech 3285 names the chunks) says how long it is, so it is written anew
with every block. A FLAC (RFC 9639) says so in its first block, STREAMINFO: the count of samples of
the frames that are whole is put there as they come. What the system has in its hands survives the
end of the program; once a second it is put on the disk.
"""

from __future__ import annotations

import os
import struct
import time
from pathlib import Path
from typing import Protocol

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors, sync_folder
from obsidian_wren.voice.records import FileFormat

_SYNC_EVERY_S = 1.0
_FULL = 1.0 - 2.0**-23
# The fields of a WAV are 32 bit wide.
_WAV_MOST_BYTES = 4_000_000_000
_WAV_HEADER = 44
# STREAMINFO lies behind the marker and its own header; the samples are its bits 108 to 143.
_STREAMINFO_SAMPLES = 8 + 13


class TrackFile(Protocol):
    """A file of one track.

    ``frames`` are those that were given, ``safe_frames`` those that the file would hold after a
    kill now.
    """

    path: Path
    frames: int

    @property
    def safe_frames(self) -> int:
        """Frames that the file holds as it lies."""
        ...

    def write(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples.

        Raises FolderError when the disk is full; what was written stays.
        """
        ...

    def close(self) -> None:
        """Finish the file."""
        ...


def open_track(path: Path, *, rate_hz: int, channels: int, file_format: FileFormat) -> TrackFile:
    """Begin a file."""
    kind = _Wav if file_format == "wav" else _Flac
    with disk_errors(_("beginning a recording")):
        return kind(path, rate_hz, channels)


class _Synced:
    def __init__(self, path: Path) -> None:
        self.path = path
        self.frames = 0
        self._fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
        self._synced = time.monotonic()

    def _close(self) -> None:
        try:
            with disk_errors(_("ending a recording")):
                os.fsync(self._fd)
        finally:
            os.close(self._fd)
            sync_folder(self.path.parent)

    def _sync(self) -> None:
        if time.monotonic() - self._synced > _SYNC_EVERY_S:
            self._synced = time.monotonic()
            os.fdatasync(self._fd)


class _Wav(_Synced):
    def __init__(self, path: Path, rate_hz: int, channels: int) -> None:
        super().__init__(path)
        self._rate_hz, self._channels = rate_hz, channels
        self._head()

    @property
    def safe_frames(self) -> int:
        return self.frames

    def _head(self) -> None:
        frame = 3 * self._channels
        size = self.frames * frame
        head = struct.pack(
            "<4sI4s4sIHHIIHH4sI",
            b"RIFF",
            36 + size,
            b"WAVE",
            b"fmt ",
            16,
            1,
            self._channels,
            self._rate_hz,
            self._rate_hz * frame,
            frame,
            24,
            b"data",
            size,
        )
        os.pwrite(self._fd, head, 0)

    def write(self, block: Samples) -> None:
        whole = np.round(np.clip(block, -1.0, _FULL) * 2.0**23).astype("<i4").reshape(-1, 1)
        with disk_errors(_("writing a recording")):
            _write_all(
                self._fd,
                whole.view(np.uint8).reshape(-1, 4)[:, :3].tobytes(),
                _WAV_HEADER + self.frames * 3 * self._channels,
            )
            self.frames += len(block)
            self._head()
            self._sync()

    @property
    def full(self) -> bool:
        return self.frames * 3 * self._channels > _WAV_MOST_BYTES

    def close(self) -> None:
        self._close()


def _write_all(fd: int, data: bytes, at: int) -> None:
    done = 0
    while done < len(data):
        done += os.pwrite(fd, data[done:], at + done)


class _Unbuffered:
    """A file for the encoder that hands everything on at once and tells how far the last whole
    frame reaches."""

    def __init__(self, fd: int) -> None:
        self._fd = fd
        self._at = 0
        self.failed: OSError | None = None

    def write(self, data: bytes | memoryview) -> int:
        try:
            _write_all(self._fd, bytes(data), self._at)
        except OSError as error:
            # The encoder would only say that it failed.
            self.failed = error
            return 0
        self._at += len(data)
        return len(data)

    def read(self, count: int = -1) -> bytes:
        got = os.pread(
            self._fd, count if count >= 0 else os.fstat(self._fd).st_size - self._at, self._at
        )
        self._at += len(got)
        return got

    def seek(self, offset: int, whence: int = 0) -> int:
        self._at = offset + (0, self._at, os.fstat(self._fd).st_size)[whence]
        return self._at

    def tell(self) -> int:
        return self._at

    def flush(self) -> None:
        """Nothing waits."""


class _Flac(_Synced):
    # libFLAC's fixed size of a frame at its usual levels; one sample more has to come before a
    # frame is let go.
    _FRAME = 4096

    def __init__(self, path: Path, rate_hz: int, channels: int) -> None:
        super().__init__(path)
        self._raw = _Unbuffered(self._fd)
        self._file = soundfile.SoundFile(
            self._raw, "w", samplerate=rate_hz, channels=channels, format="FLAC", subtype="PCM_24"
        )
        self._told = 0

    @property
    def safe_frames(self) -> int:
        return max(0, (self.frames - 1) // self._FRAME * self._FRAME)

    def write(self, block: Samples) -> None:
        with disk_errors(_("writing a recording")):
            try:
                self._file.write(np.clip(block, -1.0, _FULL))
            except (soundfile.LibsndfileError, AssertionError) as error:
                # The library tells a write that failed by its count alone.
                raise (self._raw.failed or OSError(28, "no space left")) from error
            if self._raw.failed is not None:
                raise self._raw.failed
            self.frames += len(block)
            if self.safe_frames != self._told:
                self._told = self.safe_frames
                _put_samples(self._fd, self._told)
            self._sync()

    def close(self) -> None:
        try:
            with disk_errors(_("ending a recording")):
                try:
                    self._file.close()
                except (soundfile.LibsndfileError, AssertionError) as error:
                    raise (self._raw.failed or OSError(28, "no space left")) from error
                if self._raw.failed is not None:
                    raise self._raw.failed
        finally:
            self._close()


def tell_samples(path: Path, frames: int) -> None:
    """Say in a FLAC how many samples it holds, where its last frames could not be written."""
    if path.suffix == ".flac":
        with disk_errors(_("repairing a recording")):
            fd = os.open(path, os.O_RDWR)
            try:
                _put_samples(fd, frames)
                os.fsync(fd)
            finally:
                os.close(fd)


def _put_samples(fd: int, samples: int) -> None:
    held = os.pread(fd, 5, _STREAMINFO_SAMPLES)
    if len(held) == 5:
        # The upper half of the first byte is part of the depth.
        value = ((held[0] & 0xF0) << 32) | samples
        os.pwrite(fd, value.to_bytes(5, "big"), _STREAMINFO_SAMPLES)
