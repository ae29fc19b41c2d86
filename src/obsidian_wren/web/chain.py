"""The voice chain over the API: switches, order, wishes, targets, trying out, hearing, handing out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict

from flask import Response, jsonify, request
from flask_openapi3 import FileStorage
from pydantic import BaseModel

from obsidian_wren.service import views
from obsidian_wren.service.said import Said
from obsidian_wren.web import models
from obsidian_wren.web.answers import state_answer, uploaded, workshop


class TargetUpload(Said):
    """A target as a two-column text."""

    file: FileStorage


def switch_stage(body: models.SwitchStage) -> Response:
    """Hold a stage on or off, or let go of its switch."""
    from obsidian_wren.service import calibrating

    calibrating.switch_stage(workshop(), body.kind, body.on)
    return state_answer()


def order_stages(body: models.OrderStages) -> Response:
    """Put the stages in another order."""
    from obsidian_wren.service import calibrating

    calibrating.order_stages(workshop(), body.order)
    return state_answer()


def change_wishes(body: views.WishesBody) -> Response:
    """Keep what a person wants of the treated voice."""
    from obsidian_wren.service import calibrating

    calibrating.change_wishes(workshop(), body)
    return state_answer()


def import_target(form: TargetUpload) -> Response:
    """Import a target, and fit to it."""
    from obsidian_wren.service import responses

    with uploaded(form.file) as (path, name):
        responses.import_target(workshop(), path, name)
    return state_answer()


def try_gate(body: models.TryGate) -> Response:
    """Count what a gate at another threshold would do."""
    from obsidian_wren.service import trying

    return jsonify(asdict(trying.try_gate(workshop(), threshold_dbfs=body.threshold_dbfs, hysteresis_db=body.hysteresis_db)))


def frames_of_take(path: models.ById, query: models.Hear) -> Response:
    """What the picture shows while a take plays."""
    from obsidian_wren.service import listening

    return jsonify(listening.frames_of_take(workshop(), path.id, query.version, off=query.left_out))


def sweep() -> Response:
    """The measuring sweep as WAV."""
    from obsidian_wren.service import listening

    return Response(listening.sweep_wav(48_000), mimetype="audio/wav")


def export_equalizer(query: models.WhatExport) -> Response:
    """The equalizer as biquad coefficients (CSV) or as a minimum-phase impulse response (WAV)."""
    from obsidian_wren.service import exporting

    name, body, mimetype = exporting.export_equalizer(workshop(), query.what, query.rate_hz)
    return Response(body, mimetype=mimetype, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def hear_live(query: models.LeftOut) -> Response:
    """The live voice, raw and treated side by side, as it comes; ``X-Rate`` is the sample rate in Hz."""
    from obsidian_wren.service import ears

    if request.method == "HEAD":
        return Response(mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})
    ws = workshop()
    pair = ears.put_on(ws, off=query.left_out)
    headers = {"Cache-Control": "no-store", "X-Rate": str(pair.rate_hz)}
    response = Response(pair.chunks(), mimetype="application/octet-stream", headers=headers)
    response.call_on_close(lambda: ears.take_off(ws, pair))
    return response


def leave_out_live(body: models.LeftOut) -> Response:
    """Leave other stages out in the headphones."""
    from obsidian_wren.service import ears

    ears.leave_out(workshop(), body.left_out)
    return jsonify(ok=True)


ROUTES: tuple[tuple[str, str, Callable[..., Response], type[BaseModel] | None], ...] = (
    ("patch", "/stages", switch_stage, views.Overview),
    ("put", "/stages/order", order_stages, views.Overview),
    ("put", "/wishes", change_wishes, views.Overview),
    ("post", "/targets", import_target, views.Overview),
    ("post", "/try/gate", try_gate, views.GateCountsView),
    ("get", "/takes/<int:id>/frames", frames_of_take, models.FramesOfTake),
    ("get", "/sweep", sweep, None),
    ("get", "/live/sound", hear_live, None),
    ("put", "/live/without", leave_out_live, models.Done),
    ("get", "/equalizer", export_equalizer, None),
)
