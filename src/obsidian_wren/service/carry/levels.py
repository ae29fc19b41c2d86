"""The level diagram as a part of a calibration file: from the microphone to each listener."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from obsidian_wren.core.derive.path_point import PathPoint, at_listener
from obsidian_wren.core.wording import _
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation

NAME = "levels"
_LEVELS = ("voice_low_dbfs", "voice_high_dbfs", "peak_dbfs", "floor_dbfs_a")

# What is said of the points behind stages, and what older versions called them.
_TITLES = {
    "converter": _("converter"),
    "cleaned": _("after cleanup"),
    "equalized": _("after EQ"),
    "levelled": _("after dynamics"),
}
_OLDER = {"toned": "equalized", "steadied": "levelled"}


def named(name: str, title: str) -> tuple[str, str]:
    """A kept point's name and title, as they are called now."""
    name = _OLDER.get(name, name)
    return name, _TITLES.get(name, title)


def levels_part(ctx: RigContext) -> dict[str, Any]:
    """Voice, peaks and room at each point of the path, and at each listener as its mix carries
    them; under its name, empty before there are any."""
    row = ctx.session.get(Derivation, (ctx.rig.id, "diagram"))
    if row is None:
        return {}
    points = [
        _point(named(point["name"], point["title"])[1], point) for point in row.body["points"]
    ]
    if not points:
        return {}
    last = PathPoint(**{name: points[-1][name] for name in _LEVELS})
    mixes = mix_rows.kept_mixes(ctx.session, ctx.rig).listeners
    for listener in scene.destinations(ctx.session):
        mix = mixes.get(listener.key)
        if mix is None or not listener.on or mix.voice_gain_db is None:
            continue
        here = at_listener(last, gain_db=mix.voice_gain_db, ceiling_dbtp=mix.ceiling_dbtp)
        points.append(_point(listener.name, asdict(here)))
    return {NAME: {"points": points}}


def _point(title: str, levels: dict[str, Any]) -> dict[str, Any]:
    return {"title": title} | {
        name: None if levels[name] is None else round(float(levels[name]), 2) for name in _LEVELS
    }
