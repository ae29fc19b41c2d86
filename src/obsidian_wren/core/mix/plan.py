"""What each listener gets, derived: by its kind, by what each source measures, and by what a
person holds.

Source: practice: each source as far under the voice as its kind asks.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.kinds import RULES, KindRule, MixPins, SourceShare
from obsidian_wren.core.mix.measured import Measured
from obsidian_wren.core.mix.routes import Destination, RouteRefused, Routing, Send, Source, admit
from obsidian_wren.core.wording import _

_VOICES = ("voice", "person", "second")


@dataclass(frozen=True)
class SendPlan:
    """One source in a mix: gain, the loudness at which it arrives (None while it was not
    measured), how far it drops, and why."""

    send: Send
    gain_db: float
    lufs: float | None
    duck_db: float
    pinned: bool
    because: str


@dataclass(frozen=True)
class MixPlan:
    """One listener's mix. ``kept_out`` names each source that it does not get, with the reason."""

    listener: Destination
    sends: tuple[SendPlan, ...]
    kept_out: tuple[tuple[str, str], ...]
    aim_lufs: float
    ceiling_dbtp: float
    channels: int
    because: str

    def mix(self) -> Mix:
        """The mix as the engine runs it."""
        sends = tuple(
            MixSend(signal_of(plan.send), plan.gain_db, plan.duck_db) for plan in self.sends
        )
        return Mix(self.listener.key, sends, self.channels, self.ceiling_dbtp)


def signal_of(send: Send) -> str:
    """The name under which a send's sound runs through the engine."""
    return f"{send.source} {send.tap}" if send.source in _VOICES else send.source


def derive_mix(
    listener: Destination,
    routing: Routing,
    measured: Mapping[str, Measured],
    pins: MixPins | None = None,
    *,
    trim_db: float = 0.0,
    deeper_db: float = 0.0,
) -> MixPlan:
    """The mix of one listener.

    ``measured`` is by signal; ``trim_db`` brings the sum to the aim once it is known, ``deeper_db``
    lets what drops under the voice drop further.
    """
    pins = pins or MixPins()
    rule = RULES[listener.kind]
    aim = rule.aim_lufs if pins.aim_lufs is None else pins.aim_lufs
    channels = rule.channels if pins.channels is None else pins.channels
    sends = tuple(
        _send(
            send,
            routing.sources[send.source],
            rule,
            measured,
            pins,
            aim,
            channels,
            trim_db,
            deeper_db,
        )
        for send in routing.to(listener.key)
    )
    heard = {plan.send.source for plan in sends}
    kept_out = tuple(
        (key, _kept_out(source, listener, rule, routing))
        for key, source in routing.sources.items()
        if key not in heard
    )
    ceiling = rule.ceiling_dbtp if pins.ceiling_dbtp is None else pins.ceiling_dbtp
    return MixPlan(listener, sends, kept_out, aim, ceiling, channels, rule.because)


def _send(
    send: Send,
    source: Source,
    rule: KindRule,
    measured: Mapping[str, Measured],
    pins: MixPins,
    aim: float,
    channels: int,
    trim_db: float,
    deeper_db: float,
) -> SendPlan:
    share = rule.shares.get(source.kind, SourceShare(6.0, 12.0))
    pinned = source.key in pins.under_lu or source.key in pins.duck_db
    under = pins.under_lu.get(source.key, share.under_lu)
    # One who holds a level lower than the rule's needs no drop beyond what is still missing.
    derived = 0.0 if share.kept_under_lu is None else max(0.0, share.kept_under_lu - under)
    # Several at once are louder than each; a step of a decibel keeps the number plain.
    derived += float(np.ceil(deeper_db)) if derived > 0.0 else 0.0
    duck = pins.duck_db.get(source.key, derived)
    known = measured.get(signal_of(send))
    if known is None:
        return SendPlan(
            send,
            trim_db - under,
            None,
            duck,
            pinned,
            _("Not measured yet, so its gain stays at 0 dB until it plays."),
        )
    gain = aim - under - known.on(channels)
    where = (
        _("at the listener's loudness")
        if under == 0.0
        else _("{under:g} LU under your voice", under=under)
    )
    drop = _("; drops {duck:g} dB more while you speak", duck=duck) if duck else ""
    because = _(
        "It is at {on:.1f} LUFS and belongs {where}{drop}.",
        on=known.on(channels),
        where=where,
        drop=drop,
    )
    return SendPlan(send, gain + trim_db, aim - under + trim_db, duck, pinned, because)


def _kept_out(source: Source, listener: Destination, rule: KindRule, routing: Routing) -> str:
    if source.of == listener.key:
        return _("nobody hears themselves")
    if source.kind in rule.kept_out:
        return rule.kept_out[source.kind]
    try:
        admit(routing, Send(source.key, listener.key))
    except RouteRefused as refused:
        return str(refused)
    return _("you keep it out")
