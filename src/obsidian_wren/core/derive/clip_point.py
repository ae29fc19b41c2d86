"""Which control made the flat tops of a take, as far as their level tells.

Source: practice: a converter clips at full scale, so flat tops lower down were turned down
after it.
"""

from __future__ import annotations

from collections.abc import Sequence

from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.wording import _, within

CONVERTER_CLIPS_DBFS = -0.3


def gain_after_converter(
    after: Sequence[GainControl], clipped: TalkReading | None
) -> tuple[float, bool]:
    """Gain after the converter, dB, and whether part of it is not known.

    Flat tops under full scale tell it when nothing else does.
    """
    known = [control.over_neutral_db() for control in after if control.neutral is not None]
    if any(value is None for value in known):
        level = clipped.flat_tops.level_dbfs if clipped is not None else None
        if level is not None and level < CONVERTER_CLIPS_DBFS:
            return level, False
        return sum(value for value in known if value is not None), True
    return sum(value for value in known if value is not None), False


def where_clipped(talk: TalkReading, after: Sequence[GainControl] = ()) -> str | None:
    """Which control made the flat tops, as far as their level tells; None without any."""
    level = talk.flat_tops.level_dbfs
    if level is None:
        return None
    if level >= CONVERTER_CLIPS_DBFS:
        return _("They sit at full scale: the converter clipped, so reduce the gain before it.")
    turned = [
        (control, control.over_neutral_db()) for control in after if control.neutral is not None
    ]
    total = sum(db for _, db in turned if db is not None)
    down = [control for control, db in turned if db is None or db < -_NEAR_DB]
    if down and (any(db is None for _, db in turned) or abs(total - level) < _NEAR_DB):
        names = _(" and ").join(within(control.title) for control in down)
        return _(
            "They sit at {level:.1f} dBFS, not at full scale: the converter clipped first, and"
            " the {names} then reduced the level by {level_2:.1f} dB. Reducing that fixes"
            " nothing: reduce the gain before the converter.",
            level=level,
            names=names,
            level_2=-level,
        )
    return _(
        "They sit at {level:.1f} dBFS, and nothing after the converter reduces the level that"
        " much: a stage before it clips, the preamp's output or the device's own limiter. Turn"
        " the preamp down.",
        level=level,
    )


_NEAR_DB = 0.6
