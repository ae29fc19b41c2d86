"""A rule's answer for one stage: on or off and why, its settings with a because each, and the
evidence they stand on.

Source: by definition; each rule names its own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.derive.setting import Setting, resolve


@dataclass(frozen=True)
class Switch:
    """Whether a stage takes part: in force, derived, pinned by a person, because."""

    on: bool
    derived: bool
    pinned: bool
    because: str


@dataclass(frozen=True)
class Pins:
    """What a person holds: numbers by stage and name, and switches by stage.

    ``bands`` are the bands of further equalizers by stage: nothing derives those. ``further`` says
    that a rule is asked for a stage that a person added.
    """

    numbers: Mapping[tuple[str, str], float] = field(default_factory=dict)
    switches: Mapping[str, bool] = field(default_factory=dict)
    bands: Mapping[str, tuple[EqualizerBand, ...]] = field(default_factory=dict)
    further: bool = False

    def of(self, key: str) -> Pins:
        """The pins as the rule of a stage beside the first of its kind sees them: its own, named
        as its kind is."""
        kind, beside, _ = key.partition("-")
        if not beside:
            return self
        own = {(kind, name): value for (stage, name), value in self.numbers.items() if stage == key}
        others = {at: value for at, value in self.numbers.items() if at[0] != kind}
        switches = {stage: on for stage, on in self.switches.items() if stage != kind}
        if key in self.switches:
            switches[kind] = self.switches[key]
        bands = {kind: self.bands.get(key, ())}
        return Pins(others | own, switches, bands, further=is_further(key))


@dataclass(frozen=True)
class StagePlan:
    """One stage as derived. ``key`` names it in its chain.

    ``data`` holds settings that are no numbers: an equalizer's bands, a noise profile.
    """

    kind: str
    switch: Switch
    settings: Mapping[str, Setting]
    data: Mapping[str, Any] = field(default_factory=dict)
    evidence: Any = None
    key: str = ""

    def spec(self) -> StageSpec:
        """The specification with the values in force."""
        values: dict[str, Any] = {
            name: setting.value for name, setting in self.settings.items()
        } | dict(self.data)
        return KINDS[self.kind].spec_class().from_settings(values, on=self.switch.on)


class StagePlanBuilder:
    """Gathers a rule's answer for one stage, with a person's pins put in."""

    def __init__(self, kind: str, pins: Pins) -> None:
        self.kind = kind
        self._pins = pins
        self.settings: dict[str, Setting] = {}

    def set(self, name: str, derived: float, because: str) -> float:
        """Derive a number, held within what can be set; gives the value in force.

        ``derived`` and the answer in the unit of the parameter, such as dB or ms.
        """
        known = KINDS[self.kind].parameter(name)
        held = min(max(derived, known.low), known.high)
        self.settings[name] = resolve(
            held,
            known.unit,
            because,
            self._pins.numbers.get((self.kind, name)),
            digits=max(known.digits, 1),
        )
        return self.settings[name].value

    def plan(
        self,
        on: bool,
        because: str,
        *,
        data: Mapping[str, Any] | None = None,
        evidence: Any = None,
    ) -> StagePlan:
        """The answer, switched as derived unless a person pinned the switch."""
        pin = self._pins.switches.get(self.kind)
        switch = Switch(on if pin is None else pin, on, pin is not None, because)
        return StagePlan(self.kind, switch, self.settings, data or {}, evidence, self.kind)
