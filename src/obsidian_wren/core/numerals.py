"""Numbers as they are written for a person: a true minus sign, a fixed number of decimals,
“unknown” for what is not known.

Source: ISO 80000-1 for signs and units.
"""

from __future__ import annotations

import math

from obsidian_wren.core.wording import _, marked

UNKNOWN = _("unknown")
# Two takes of one room differ by as much: a smaller difference decides nothing and is not told.
DECIDES_DB = 1.0
_ONE_KHZ = 1000.0


def plain(value: float | None, decimals: int = 1) -> str:
    """A number with its sign only where it is negative: “−17.2”. ``value`` in any unit."""
    if value is None or not math.isfinite(value):
        return UNKNOWN
    text = f"{value:.{decimals}f}"
    return marked(text.lstrip("-") if float(text) == 0.0 else text)


def signed(value: float | None, decimals: int = 1) -> str:
    """A difference: “+3.0”, “−0.5”; zero carries no sign. ``value`` in any unit."""
    if value is None or not math.isfinite(value):
        return UNKNOWN
    text = f"{abs(value):.{decimals}f}"
    return marked(text if float(text) == 0.0 else f"{'−' if value < 0 else '+'}{text}")


def with_unit(value: float | None, unit: str, decimals: int = 1) -> str:
    """A number and its unit; “unknown” without one. ``value`` in ``unit``."""
    text = plain(value, decimals)
    return text if text == UNKNOWN else f"{text} {unit}"


def with_sign(value: float | None, unit: str, decimals: int = 1) -> str:
    """A difference and its unit; “unknown” without one. ``value`` in ``unit``."""
    text = signed(value, decimals)
    return text if text == UNKNOWN else f"{text} {unit}"


def beside(difference_db: float, what: str) -> str:
    """How a level stands beside another: “4 dB over the target”, “3 dB under the target”; where
    less than a decibel parts them, “at the target”. ``difference_db`` in dB."""
    if abs(difference_db) < DECIDES_DB:
        return _("at {what}", what=what)
    over = _("{size:.0f} dB over {what}", size=abs(difference_db), what=what)
    under = _("{size:.0f} dB under {what}", size=abs(difference_db), what=what)
    return over if difference_db > 0.0 else under


def frequency(hz: float) -> str:
    """A frequency in Hz, from a thousand on in kHz: “80 Hz”, “4.2 kHz”, “10 kHz”."""
    if hz < _ONE_KHZ:
        return f"{hz:.0f} Hz"
    return marked(f"{hz / 1000.0:.1f}".removesuffix(".0")) + " kHz"
