"""What changed facts do to levels, from the facts alone: gain, distance, angle.

Source: the inverse distance law and the pattern's response to angle.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.derive.capsule import facing_gain_db
from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.wording import _

_LEAST_STEP_DB = 0.05


@dataclass(frozen=True)
class Shift:
    """What changed facts do to the levels of a take, dB, and because; ``known`` is False when
    some change has no rule."""

    voice_db: float
    room_db: float
    because: str
    known: bool


def predict_shift(
    then: Mapping[str, Value], now: Mapping[str, Value], *, pad_db: float | None = None
) -> Shift:
    """From the facts a take was made at and those of now: gain moves voice and room, distance and
    angle move the direct voice only.

    Inverse distance for the direct sound; the diffuse level of the room stays. Proximity adds bass
    on top, which is not counted here.
    """
    both = 0.0
    voice = 0.0
    parts: list[str] = []
    known = True
    for fact in sorted(set(then) | set(now)):
        before, after = then.get(fact), now.get(fact)
        if before == after:
            continue
        if fact in ("gain_db", "trim_db", "program_db") and _numbers(before, after):
            lifted = float(after) - float(before)  # type: ignore[arg-type]
            both += lifted
            parts.append(_("{lifted:+g} dB gain moves voice and room alike", lifted=lifted))
        elif fact == "pad_on" and pad_db is not None:
            both += -pad_db if after else pad_db
            parts.append(
                _("the pad takes {pad_db:g} dB", pad_db=pad_db)
                if after
                else _("without the pad {pad_db:g} dB more", pad_db=pad_db)
            )
        elif fact == "distance_cm" and _numbers(before, after):
            step = 20.0 * float(np.log10(float(before) / float(after)))  # type: ignore[arg-type]
            voice += step
            parts.append(
                _(
                    "{g} to {g_2} cm is {step:+.1f} dB direct voice over the noise",
                    g=_g(before),
                    g_2=_g(after),
                    step=step,
                )
            )
        elif (
            fact == "angle_deg" and _numbers(before, after) and isinstance(now.get("pattern"), str)
        ):
            pattern = str(now["pattern"])
            step = facing_gain_db(pattern, float(after)) - facing_gain_db(pattern, float(before))  # type: ignore[arg-type]
            voice += step
            if abs(step) >= _LEAST_STEP_DB:
                parts.append(
                    _(
                        "{g}° to {g_2}° is {step:+.1f} dB of a {pattern}",
                        g=_g(before),
                        g_2=_g(after),
                        step=step,
                        pattern=pattern,
                    )
                )
        elif fact not in ("height_cm", "shock_mount", "support", "pop_screen"):
            known = False
    return Shift(voice + both, both, "; ".join(parts), known)


def _numbers(*values: Value) -> bool:
    return all(isinstance(value, (int, float)) and not isinstance(value, bool) for value in values)


def _g(value: Value) -> str:
    return f"{value:g}" if isinstance(value, (int, float)) else str(value)
