"""What is carried: versions, files that are saved and brought in."""

from __future__ import annotations

import json

from flask import Response, jsonify
from flask_openapi3 import FileStorage
from pydantic import Field

from obsidian_wren.service.carry import (
    bringing_over,
    brought,
    comparing,
    foreign,
    packing,
    versions,
)
from obsidian_wren.service.page import views
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import limits, models
from obsidian_wren.web.answers import Route, attached, state_answer, the_app, uploaded


class DescribeVersion(RequestModel):
    """The person's name and note for a version."""

    name: str = Field(max_length=80)
    note: str = Field(max_length=1000)


class TwoVersions(RequestModel):
    """Two versions by their ids; 0 is what is in force now."""

    first: int = Field(ge=0, lt=2**31)
    second: int = Field(ge=0, lt=2**31)


class BringIn(RequestModel):
    """A calibration file, or an equalizer of another program."""

    file: FileStorage


def describe_version(path: models.ById, body: DescribeVersion) -> Response:
    """Give a version a name and a note."""
    versions.describe_version(the_app(), path.id, name=body.name, note=body.note)
    return state_answer()


def discard_version(path: models.ById) -> Response:
    """Remove a version; undo brings it back."""
    versions.discard_version(the_app(), path.id)
    return state_answer()


def bring_back(path: models.ById) -> Response:
    """Put a version in force again."""
    versions.bring_back(the_app(), path.id)
    return state_answer()


def version_file(path: models.ById) -> Response:
    """A version as a calibration file."""
    name, body = the_app().work(versions.version_file, path.id)
    return attached(json.dumps(body, indent=2, ensure_ascii=False), name, "application/json")


def compare_versions(path: TwoVersions) -> Response:
    """Two versions side by side."""
    return jsonify(the_app().work(comparing.compare_versions, path.first, path.second))


def packed() -> Response:
    """The calibration with its takes, in one zip."""
    return attached(the_app().work(packing.packed), "calibration.zip", "application/zip")


def schema() -> Response:
    """The JSON Schema of the calibration file."""
    return attached(packing.schema_text(), "calibration.schema.json", "application/schema+json")


def bring_in(form: BringIn) -> Response:
    """Look at a calibration file. Nothing of it is in force yet."""
    with uploaded(form.file) as (path, name):
        the_app().work(brought.bring_in, path, name)
    return state_answer()


def leave() -> Response:
    """Look at the file no longer."""
    brought.leave(the_app())
    return state_answer()


def bring_over() -> Response:
    """Put what travels of the file in force."""
    bringing_over.bring_over(the_app())
    return state_answer()


def bring_equalizer(form: BringIn) -> Response:
    """Take in biquads, a two-column curve or an impulse response as a further equalizer."""
    with uploaded(form.file) as (path, name):
        foreign.bring_equalizer(the_app(), path, name)
    return state_answer()


ROUTES: tuple[Route, ...] = (
    Route("patch", "/versions/<int:id>", describe_version, views.Overview),
    Route("delete", "/versions/<int:id>", discard_version, views.Overview),
    Route("post", "/versions/<int:id>/bring-back", bring_back, views.Overview),
    Route("get", "/versions/<int:id>/file", version_file, None),
    Route(
        "get", "/versions/<int:first>/against/<int:second>", compare_versions, views.ComparedView
    ),
    Route("get", "/calibration/zip", packed, None),
    Route("get", "/calibration/schema", schema, None),
    Route("post", "/brought", bring_in, views.Overview, limits.CARRIED),
    Route("delete", "/brought", leave, views.Overview),
    Route("post", "/brought/over", bring_over, views.Overview),
    Route("post", "/brought/equalizer", bring_equalizer, views.Overview, limits.IMPULSE),
)
