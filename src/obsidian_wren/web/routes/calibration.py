"""The chain: settings, stages, preferences; recalculated, tried, confirmed, handed out."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated, Literal

from flask import Response, jsonify
from flask_openapi3 import FileStorage
from pydantic import Field

from obsidian_wren.service.calibration import deriving, preferences, settings, stages, trying
from obsidian_wren.service.calibration.preferences import BandValue
from obsidian_wren.service.export import exporting
from obsidian_wren.service.page import views
from obsidian_wren.service.setup import confirming, responses
from obsidian_wren.service.words import RequestModel, StepName
from obsidian_wren.web import limits
from obsidian_wren.web.answers import Route, state_answer, the_app, uploaded

# A stage of a chain: its kind, and a number for a further one, or its task beside the first.
StageKey = Annotated[str, Field(max_length=20, pattern=r"^[a-z_]+(-([2-9]|[a-z]+))?$")]


class TargetUpload(RequestModel):
    """A target as a two-column text."""

    file: FileStorage


class ForStep(RequestModel):
    """A step; ``anyway``: what it asks was read."""

    step: StepName
    anyway: bool = False


class ChangeSetting(RequestModel):
    """Pin a setting to a value, or let it go."""

    stage: StageKey
    name: str = Field(max_length=40)
    value: float | None = None
    band: BandValue | None = None
    pinned: bool


class SwitchStage(RequestModel):
    """Hold a stage on or off; null lets what was derived stand again."""

    stage: StageKey
    on: bool | None


class OrderStages(RequestModel):
    """The stages in another order; empty for the usual one."""

    order: list[StageKey] = Field(max_length=40)


class AddStage(RequestModel):
    """A further stage of a kind."""

    kind: StageKey


class StageByKey(RequestModel):
    """A stage by its key."""

    key: StageKey


class TryGate(RequestModel):
    """A threshold to try."""

    threshold_dbfs: float = Field(ge=-100, le=0)
    hysteresis_db: float | None = Field(default=None, ge=0, le=20)


class WhatExport(RequestModel):
    """Which form of the equalizer to hand out, at a rate."""

    what: Literal["biquads", "impulse"]
    rate_hz: int = Field(default=48_000, ge=8_000, le=192_000)


def derive_again() -> Response:
    """Derive everything anew that the takes at hand can give."""
    deriving.derive_again(the_app())
    return state_answer()


def end_deriving() -> Response:
    """Let what is being derived stand as it was."""
    deriving.end_deriving(the_app())
    return state_answer()


def confirm(body: ForStep) -> Response:
    """Accept a step as it stands."""
    confirming.confirm_step(the_app(), body.step, anyway=body.anyway)
    return state_answer()


def fit_tone() -> Response:
    """Fit again; pins stay."""
    settings.fit_again(the_app())
    return state_answer()


def change_setting(body: ChangeSetting) -> Response:
    """Pin, nudge or let go of a setting."""
    settings.change_setting(
        the_app(), body.stage, body.name, value=body.value, band=body.band, pinned=body.pinned
    )
    return state_answer(chain_only=True)


class HowReport(RequestModel):
    """Whether the report is shown or saved."""

    save: bool = False


def calibration() -> Response:
    """The calibration as an open file."""
    body = json.dumps(the_app().work(exporting.export_calibration), indent=2, ensure_ascii=False)
    headers = {"Content-Disposition": 'attachment; filename="calibration.json"'}
    return Response(body + "\n", mimetype="application/json", headers=headers)


def report(query: HowReport) -> Response:
    """The calibration as a page that prints."""
    answer = Response(the_app().work(exporting.export_report), mimetype="text/html")
    if query.save:
        answer.headers["Content-Disposition"] = 'attachment; filename="report.html"'
    return answer


def switch_stage(body: SwitchStage) -> Response:
    """Hold a stage on or off, or let go of its switch."""
    stages.switch_stage(the_app(), body.stage, body.on)
    return state_answer(chain_only=True)


def order_stages(body: OrderStages) -> Response:
    """Put the stages in another order."""
    stages.order_stages(the_app(), body.order)
    return state_answer()


def add_stage(body: AddStage) -> Response:
    """Add a further stage of a kind."""
    stages.add_stage(the_app(), body.kind)
    return state_answer()


def remove_stage(path: StageByKey) -> Response:
    """Remove a stage that was added."""
    stages.remove_stage(the_app(), path.key)
    return state_answer()


def add_band(path: StageByKey, body: preferences.BandValue) -> Response:
    """Put a band into a further equalizer."""
    stages.add_band(the_app(), path.key, body)
    return state_answer()


def change_preferences(body: preferences.PreferencesBody) -> Response:
    """Keep what a person wants of the treated voice."""
    settings.change_preferences(the_app(), body)
    return state_answer()


def import_target(form: TargetUpload) -> Response:
    """Import a target, and fit to it."""
    with uploaded(form.file) as (path, name):
        responses.import_target(the_app(), path, name)
    return state_answer()


def try_gate(body: TryGate) -> Response:
    """Count what a gate at another threshold would do."""
    return jsonify(asdict(the_app().work(trying.try_gate, body.threshold_dbfs, body.hysteresis_db)))


def export_equalizer(query: WhatExport) -> Response:
    """The equalizer as biquad coefficients (CSV) or as a minimum-phase impulse response (WAV)."""
    name, body, mimetype = the_app().work(exporting.export_equalizer, query.what, query.rate_hz)
    return Response(
        body, mimetype=mimetype, headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


ROUTES: tuple[Route, ...] = (
    Route("post", "/derive", derive_again, views.Overview),
    Route("post", "/derive/end", end_deriving, views.Overview),
    Route("post", "/confirm", confirm, views.Overview),
    Route("post", "/tone/fit", fit_tone, views.Overview),
    Route("patch", "/settings", change_setting, views.Overview),
    Route("get", "/calibration", calibration, None),
    Route("get", "/report", report, None),
    Route("patch", "/stages", switch_stage, views.Overview),
    Route("put", "/stages/order", order_stages, views.Overview),
    Route("post", "/stages", add_stage, views.Overview),
    Route("delete", "/stages/<key>", remove_stage, views.Overview),
    Route("post", "/stages/<key>/bands", add_band, views.Overview),
    Route("put", "/preferences", change_preferences, views.Overview),
    Route("post", "/targets", import_target, views.Overview, limits.TEXT),
    Route("post", "/try/gate", try_gate, views.GateTried),
    Route("get", "/equalizer", export_equalizer, None),
)
