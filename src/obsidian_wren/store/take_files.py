"""Takes on the disk: parts while they run, FLAC by content hash once they are whole.

A part is raw 32-bit floats beside a small JSON that says what it is, written first. Whatever kills the program, the samples that
were written are there at the next start.
"""

from __future__ import annotations

import hashlib
import json
import os
import uuid
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.store.folder import DataFolder, disk_errors, write_through

_SYNC_EVERY_S = 1.0


@dataclass(frozen=True)
class PartInfo:
    """What a take in progress is."""

    purpose: str
    rate_hz: int
    source: str
    facts: dict[str, Any]
    started_at: str
    notes: tuple[str, ...] = ()
    channels: int = 1


class Part:
    """A take in progress."""

    def __init__(self, folder: DataFolder, info: PartInfo) -> None:
        self.id = uuid.uuid4().hex[:12]
        self.info = info
        self.frames = 0
        self._path = folder.parts / f"{self.id}.f32"
        self._unsynced = 0
        with disk_errors("beginning a take"):
            write_through(folder.parts / f"{self.id}.json", json.dumps(asdict(info)).encode())
            self._file = self._path.open("wb", buffering=0)

    def append(self, samples: Samples) -> None:
        """Add ``(n,)`` or ``(n, channels)`` samples. Raises FolderError when the disk is full; what was written stays."""
        with disk_errors("recording a take"):
            self._file.write(samples.astype("<f4").tobytes())
            self.frames += len(samples)
            self._unsynced += len(samples)
            if self._unsynced >= _SYNC_EVERY_S * self.info.rate_hz:
                os.fsync(self._file.fileno())
                self._unsynced = 0

    def close(self) -> None:
        """Stop writing; the part stays until it is finished or discarded."""
        self._file.close()


@dataclass(frozen=True)
class HalfTake:
    """A part that was cut off."""

    id: str
    info: PartInfo
    frames: int


def list_halves(folder: DataFolder, *, running: str | None) -> list[HalfTake]:
    """Parts left behind, without the one that is running."""
    halves = []
    for description in sorted(folder.parts.glob("*.json")):
        if description.stem == running:
            continue
        samples = description.with_suffix(".f32")
        info = _info(json.loads(description.read_text()))
        frames = samples.stat().st_size // (4 * info.channels) if samples.exists() else 0
        halves.append(HalfTake(description.stem, info, frames))
    return halves


def _info(body: dict[str, Any]) -> PartInfo:
    """What a part is, also one that an older version left behind: it named gain and placement one by one."""
    old = {name: body.pop(name) for name in ("gain_db", "distance_cm", "angle_deg") if name in body}
    body["facts"] = {**old, **body.get("facts", {})}
    body["notes"] = tuple(body.get("notes", ()))
    return PartInfo(**body)


def read_part(folder: DataFolder, part_id: str, *, channels: int = 1) -> Samples:
    """The samples of a part, ``(n,)`` or ``(n, channels)``; a last sample that was cut in two is left out."""
    raw = (folder.parts / f"{part_id}.f32").read_bytes()
    samples = np.frombuffer(raw[: len(raw) // (4 * channels) * 4 * channels], dtype="<f4").astype(np.float64)
    return samples if channels == 1 else samples.reshape(-1, channels)


def drop_part(folder: DataFolder, part_id: str) -> None:
    """Remove a part: its sound first, so that a description never outlives it unnoticed."""
    (folder.parts / f"{part_id}.f32").unlink(missing_ok=True)
    (folder.parts / f"{part_id}.json").unlink(missing_ok=True)


def keep_take(folder: DataFolder, samples: Samples, *, rate_hz: int) -> str:
    """Write ``(n,)`` samples as a whole FLAC named by its content hash; returns the hash. Non-finite samples become silence."""
    clean = np.nan_to_num(samples, nan=0.0, posinf=1.0, neginf=-1.0)
    temporary = folder.takes / f"{uuid.uuid4().hex}.new"
    with disk_errors("keeping a take"):
        try:
            with temporary.open("wb") as file:
                soundfile.write(file, np.clip(clean, -1.0, 1.0), rate_hz, format="FLAC", subtype="PCM_24")
                file.flush()
                os.fsync(file.fileno())
            digest = hashlib.sha256(temporary.read_bytes()).hexdigest()
            temporary.replace(folder.takes / f"{digest}.flac")
        except soundfile.LibsndfileError as error:
            raise OSError(28, "no space left") from error
        finally:
            temporary.unlink(missing_ok=True)
    return digest


def take_path(folder: DataFolder, digest: str) -> Path:
    """Where a take lies."""
    return folder.takes / f"{digest}.flac"


def load_take(folder: DataFolder, digest: str) -> tuple[Samples, int]:
    """The samples ``(n,)`` and rate of a take."""
    samples, rate = soundfile.read(take_path(folder, digest), dtype="float64")
    return samples, rate
