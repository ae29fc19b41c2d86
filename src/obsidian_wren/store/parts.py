"""Takes in progress: raw samples that grow, until they are kept or thrown away."""

from __future__ import annotations

import dataclasses
import json
import os
import shutil
import uuid
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors
from obsidian_wren.store.folder import DataFolder, open_private, write_through
from obsidian_wren.store.take_files import _MOST_CHANNELS, _RATES_HZ

_SYNC_EVERY_S = 1.0
# Uploads lie here while they are read; what is left of them at a start was killed.
UPLOAD_PREFIX = "upload-"
# The worker's copy of the database.
COPY_PREFIX = "worker-"
_UPLOADS = (f"{UPLOAD_PREFIX}*", "tmp*")


@dataclass(frozen=True)
class PartInfo:
    """What a take in progress is, and the rig that it belongs to."""

    purpose: str
    rate_hz: int
    source: str
    facts: dict[str, Any]
    started_at: str
    notes: tuple[str, ...] = ()
    channels: int = 1
    rig_id: int | None = None


class Part:
    """A take in progress."""

    def __init__(self, folder: DataFolder, info: PartInfo) -> None:
        self.id = uuid.uuid4().hex[:12]
        self.info = info
        self.frames = 0
        self._path = folder.parts / f"{self.id}.f32"
        self._unsynced = 0
        with disk_errors(_("beginning a take")):
            write_through(folder.parts / f"{self.id}.json", json.dumps(asdict(info)).encode())
            self._file = open_private(self._path)

    def append(self, samples: Samples) -> None:
        """Add ``(n,)`` or ``(n, channels)`` samples.

        Raises FolderError when the disk is full; what was written stays.
        """
        with disk_errors(_("recording a take")):
            self._file.write(samples.astype("<f4").tobytes())
            self._file.flush()
            self.frames += len(samples)
            self._unsynced += len(samples)
            if self._unsynced >= _SYNC_EVERY_S * self.info.rate_hz:
                os.fsync(self._file.fileno())
                self._unsynced = 0

    def close(self) -> None:
        """Stop writing; the part stays until it is finished or discarded."""
        with suppress(OSError):
            self._file.close()


@dataclass(frozen=True)
class HalfTake:
    """A part that was cut off."""

    id: str
    info: PartInfo
    frames: int


def list_halves(folder: DataFolder, *, running: str | None) -> list[HalfTake]:
    """Parts left behind, without the one that is running.

    What is no part is passed over: :func:`strays` names it.
    """
    halves = []
    for description in sorted(folder.parts.glob("*.json")):
        if description.stem == running:
            continue
        info = _read_info(description)
        if info is None:
            continue
        samples = description.with_suffix(".f32")
        if samples.exists() and not samples.is_file():
            continue
        with suppress(OSError):
            frames = samples.stat().st_size // (4 * info.channels) if samples.exists() else 0
            halves.append(HalfTake(description.stem, info, frames))
    return halves


def strays(folder: DataFolder) -> list[Path]:
    """What lies among the parts and is none: descriptions that cannot be read, sound without
    one, anything else. The copy that a worker works on is its own."""
    known = {half.id for half in list_halves(folder, running=None)}
    return [
        path
        for path in sorted(folder.parts.iterdir())
        if not path.name.startswith(COPY_PREFIX)
        and (path.stem not in known or path.suffix not in (".json", ".f32"))
    ]


# Far over anything that a converter gives, far under what other bytes mean as floats.
_NO_SOUND = 1e3


def holds_sound(folder: DataFolder, half: HalfTake) -> bool:
    """Whether a part's file holds samples, and not something else that was put in its place."""
    samples = read_part(folder, half.id) if half.frames else np.zeros(0)
    return bool(
        np.isfinite(samples).all() and (not len(samples) or np.abs(samples).max() < _NO_SOUND)
    )


def sweep(folder: DataFolder) -> None:
    """Remove what a kill left of uploads, and of files that had not got their name yet: nobody
    was told of them."""
    for pattern in _UPLOADS:
        for left in folder.parts.glob(pattern):
            if left.is_dir():
                shutil.rmtree(left, ignore_errors=True)
    for place in (folder.path, folder.takes, folder.parts, folder.backups):
        for left in place.glob("*.new"):
            with suppress(OSError):
                left.unlink()
    for left in folder.parts.glob(f"{COPY_PREFIX}*"):
        with suppress(OSError):
            left.unlink()
    # A copy is whole without them: earlier versions left them at each.
    for ending in ("shm", "wal"):
        for left in folder.backups.glob(f"wren-*-{ending}"):
            with suppress(OSError):
                left.unlink()


def _read_info(description: Path) -> PartInfo | None:
    """What a part is, None where its description says nothing that can be used."""
    try:
        return _info(json.loads(description.read_text("utf-8")))
    except (OSError, ValueError, TypeError, AttributeError, RecursionError):
        return None


def _info(body: dict[str, Any]) -> PartInfo:
    """What a part is, also one of an older version, which named gain and placement one by one,
    or of a newer one, which says more."""
    old = {name: body.pop(name) for name in ("gain_db", "distance_cm", "angle_deg") if name in body}
    facts = {**old, **body.get("facts", {})}
    known = {field.name for field in dataclasses.fields(PartInfo)}
    info = PartInfo(
        **{
            **{k: v for k, v in body.items() if k in known},
            "facts": facts,
            "notes": tuple(body.get("notes", ())),
        }
    )
    sane = (
        isinstance(info.purpose, str)
        and isinstance(info.source, str)
        and isinstance(info.started_at, str)
        and isinstance(info.rate_hz, int)
        and _RATES_HZ[0] <= info.rate_hz <= _RATES_HZ[1]
        and isinstance(info.channels, int)
        and 1 <= info.channels <= _MOST_CHANNELS
        and (info.rig_id is None or isinstance(info.rig_id, int))
    )
    if not sane:
        raise ValueError("no description of a part")
    return info


def read_part(folder: DataFolder, part_id: str, *, channels: int = 1) -> Samples:
    """The samples of a part, ``(n,)`` or ``(n, channels)``; a last sample that was cut in two is
    left out.

    Raises FolderError where the file is gone.
    """
    with disk_errors(_("reading a take in progress")):
        raw = (folder.parts / f"{part_id}.f32").read_bytes()
    whole = np.frombuffer(raw[: len(raw) // (4 * channels) * 4 * channels], dtype="<f4")
    # Scrambled bytes may be no numbers; who uses the samples looks for that.
    with np.errstate(invalid="ignore"):
        samples = whole.astype(np.float64)
    return samples if channels == 1 else samples.reshape(-1, channels)


def drop_part(folder: DataFolder, part_id: str) -> None:
    """Remove a part: its sound first, so that a description never outlives it unnoticed."""
    with disk_errors(_("removing a take in progress")):
        (folder.parts / f"{part_id}.f32").unlink(missing_ok=True)
        (folder.parts / f"{part_id}.json").unlink(missing_ok=True)
