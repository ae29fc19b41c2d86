"""What is said of a brought file before anything changes: what comes over, what is measured here,
and which takes are missing for that."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import title_of, with_stage
from obsidian_wren.core.derive.portable import PLACE
from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.formats.calibration import CalibrationFile, keyed_stages
from obsidian_wren.formats.carried_file import shortened
from obsidian_wren.service.calibration.setting_rows import band_rows, setting_row
from obsidian_wren.service.carry.portables import Portable
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation


@dataclass(frozen=True)
class Brought:
    """A file that is looked at: what the person calls it, since when, the file, and what of it
    comes over."""

    name: str
    at: str
    file: CalibrationFile
    comes: Portable


def conversation(ctx: RigContext, brought: Brought) -> dict[str, Any]:
    """What is said of a file that is looked at."""
    file = brought.file
    there = "" if file.rig.microphone is None else shortened(file.rig.microphone.name)
    here = ctx.rig.microphone.name
    return {
        "name": brought.name,
        "title": file.name or file.rig.name or "",
        "at": brought.at,
        "microphone": there,
        "other_microphone": there != here,
        "comes": _comes(brought.comes, file),
        "measured": _measured(ctx, file, other=there != here),
        "missing": [
            title
            for title, take in (
                (_("the room"), ctx.takes.quiet),
                (_("the passage"), ctx.takes.passage),
            )
            if take is None
        ],
    }


def _comes(comes: Portable, file: CalibrationFile) -> list[dict[str, str]]:
    rows = [(_("Target and taste"), _taste(comes))]
    rows.append((_("Sequence of stages"), _("your own") if comes.sequence else "usual"))
    for key, values in comes.character.items():
        shown = [
            f"{_short(key, name)} {value:g} {kind_of(key).parameter(name).unit}".strip()
            for name, value in values.items()
        ]
        title = title_of(key)
        rows.append(
            (title if kind_of(key).kind == "colour" else f"{title}'s character", ", ".join(shown))
        )
    rows += [(title_of(key), _("on") if on else _("off")) for key, on in comes.switches.items()]
    rows += [
        (title_of(key), ngettext("{count} band", "{count} bands", len(bands)))
        for key, bands in comes.bands.items()
    ]
    if comes.touched:
        rows.append(
            (
                _("Your hand on the equalizer"),
                ngettext(
                    "{count} band, added to the fit",
                    "{count} bands, added to the fit",
                    len(comes.touched),
                ),
            )
        )
    if comes.situations:
        rows.append((_("Situations"), ", ".join(each.name for each in comes.situations)))
    rows += [
        (
            _("Mix for {feed}", feed=feed.listener or feed.name or ""),
            _("target {aim_lufs:g} LUFS", aim_lufs=feed.aim_lufs),
        )
        for feed in file.feeds
        if feed.kind and feed.aim_lufs is not None
    ]
    return [{"title": str(title)[:80], "value": value[:200]} for title, value in rows]


def _short(key: str, name: str) -> str:
    """A setting's title without the stage that it stands beside."""
    title = kind_of(key).parameter(name).title.lower()
    return title.removeprefix(kind_of(kind_of(key).kind).title.lower()).strip()


def _taste(comes: Portable) -> str:
    taste = comes.preferences.taste
    parts = []
    if comes.preferences.target is not None:
        parts.append(comes.preferences.target.name or comes.preferences.target.kind)
    for name, value in [] if taste is None else taste.model_dump().items():
        if value:
            parts.append(f"{name.removesuffix('_db')} {value:+g} dB")
    return ", ".join(parts) or "usual"


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
            "title": _("Equalizer"),
            "why": _("another microphone: refitted to sound the same on your voice")
            if other
            else _("refitted where the microphone stands now"),
            "then": len(bands) or None,
            "here": len(band_rows(ctx)) or None,
            "unit": "bands",
        }
    )
    profile = ctx.session.get(Derivation, (ctx.rig.id, "noise-profile"))
    rows.append(
        {
            "title": _("Noise profile"),
            "why": _("a profile never travels") if profile is None else _("this room's own"),
            "then": None,
            "here": None,
            "unit": "",
        }
    )
    return rows


def _gain(ctx: RigContext, file: CalibrationFile) -> dict[str, Any]:
    distance = file.rig.distance_cm
    why = _("your voice at your distance")
    if distance is not None and distance != ctx.rig.distance_cm:
        why = _(
            "another distance, {distance:.0f} → {distance_cm:.0f} cm",
            distance=distance,
            distance_cm=ctx.rig.distance_cm,
        )
    return {
        "title": _("Preamp gain"),
        "why": why,
        "then": file.rig.gain_db,
        "here": _number(ctx.rig.gain_db),
        "unit": "dB",
    }


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None
