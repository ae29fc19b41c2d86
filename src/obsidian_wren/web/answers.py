"""What handlers share: the workshop behind the request, the state as an answer, and an uploaded file on disk."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from flask import Response, current_app
from flask_openapi3 import FileStorage

from obsidian_wren.service.uploads import UPLOAD_PREFIX, disk_errors
from obsidian_wren.service.workshop import Workshop


def workshop() -> Workshop:
    """The workshop that the application serves."""
    found: Workshop = current_app.config["WORKSHOP"]
    return found


def state_answer() -> Response:
    """Everything that the page shows."""
    from obsidian_wren.service.overview import overview

    return Response(overview(workshop()).model_dump_json(), mimetype="application/json")


@contextmanager
def uploaded(file: FileStorage) -> Iterator[tuple[Path, str]]:
    """A file that came with the request, on disk while it is read, and what the person called it."""
    with tempfile.TemporaryDirectory(dir=workshop().folder.parts, prefix=UPLOAD_PREFIX) as folder:
        # The person's file name is for reading only; it never becomes a path.
        path = Path(folder) / "The file"
        with disk_errors("taking the file in"):
            file.save(path)
        yield path, (file.filename or "").strip() or "The file"
