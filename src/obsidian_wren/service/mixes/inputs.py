"""What other programs can pick."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.core.wording import _
from obsidian_wren.service.mixes.scene import destinations, feed_of
from obsidian_wren.service.rig.computer_rows import raw_name
from obsidian_wren.service.rig.context import RigContext


class InputView(BaseModel):
    """An input that programs can pick: the name that the computer shows, what it is, and the
    listener it is made for."""

    name: str
    kind: Literal["raw", "treated"]
    title: str
    of: str | None = None


def inputs_of(ctx: RigContext) -> list[InputView]:
    """What other programs can pick: the raw device under the system's name, and the feed of
    every listener in use that picks."""
    found = [
        InputView(
            name=raw_name(ctx.session, ctx.rig),
            kind="raw",
            title=_(
                "{name}, raw: {name_2}", name=ctx.rig.interface.name, name_2=ctx.rig.microphone.name
            ),
        )
    ]
    for row in destinations(ctx.session):
        feed = feed_of(row)
        if feed is not None and row.on:
            found.append(
                InputView(
                    name=feed,
                    kind="treated",
                    title=_("the mix for {name}", name=row.name),
                    of=row.key,
                )
            )
    return found


def inputs_for(ctx: RigContext) -> dict[str, str]:
    """What each name that programs can pick stands for in the run."""
    found = {}
    for entry in inputs_of(ctx):
        found[entry.name] = "voice at once" if entry.kind == "raw" else f"mix {entry.of}"
    return found
