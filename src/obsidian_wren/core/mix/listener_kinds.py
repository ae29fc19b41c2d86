"""One record for each kind of listener: how it is reached, the return, what can be set in it.

Everything else that asks about a kind asks here. To add a listener: a name in ``DestinationKind``,
a record here, a rule of its mix in ``kinds.py``.

Source: practice: what programs of each kind do with a microphone.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from obsidian_wren.core.mix.routes import DestinationKind

# What can be switched or set in programs that people talk through, beside their clock.
_VOICE_SETTINGS = ("takes_hz", "also", "activation_dbfs", "muted", "noise_removal", "auto_gain")
_TALK_SETTINGS = (*_VOICE_SETTINGS, "echo_cancelling", "narrow_band", "hears_itself", "speaks")
_TURNED = "upside_down"


@dataclass(frozen=True)
class ListenerKind:
    """A kind of listener.

    ``feed`` is the input that it can pick, None for one that is played to; ``returns`` who is heard
    from it, None where nothing comes back; ``has_program``: another program stands behind it, in
    which ``settings`` can be set; ``first_on`` and ``first_settings``: how it is laid out.
    """

    kind: DestinationKind
    feed: str | None = None
    returns: str | None = None
    has_program: bool = True
    settings: tuple[str, ...] = ()
    first_on: bool = False
    first_settings: Mapping[str, object] = field(default_factory=dict)

    @property
    def picks(self) -> bool:
        """Whether it picks its input by a name; the others are played to."""
        return self.feed is not None

    @property
    def sounds(self) -> tuple[str, ...]:
        """What of it can be heard here."""
        if not self.has_program:
            return ()
        return ("heard", "sent", "returned") if self.returns is not None else ("heard", "sent")


LISTENER_KINDS: Mapping[str, ListenerKind] = {
    kind.kind: kind
    for kind in (
        ListenerKind(
            "call",
            feed="Wren: call",
            returns="The editor",
            settings=(*_TALK_SETTINGS, _TURNED),
            first_on=True,
        ),
        ListenerKind(
            "game chat",
            feed="Wren: game",
            returns="The crew",
            settings=(*_TALK_SETTINGS, _TURNED),
            # As such programs so often come.
            first_settings={"rate_hz": 24_000, "narrow_band": True, "activation_dbfs": -45.0},
        ),
        ListenerKind("stream", feed="Wren: stream", settings=(*_VOICE_SETTINGS, _TURNED)),
        ListenerKind("recorder", has_program=False, first_on=True),
        ListenerKind("headphones", first_on=True, first_settings={"latency_ms": 5.0}),
        ListenerKind(
            "second computer",
            settings=("hears_itself", _TURNED),
            first_settings={"latency_ms": 10.0},
        ),
    )
}
