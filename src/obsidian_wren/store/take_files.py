"""Takes on the disk: parts while they run, FLAC by content hash once they are whole.

A part is raw 32-bit floats beside a small JSON that says what it is, written first. Whatever kills
the program, the samples that were written are there at the next start. Beside a whole take lies a
JSON too, which says what it was taken as: a database that is lost can be made again from it.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import uuid
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError, disk_errors, sync_folder
from obsidian_wren.store.folder import DataFolder, open_private, write_through

_DESCRIPTION = "obsidian-wren/take"
_MOST_CHANNELS = 8
_RATES_HZ = (8_000, 192_000)


class SoundLost(FolderError):
    """The file of a take or a clip cannot be read, or holds something else.

    ``digest`` is what it was named by.
    """

    def __init__(self, digest: str, what: str) -> None:
        super().__init__(
            "sound-lost",
            _("{what} Restore the file from a copy, or record or load it again.", what=what),
        )
        self.digest = digest


def keep_take(
    folder: DataFolder,
    samples: Samples,
    *,
    rate_hz: int,
    described: Mapping[str, Any] | None = None,
) -> str:
    """Write ``(n,)`` samples as a whole FLAC named by its content hash; returns the hash.

    Non-finite samples become silence.

    ``described`` says what it was taken as, and is kept beside it.
    """
    clean = np.nan_to_num(samples, nan=0.0, posinf=1.0, neginf=-1.0)
    temporary = folder.takes / f"{uuid.uuid4().hex}.new"
    with disk_errors(_("saving a take")):
        try:
            with open_private(temporary) as file:
                soundfile.write(
                    file, np.clip(clean, -1.0, 1.0), rate_hz, format="FLAC", subtype="PCM_24"
                )
                file.flush()
                os.fsync(file.fileno())
            digest = _digest_of(temporary)
            temporary.replace(take_path(folder, digest))
            sync_folder(folder.takes)
            if described is not None:
                _describe(folder, digest, described)
        except (soundfile.LibsndfileError, AssertionError) as error:
            # The library tells a write that failed by its count alone.
            raise OSError(28, "no space left") from error
        finally:
            temporary.unlink(missing_ok=True)
    return digest


def _digest_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _describe(folder: DataFolder, digest: str, described: Mapping[str, Any]) -> None:
    entries = [*descriptions(folder, digest), dict(described)]
    body = {"format": _DESCRIPTION, "version": 1, "kept_as": entries}
    write_through(folder.takes / f"{digest}.json", json.dumps(body, ensure_ascii=False).encode())


def descriptions(folder: DataFolder, digest: str) -> list[dict[str, Any]]:
    """What a sound was kept as; nothing where that was never said or cannot be read."""
    try:
        body = json.loads((folder.takes / f"{digest}.json").read_text("utf-8"))
        return (
            [dict(entry) for entry in body["kept_as"]] if body.get("format") == _DESCRIPTION else []
        )
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return []


def remove_take(folder: DataFolder, digest: str) -> None:
    """Remove a sound that nothing refers to, and what was said of it."""
    for path in (take_path(folder, digest), folder.takes / f"{digest}.json"):
        with suppress(OSError):
            path.unlink(missing_ok=True)


def take_path(folder: DataFolder, digest: str) -> Path:
    """Where a take lies."""
    return folder.takes / f"{digest}.flac"


def load_take(folder: DataFolder, digest: str) -> tuple[Samples, int]:
    """The samples ``(n,)`` and rate of a take.

    Raises SoundLost where the file is not there, or is not what was kept.
    """
    raw = _whole_file(folder, digest)
    try:
        samples, rate = soundfile.read(io.BytesIO(raw), dtype="float64")
    except soundfile.LibsndfileError as error:
        raise SoundLost(digest, _("The sound of this take can no longer be read.")) from error
    return samples, rate


def check_take(folder: DataFolder, digest: str) -> str | None:
    """What is wrong with the file of a take, None when it is what was kept."""
    try:
        found = _digest_of(take_path(folder, digest))
    except OSError:
        return str(_unread(folder, digest))
    return None if found == digest else str(_changed(digest))


def _whole_file(folder: DataFolder, digest: str) -> bytes:
    try:
        raw = take_path(folder, digest).read_bytes()
    except OSError as error:
        raise _unread(folder, digest) from error
    if hashlib.sha256(raw).hexdigest() != digest:
        raise _changed(digest)
    return raw


def _unread(folder: DataFolder, digest: str) -> SoundLost:
    if not take_path(folder, digest).exists():
        return SoundLost(
            digest,
            _(
                "Its sound is gone: takes/{digest}….flac is no longer in the data folder.",
                digest=digest[:8],
            ),
        )
    return SoundLost(
        digest,
        _("Its sound cannot be read: the system refuses takes/{digest}….flac.", digest=digest[:8]),
    )


def _changed(digest: str) -> SoundLost:
    return SoundLost(
        digest,
        _(
            "Its sound is damaged: takes/{digest}….flac is not what was saved.",
            digest=digest[:8],
        ),
    )
