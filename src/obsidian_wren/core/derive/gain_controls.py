"""Every place where gain can be turned, in signal order, with its range and step.

Gain before the converter lifts the voice over the converter's noise; gain after it lifts both, so
each control says on which side it is and where it changes nothing (practice of gain staging).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from obsidian_wren.core.derive.taper import Taper
from obsidian_wren.core.wording import _

ControlKey = Literal["preamp", "pad", "trim", "slider", "program"]
Unit = Literal["dB", "dial", "%", "switch"]

# As far as a device's own output and a program's trim go, dB.
TRIM_RANGE_DB = (-60.0, 24.0)
_TRIM_STEP_DB = 0.5
# A system's input slider, in percent; 100 % leaves the sound as it is.
SLIDER_RANGE = (0.0, 100.0)
_SLIDER_STEP = 1.0


@dataclass(frozen=True)
class GainControl:
    """One place where gain can be turned.

    ``position`` in the control's own unit, None where unknown; ``neutral`` the position at which a
    control after the converter changes nothing; ``taper`` what its positions are in dB, where that
    was learned. A pad's position is 0 or 1 and ``pad_db`` its loss.
    """

    key: ControlKey
    title: str
    unit: Unit
    analogue: bool
    position: float | None
    low: float | None = None
    high: float | None = None
    step: float | None = None
    neutral: float | None = None
    taper: Taper | None = None
    pad_db: float | None = None

    @property
    def label(self) -> str:
        """The title, with what a person has to know of the control's scale."""
        if self.pad_db is not None:
            return f"{self.title}, {self.pad_db:g} dB"
        if self.key == "preamp" and self.unit == "dB" and self.low is None:
            return _("{title}, at its position", title=self.title)
        return self.title

    def over_neutral_db(self) -> float | None:
        """Gain against the neutral position, dB; None where nobody knows."""
        if self.position is None or self.neutral is None:
            return None
        if self.position == self.neutral:
            return 0.0
        if self.unit == "dB":
            return self.position - self.neutral
        if self.taper is None:
            return None
        return self.taper.gain_db(self.position) - self.taper.gain_db(self.neutral)


def pad_control(*, is_in: bool, loss_db: float) -> GainControl:
    """A pad that can be switched in; ``loss_db`` is what it takes away."""
    return GainControl("pad", _("Pad"), "switch", True, float(is_in), 0.0, 1.0, 1.0, pad_db=loss_db)


def preamp_control(
    unit: Literal["dB", "dial"],
    position: float | None,
    *,
    low: float | None,
    high: float | None,
    step: float,
    taper: Taper | None = None,
) -> GainControl:
    """The preamp: marked in dB, or with the numbers of a dial that ``taper`` may know in dB.

    ``position``, ``low``, ``high`` and ``step`` in ``unit``.
    """
    return GainControl("preamp", _("Preamp"), unit, True, position, low, high, step, taper=taper)


def controls_after_converter(
    *, trim_db: float, slider_percent: float | None, program_db: float, slider_taper: Taper | None
) -> tuple[GainControl, ...]:
    """The device's output, the system's input slider (None where no device is there) and the
    program's trim."""
    low, high = TRIM_RANGE_DB
    return (
        GainControl(
            "trim",
            _("Device output"),
            "dB",
            False,
            trim_db,
            low,
            high,
            _TRIM_STEP_DB,
            neutral=0.0,
        ),
        GainControl(
            "slider",
            _("Input slider"),
            "%",
            False,
            slider_percent,
            *SLIDER_RANGE,
            _SLIDER_STEP,
            neutral=SLIDER_RANGE[1],
            taper=slider_taper,
        ),
        GainControl(
            "program",
            _("Program trim"),
            "dB",
            False,
            program_db,
            low,
            high,
            _TRIM_STEP_DB,
            neutral=0.0,
        ),
    )
