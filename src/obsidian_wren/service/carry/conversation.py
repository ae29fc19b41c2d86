"""What is said of a brought file before anything changes: what comes over, what is measured here,
and which takes are missing for that."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import title_of, with_stage
from obsidian_wren.core.derive.portable import PLACE
from obsidian_wren.formats.calibration import CalibrationFile, keyed_stages
from obsidian_wren.service.calibration.setting_rows import band_rows, setting_row
from obsidian_wren.service.carry.brought import brought_file, named_device
from obsidian_wren.service.carry.portables import Portable, portable_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation


def conversation(ctx: RigContext) -> dict[str, Any] | None:
    """What is said of the file that is looked at, None where there is none."""
    found = brought_file(ctx)
    if found is None:
        return None
    name, at, file = found
    there, here = named_device(file, "microphone"), ctx.rig.microphone.name
    return {
        "name": name,
        "title": file.name or str(file.rig.get("name", "")),
        "at": at,
        "microphone": there,
        "other_microphone": there != here,
        "comes": _comes(portable_of(file), file),
        "measured": _measured(ctx, file, other=there != here),
        "missing": [
            title
            for title, take in (("the room", ctx.takes.quiet), ("the passage", ctx.takes.passage))
            if take is None
        ],
    }


def _comes(comes: Portable, file: CalibrationFile) -> list[dict[str, str]]:
    rows = [("Target and taste", _taste(comes))]
    rows.append(("Sequence of stages", "your own" if comes.sequence else "usual"))
    for key, values in comes.character.items():
        shown = [
            f"{_short(key, name)} {value:g} {kind_of(key).parameter(name).unit}".strip()
            for name, value in values.items()
        ]
        title = title_of(key)
        rows.append(
            (title if kind_of(key).kind == "colour" else f"{title}'s character", ", ".join(shown))
        )
    rows += [(title_of(key), "on" if on else "off") for key, on in comes.switches.items()]
    rows += [(title_of(key), f"{len(bands)} bands") for key, bands in comes.bands.items()]
    if comes.touched:
        rows.append(("Your hand on the equalizer", f"{len(comes.touched)} bands, added to the fit"))
    rows += [
        (
            f"Mix for {feed.get('listener', feed.get('name', ''))}",
            f"target {feed['aim_lufs']:g} LUFS",
        )
        for feed in file.feeds
        if feed.get("kind") and isinstance(feed.get("aim_lufs"), (int, float))
    ]
    return [{"title": str(title)[:80], "value": value[:200]} for title, value in rows]


def _short(key: str, name: str) -> str:
    """A setting's title without the stage that it stands beside."""
    title = kind_of(key).parameter(name).title.lower()
    return title.removeprefix(kind_of(kind_of(key).kind).title.lower()).strip()


def _taste(comes: Portable) -> str:
    taste = comes.wishes.taste
    said = []
    if comes.wishes.target is not None:
        said.append(comes.wishes.target.name or comes.wishes.target.kind)
    for name, value in [] if taste is None else taste.model_dump().items():
        if value:
            said.append(f"{name.removesuffix('_db')} {value:+g} dB")
    return ", ".join(said) or "usual"


def _measured(ctx: RigContext, file: CalibrationFile, *, other: bool) -> list[dict[str, Any]]:
    rows = [_gain(ctx, file)]
    stages = keyed_stages(file)
    for (key, name), why in PLACE.items():
        stage, row = stages.get(key), setting_row(ctx, key, name)
        then = None if stage is None else stage.settings.get(name)
        if then is None and row is None:
            continue
        known = kind_of(key).parameter(name)
        rows.append(
            {
                "title": with_stage(key, known.title),
                "why": why,
                "then": _number(None if then is None else then.value),
                "here": _number(None if row is None else row.value),
                "unit": known.unit,
            }
        )
    equalizer = stages.get("equalizer")
    setting = None if equalizer is None else equalizer.settings.get("bands")
    bands = [] if setting is None or isinstance(setting.value, float) else setting.value
    rows.append(
        {
            "title": "Equalizer",
            "why": "another microphone: refitted to sound the same on your voice"
            if other
            else "refitted where the microphone stands now",
            "then": len(bands) or None,
            "here": len(band_rows(ctx)) or None,
            "unit": "bands",
        }
    )
    profile = ctx.session.get(Derivation, (ctx.rig.id, "noise-profile"))
    rows.append(
        {
            "title": "Noise profile",
            "why": "a profile never travels" if profile is None else "this room's own",
            "then": None,
            "here": None,
            "unit": "",
        }
    )
    return rows


def _gain(ctx: RigContext, file: CalibrationFile) -> dict[str, Any]:
    distance = file.rig.get("distance_cm")
    why = "your voice at your distance"
    if isinstance(distance, (int, float)) and distance != ctx.rig.distance_cm:
        why = f"another distance, {distance:.0f} → {ctx.rig.distance_cm:.0f} cm"
    return {
        "title": "Preamp gain",
        "why": why,
        "then": _number(file.rig.get("gain_db")),
        "here": _number(ctx.rig.gain_db),
        "unit": "dB",
    }


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None
