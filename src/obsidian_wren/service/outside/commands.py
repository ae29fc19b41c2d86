"""What can be told to the running program from outside, word by word."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy import select

from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living, muting, pressing
from obsidian_wren.service.send import proving
from obsidian_wren.service.situations import switching
from obsidian_wren.store.models import Clip

ON, OFF = "on", "off"


class NotUnderstood(Refused):
    """These words are no command; says which there are."""


def obey(app: AppContext, words: Sequence[str]) -> str:
    """Do it, and say how it is then. Raises NotUnderstood, and Refused where it cannot be done."""
    command, *more = words or ("",)
    known = _COMMANDS.get(command)
    if known is None:
        raise not_understood(words)
    done = known(app, more)
    if done is None:
        raise not_understood(words)
    return done


def not_understood(words: Sequence[str]) -> NotUnderstood:
    """These words are no command."""
    return NotUnderstood(
        "tell",
        _(
            "“tell {words}” is not a command. See “obsidian-wren tell --help”.",
            words=" ".join(words),
        ),
    )


def _mute(app: AppContext, more: Sequence[str], on: bool | None) -> str | None:
    if more:
        return None
    with app.sessions() as session:
        feeds = muting.feeds_in_use(session)
        if not feeds:
            raise Refused(
                "no-feed",
                _("No listener has a feed in use, so there is nothing to mute. Look in Send."),
            )
        wanted = not feeds <= muting.kept(session)[0] if on is None else on
    muting.mute(app, None, wanted)
    return _("Muted.") if wanted else _("Not muted.")


def _talk(app: AppContext, more: Sequence[str]) -> str | None:
    if more not in ([ON], [OFF]):
        return None
    down = more == [ON]
    muting.talk(app, down, holds=True)
    return _("Push-to-talk is held.") if down else _("Push-to-talk is let go.")


def _live(app: AppContext, more: Sequence[str]) -> str | None:
    if more not in ([ON], [OFF]):
        return None
    is_live = live.current(app).running is not None
    if more == [ON]:
        if not is_live:
            living.start_run(app)
        return _("Live.")
    if live.current(app).run is not None:
        living.stop_run(app)
    return _("Not live.")


def _clip(app: AppContext, more: Sequence[str]) -> str | None:
    if len(more) != 1:
        return None
    with app.sessions() as session:
        found = session.scalar(select(Clip).where(Clip.key == more[0]))
        if found is None:
            raise Refused(
                "no-clip",
                _("No clip has the key {key}. Clips and their keys are in Send.", key=more[0]),
            )
        clip_id, name = found.id, found.name
    pressing.press(app, clip_id)
    return _("Plays {name}.", name=name)


def _situation(app: AppContext, more: Sequence[str]) -> str | None:
    if not more:
        return None
    title = switching.use_by_name(app, " ".join(more))
    return _("Situation: {name}.", name=title)


def _marker(app: AppContext, more: Sequence[str]) -> str | None:
    if more:
        return None
    proving.send_marker(app)
    return _("The marker is sent; Send shows where it arrives.")


_COMMANDS: dict[str, Callable[[AppContext, Sequence[str]], str | None]] = {
    "mute": lambda app, more: _mute(app, more, True),
    "unmute": lambda app, more: _mute(app, more, False),
    "toggle-mute": lambda app, more: _mute(app, more, None),
    "talk": _talk,
    "live": _live,
    "clip": _clip,
    "marker": _marker,
    "situation": _situation,
}
