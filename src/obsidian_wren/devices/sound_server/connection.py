"""A connection to the sound server, and what is found by name over it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.core.wording import _
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.described import CLIENT
from obsidian_wren.ports.system_sound import NoSoundServer
from obsidian_wren.ports.world import SourceGone

LOST = (NoSoundServer, pulsectl.PulseError, pulsectl.PulseDisconnected)
_APPEARS_S, _LOOK_S, _POLL_S = 5.0, 0.02, 0.002
# Who asks just while PipeWire's manager is away is never answered; who asks again is.
_PATIENCES_S = (1.0, 3.0, 10.0)


@contextmanager
def connected() -> Iterator[Any]:
    """A connection of its own, so that any thread may ask. Raises NoSoundServer, and one of
    ``LOST`` where the server goes meanwhile."""
    if not libpulse.is_there():
        raise NoSoundServer(
            "no-library",
            _("The sound server's library is missing. Install Debian's libpulse0, then try again."),
        )
    try:
        pulse = _answering()
    except pulsectl.PulseError as error:
        raise NoSoundServer(
            "no-server",
            _(
                "No sound server answers in this session. Start PipeWire or PulseAudio, then try"
                " again."
            ),
        ) from error
    with pulse:
        try:
            yield pulse
        except pulsectl.pulsectl.c.LibPulse.CallError as error:
            # The package tells it as a fault of whoever calls.
            raise pulsectl.PulseDisconnected from error


class _Connection(pulsectl.Pulse):  # type: ignore[misc]
    """One that gives up in time: the package waits for ever, or always for the whole limit."""

    def answers(self, patience_s: float) -> bool | None:
        """True once it is answered, False where it is refused, None where nobody says anything."""
        native = pulsectl.pulsectl.c.pa
        try:
            native.context_connect(self._ctx, self.server, libpulse.CONTEXT_NO_AUTOSPAWN, None)
        except native.CallError:
            return False
        end = time.monotonic() + patience_s
        while self.connected is None and time.monotonic() < end:
            self._pulse_poll(_POLL_S)
        return None if self.connected is None else bool(self.connected)


def _answering() -> _Connection:
    for patience_s in _PATIENCES_S:
        pulse = _Connection(CLIENT, connect=False)
        answer = pulse.answers(patience_s)
        if answer:
            return pulse
        pulse.close()
        if answer is False:
            break
    raise pulsectl.PulseError


def server_name(pulse: Any) -> str:
    """Which one answers: “PulseAudio” or “PipeWire”."""
    return "PipeWire" if "PipeWire" in str(pulse.server_info().server_name) else "PulseAudio"


def source_named(pulse: Any, name: str) -> Any:
    """A source, None where there is none of this name."""
    return next((source for source in pulse.source_list() if source.name == name), None)


def sink_named(pulse: Any, name: str) -> Any:
    """A sink, None where there is none of this name."""
    return next((sink for sink in pulse.sink_list() if sink.name == name), None)


def needed(pulse: Any, name: str) -> Any:
    """A source or a sink. Raises SourceGone."""
    found = source_named(pulse, name) or sink_named(pulse, name)
    if found is None:
        raise SourceGone(_("“{name}” is not there now. Plug it in, then try again.", name=name))
    return found


def awaited(find: Callable[[], Any]) -> Any:
    """What was just asked for: PipeWire answers before it is there."""
    end = time.monotonic() + _APPEARS_S
    while (there := find()) is None and time.monotonic() < end:
        time.sleep(_LOOK_S)
    return there


def _keep_spec(self: Any, struct: Any) -> None:
    # The package hands on a view of the library's own memory, which is gone a moment later.
    self.rate_hz = int(struct.sample_spec.rate)
    self.format = int(struct.sample_spec.format)


pulsectl.PulseSourceInfo._init_from_struct = _keep_spec
pulsectl.PulseSinkInfo._init_from_struct = _keep_spec
