"""A setting: the value in force, what the rule derived, whether a person pinned it, and because.

Source: by definition.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Setting:
    """One parameter of one stage. ``value`` equals ``derived`` unless it is pinned."""

    value: float
    unit: str
    derived: float
    pinned: bool
    because: str


def resolve(
    derived: float, unit: str, because: str, pin: float | None, *, digits: int = 1
) -> Setting:
    """The setting that a rule's answer and a person's pin make together.

    ``derived`` and ``pin`` in ``unit``.
    """
    # A zero has no sign.
    rounded = round(derived, digits) + 0.0
    return Setting(
        value=rounded if pin is None else pin,
        unit=unit,
        derived=rounded,
        pinned=pin is not None,
        because=because,
    )
