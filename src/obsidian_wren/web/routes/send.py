"""Send: listeners, what they pick and get, the proof."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from obsidian_wren.core.mix.routes import Tap
from obsidian_wren.service.export import sounds
from obsidian_wren.service.mixes import mixing
from obsidian_wren.service.page import views
from obsidian_wren.service.send import listeners, proving, two_people
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import models
from obsidian_wren.web.answers import Route, state_answer, the_app


class ByKey(RequestModel):
    """A listener or a source by its key."""

    key: str = Field(max_length=40)


class HearListener(RequestModel):
    """What of a listener to hear. ``at`` tells a browser that it has not heard it yet."""

    what: str = Field(default="heard", pattern="^(heard|sent|returned)$")
    at: int = Field(default=0, ge=0)


class Use(RequestModel):
    """In use or not."""

    on: bool


class SetProgram(RequestModel):
    """Something in a listening program; what is left out stays."""

    rate_hz: int | None = None
    takes_hz: int | None = None
    also: str | None = Field(default=None, max_length=120)
    muted: bool | None = None
    noise_removal: bool | None = None
    auto_gain: bool | None = None
    echo_cancelling: bool | None = None
    activation_dbfs: float | None = None
    narrow_band: bool | None = None
    bits: int | None = None
    hears_itself: bool | None = None
    speaks: bool | None = None
    upside_down: bool | None = None
    latency_ms: float | None = None
    jitter_ms: float | None = None
    drift_ppm: float | None = None


class SetRoute(RequestModel):
    """A source goes to a listener, or does not."""

    source: str = Field(max_length=60)
    destination: str = Field(max_length=40)
    tap: Tap = "treated"
    on: bool


class PinMix(RequestModel):
    """Hold something of a mix, or let the derived value stand (null)."""

    name: str = Field(max_length=20)
    value: float | None
    source: str | None = Field(default=None, max_length=60)


class SetUp(RequestModel):
    """A common case."""

    case: str = Field(max_length=20)


class SitBeside(RequestModel):
    """The rig of the person beside you, by its id; nobody where null."""

    rig: int | None


class MeasureSpill(RequestModel):
    """Who of the two talks."""

    who: two_people.Talker


class PickInput(RequestModel):
    """Another program picks an input."""

    picks: str = Field(max_length=120)


def pick_input(path: ByKey, body: PickInput) -> Response:
    """Another program picks an input."""
    listeners.pick_input(the_app(), path.key, body.picks)
    return state_answer()


def set_program(path: ByKey, body: SetProgram) -> Response:
    """Set something in a listening program."""
    listeners.set_program(the_app(), path.key, body.model_dump(exclude_unset=True))
    return state_answer()


def use_listener(path: ByKey, body: Use) -> Response:
    """Take a listener into use, or out of it."""
    listeners.use_listener(the_app(), path.key, body.on)
    return state_answer()


def rename_listener(path: ByKey, body: models.Rename) -> Response:
    """Call a listener by another name."""
    listeners.rename_listener(the_app(), path.key, body.name)
    return state_answer()


def use_source(path: ByKey, body: Use) -> Response:
    """Take a source into use, or out of it."""
    listeners.use_source(the_app(), path.key, body.on)
    return state_answer()


def set_route(body: SetRoute) -> Response:
    """Send a source to a listener, or keep it out."""
    listeners.set_route(the_app(), body.source, body.destination, body.tap, body.on)
    return state_answer()


def pin_mix(path: ByKey, body: PinMix) -> Response:
    """Hold something of a mix, or let it go."""
    listeners.pin_mix(the_app(), path.key, body.name, body.value, body.source)
    return state_answer()


def usual_mix(path: ByKey) -> Response:
    """Let go of everything that is held of a mix."""
    listeners.usual_mix(the_app(), path.key)
    return state_answer()


def sit_beside(body: SitBeside) -> Response:
    """Say who sits beside you."""
    two_people.choose_person(the_app(), body.rig)
    return state_answer()


def measure_spill(body: MeasureSpill) -> Response:
    """Hear some seconds in which only one of the two talks; it lasts as long."""
    two_people.measure(the_app(), body.who)
    return state_answer()


def set_up(body: SetUp) -> Response:
    """Set up a common case."""
    listeners.set_up(the_app(), body.case)
    return state_answer()


def derive_mixes() -> Response:
    """Derive the mixes anew where they are stale."""
    app = the_app()
    mixing.refresh(app)
    return state_answer()


def send_marker() -> Response:
    """Send the marker through every path."""
    proving.send_marker(the_app())
    return state_answer()


def hear_listener(path: ByKey, query: HearListener) -> Response:
    """The last ten seconds of a listener as WAV."""
    return Response(sounds.hear_listener(the_app(), path.key, query.what), mimetype="audio/wav")  # type: ignore[arg-type]


ROUTES: tuple[Route, ...] = (
    Route("put", "/destinations/<key>/picks", pick_input, views.Overview),
    Route("patch", "/destinations/<key>/program", set_program, views.Overview),
    Route("put", "/destinations/<key>/use", use_listener, views.Overview),
    Route("put", "/destinations/<key>/name", rename_listener, views.Overview),
    Route("put", "/destinations/<key>/pin", pin_mix, views.Overview),
    Route("post", "/destinations/<key>/usual", usual_mix, views.Overview),
    Route("get", "/destinations/<key>/sound", hear_listener, None),
    Route("put", "/sources/<key>/use", use_source, views.Overview),
    Route("put", "/routes", set_route, views.Overview),
    Route("post", "/case", set_up, views.Overview),
    Route("put", "/person", sit_beside, views.Overview),
    Route("post", "/person/spill", measure_spill, views.Overview),
    Route("post", "/mixes", derive_mixes, views.Overview),
    Route("post", "/marker", send_marker, views.Overview),
)
