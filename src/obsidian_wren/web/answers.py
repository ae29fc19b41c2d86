"""What handlers share: the app behind the request, the state as an answer, and an uploaded
file on disk."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

import numpy as np
from flask import Response, current_app, request
from flask_openapi3 import FileStorage
from pydantic import BaseModel
from werkzeug import datastructures

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.service import calibration
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.uploads import UPLOAD_PREFIX, disk_errors
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.page.overview import PARTS, overview_json
from obsidian_wren.web.limits import LARGEST_PIECE, SMALL, BodyLimit


class Route(NamedTuple):
    """Method, path under ``/api``, handler, what it answers with (None: no JSON), and how much may
    be sent to it."""

    method: str
    path: str
    handler: Callable[..., Response]
    answer: type[BaseModel] | None
    limit: BodyLimit = SMALL


def the_app() -> AppContext:
    """The app that the application serves."""
    found: AppContext = current_app.config["APP"]
    return found


# What a change to the chain changes at once; the rest follows.
_AT_ONCE = ("chain", "steps")


def state_answer(*, chain_only: bool = False) -> Response:
    """What the page shows: the parts that it wants, but for those that it has.

    It says so in two headers, ``Wren-Want: rig,steps`` and ``Wren-Have: rig=WORD,steps=WORD``; who
    says nothing gets everything. ``chain_only``: nothing but the chain has changed so far,
    and while the rest is being worked out the page is told only that.
    """
    asked = [name.strip() for name in request.headers.get("Wren-Want", "").split(",")]
    pairs = [pair.partition("=") for pair in request.headers.get("Wren-Have", "").split(",")]
    wanted = [name for name in asked if name in PARTS]
    if chain_only and wanted and calibration.current(the_app()).background.waits:
        wanted = [name for name in wanted if name in _AT_ONCE]
    body = overview_json(
        the_app(),
        wanted=wanted or tuple(PARTS),
        have={name.strip(): word for name, _, word in pairs},
    )
    return Response(body, mimetype="application/json")


def attached(body: str | bytes, name: str, mimetype: str) -> Response:
    """A file to save, under a name of ours."""
    answer = Response(body, mimetype=mimetype)
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@contextmanager
def uploaded(file: FileStorage) -> Iterator[tuple[Path, str]]:
    """A file that came with the request, on disk while it is read, and what the person called
    it. Raises Refused where words came instead."""
    if not isinstance(file, datastructures.FileStorage):
        raise Refused("no-file", _("No file was sent. Choose a file, then try again."))
    with tempfile.TemporaryDirectory(dir=the_app().folder.parts, prefix=UPLOAD_PREFIX) as folder:
        # The person's file name is for reading only; it never becomes a path.
        path = Path(folder) / _("The file")
        with disk_errors(_("importing the file")):
            file.save(path)
        yield path, (file.filename or "").strip() or _("The file")


def piece() -> Samples:
    """The samples in the request's body. Raises Refused when they came broken."""
    raw = request.get_data()
    if len(raw) % 4 or len(raw) > LARGEST_PIECE:
        raise Refused("piece", _("A piece of sound arrived broken. Stop and record it again."))
    # A sample that is no number is silence: it would stay in every filter for good.
    return np.nan_to_num(
        np.frombuffer(raw, dtype="<f4").astype(np.float64), nan=0.0, posinf=1.0, neginf=-1.0
    )
