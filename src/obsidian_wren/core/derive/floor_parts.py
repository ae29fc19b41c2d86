"""Which part of the rig a floor without a name comes from, and what lowers it.

Source: Friis (1944): noise of stages in a row, referred to the input.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.cause import (
    Cause,
    Where,
    lowers,
    sum_dbfs,
)
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.measure.readings import QuietReading
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.wording import _

_PART_WORTH_DB = 1.0
_MOSTLY = 0.5


def parts_of_floor(
    rest: QuietReading, split: FloorSplit | None, explained: float, enough: bool
) -> list[Cause]:
    """The broadband rest, by where it arises.

    ``explained``: the power that has a name already, a mean square re full scale.
    """
    total = rest.a_weighted_dbfs
    found: list[Cause] = []
    electronics = 0.0
    if split is not None:
        words: dict[str, tuple[Where, str, str]] = {
            "preamp": (
                "preamp",
                _("Preamp noise"),
                (
                    _(
                        "Go closer, or use a booster or a quieter preamp: at this gain the"
                        " preamp's own noise dominates."
                    )
                ),
            ),
            "converter": (
                "converter",
                _("Converter noise"),
                _("Turn the preamp up, and everything after the converter back to unity."),
            ),
            "microphone": (
                "microphone",
                _("The microphone’s own noise"),
                _("Only going closer or a quieter microphone raises the voice over it."),
            ),
            "electronics": (
                "preamp",
                _("Preamp and converter noise"),
                _("Record at another gain to tell them apart."),
            ),
        }
        scale = total - sum_dbfs([part.a_weighted_dbfs for part in split.parts])
        for part in split.parts:
            if part.name not in words or not np.isfinite(part.a_weighted_dbfs):
                continue
            where, title, remedy = words[part.name]
            level = part.a_weighted_dbfs + scale
            electronics += power_from_db(level)
            gain = lowers(total, level)
            evidence = _(
                "{level_dbfs:.0f} dBFS at {gain_db:g} dB gain, from the takes that separate the"
                " parts of the noise floor.",
                level_dbfs=part.level_dbfs,
                gain_db=split.gain_db,
            )
            found.append(
                Cause(
                    part.name,
                    where,
                    "rest",
                    title,
                    evidence,
                    remedy,
                    gain,
                    False,
                    not enough and gain >= _PART_WORTH_DB,
                )
            )
    left = power_from_db(total) - explained - electronics
    if left > power_from_db(total - 20.0):
        level = power_db(left)
        title, remedy = _room_words(rest)
        gain = lowers(total, level)
        found.append(
            Cause(
                "room",
                "room",
                "rest",
                title,
                _(
                    "{level:.0f} dBFS A-weighted remain without the named causes.",
                    level=level,
                ),
                remedy,
                gain,
                False,
                not enough and gain >= _PART_WORTH_DB,
            )
        )
    return found


def _room_words(rest: QuietReading) -> tuple[str, str]:
    """What the broadband rest sounds like, by where its A-weighted power lies."""
    weighted = [
        (b.centre_hz, power_from_db(b.level_dbfs) * float(a_weighting_power(np.array(b.centre_hz))))
        for b in rest.third_octaves
    ]
    whole = sum(power for _, power in weighted) or 1.0
    low = sum(power for centre, power in weighted if centre < 500) / whole
    high = sum(power for centre, power in weighted if centre > 3000) / whole
    if low > _MOSTLY:
        return (
            _("The room hums: heater, ventilation or traffic"),
            _("Switch off what blows or runs while you talk, or go closer."),
        )
    if high > _MOSTLY:
        return (
            _("Hiss: rain, a computer’s fan, or electronics"),
            (
                _(
                    "Move the computer away from the microphone; a take with the input muted"
                    " shows whether it is electronics."
                )
            ),
        )
    return (
        _("The room’s own noise"),
        _(
            "Close the window, switch off what blows, put soft things behind the microphone, or"
            " go closer."
        ),
    )
