"""The computer’s sound settings."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from obsidian_wren.core.derive.sound_device import DeviceField
from obsidian_wren.service.page import views
from obsidian_wren.service.setup import computer_changes, login
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web.answers import Route, state_answer, the_app


class DeviceById(RequestModel):
    """A sound device."""

    device_id: str = Field(max_length=80)


class NameDevice(DeviceById):
    """The person's own name for a device; null takes it away."""

    own_name: str | None = Field(default=None, max_length=80)


class ChangeDevice(DeviceById):
    """One thing of one device."""

    field: DeviceField
    value: float | bool


def change_device(body: ChangeDevice) -> Response:
    """Change one thing in the computer's sound settings."""
    computer_changes.change_device(the_app(), body.device_id, body.field, body.value)
    return state_answer()


def name_device(body: NameDevice) -> Response:
    """Give a device a name of one's own."""
    computer_changes.name_device(the_app(), body.device_id, body.own_name)
    return state_answer()


def choose_device(body: DeviceById) -> Response:
    """Say which input is the rig's."""
    computer_changes.choose_device(the_app(), body.device_id)
    return state_answer()


def unplug(body: DeviceById) -> Response:
    """Pull a device."""
    computer_changes.unplug(the_app(), body.device_id)
    return state_answer()


def plug_in(body: DeviceById) -> Response:
    """Plug it in again."""
    computer_changes.plug_in(the_app(), body.device_id)
    return state_answer()


class LoginRequest(RequestModel):
    """Whether the program is started at login."""

    on: bool


def set_login(body: LoginRequest) -> Response:
    """Have the program started at login, or no longer."""
    login.start_at_login(the_app(), body.on)
    return state_answer()


ROUTES: tuple[Route, ...] = (
    Route("patch", "/computer", change_device, views.Overview),
    Route("put", "/computer/names", name_device, views.Overview),
    Route("post", "/computer/rig", choose_device, views.Overview),
    Route("post", "/computer/unplug", unplug, views.Overview),
    Route("post", "/computer/plug", plug_in, views.Overview),
    Route("put", "/computer/login", set_login, views.Overview),
)
