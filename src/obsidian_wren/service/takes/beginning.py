"""A take is begun: its length, what it is made at, its part on the disk."""

from __future__ import annotations

import threading

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.derive.take_length import LONGEST_S, SECONDS
from obsidian_wren.core.wording import _
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.checks import get_ready
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.takes.ending import release_abandoned
from obsidian_wren.service.takes.running import RunningTake
from obsidian_wren.service.words import Control, Purpose, Source
from obsidian_wren.store import parts

# What a take lasts that is asked for without a length.
DEFAULT_SECONDS = dict(SECONDS)


def begin(
    app: AppContext,
    purpose: Purpose,
    seconds: float,
    source: Source,
    rate_hz: int,
    *,
    notes: tuple[str, ...] = (),
    position: float | None = None,
    learns: Control = "preamp",
    channels: int = 1,
    until_steady: bool = False,
) -> RunningTake:
    """Begin a take: nothing else runs, the disk has room, its facts are kept with its part.

    ``position`` is the other gain, or the mark at which a dial is learned. Raises Refused.
    """
    require_length(seconds)
    with app.lock:
        release_abandoned(app)
        if takes.current(app).running is not None:
            raise Refused("take-runs", _("A take is already running. Stop it first."))
        app.folder.require_space(round(seconds * rate_hz * 8 * channels))
        with app.sessions() as session:
            ctx = in_hand(app, session)
            rig = ctx.rig
            facts, rig_id = (
                take_facts(ctx, purpose, position, learns),
                rig.id,
            )
        info = parts.PartInfo(purpose, rate_hz, source, facts, now(), notes, channels, rig_id)
        part = parts.Part(app.folder, info)
        takes.current(app).running = running = RunningTake(part, seconds, until_steady=until_steady)
    if purpose == "check":
        threading.Thread(target=get_ready, args=(app,), daemon=True).start()
    return running


def refuse_phone(purpose: Purpose) -> None:
    """What a phone recorded is a file, whatever the rig is heard through."""
    if purpose == "phone":
        raise Refused(
            "phone-file",
            _("A phone's take comes from the phone. Choose the file that it recorded."),
        )


def require_length(seconds: float) -> None:
    """Raise Refused for a length that no take has."""
    if not 1.0 <= seconds <= LONGEST_S:
        raise Refused(
            "seconds",
            _(
                "A take lasts between 1 s and {longest_s:.0f} min. Choose a length in between.",
                longest_s=LONGEST_S / 60,
            ),
        )


def take_facts(
    ctx: RigContext,
    purpose: str,
    position: float | None,
    learns: Control = "preamp",
) -> dict[str, Value]:
    """What a take is made at.

    ``position`` is the other gain, or the mark at which a dial is learned.
    """
    facts = facts_of(ctx)
    if purpose == "other-gain":
        if position is None:
            raise Refused(
                "no-gain",
                _(
                    "Enter the gain at which the room is recorded: 10 dB lower separates the"
                    " converter from the rest."
                ),
            )
        facts["gain_db"] = position
    if purpose == "dial":
        if position is None:
            raise Refused("no-position", _("Enter the mark the control is at."))
        facts["slider" if learns == "slider" else "dial"] = position
        facts["learns"] = learns
    return facts
