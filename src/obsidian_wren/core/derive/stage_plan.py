"""A rule's answer for one stage: on or off and why, its settings with a because each, and the evidence they stand on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from obsidian_wren.core.chain.parameters import parameter
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.chain.stages import BY_KIND
from obsidian_wren.core.derive.setting import Setting, settle


@dataclass(frozen=True)
class Switch:
    """Whether a stage takes part: in force, derived, pinned by a person, because."""

    on: bool
    derived: bool
    pinned: bool
    because: str


@dataclass(frozen=True)
class Pins:
    """What a person holds: numbers by stage and name, and switches by stage."""

    numbers: Mapping[tuple[str, str], float] = field(default_factory=dict)
    switches: Mapping[str, bool] = field(default_factory=dict)


@dataclass(frozen=True)
class StagePlan:
    """One stage as derived. ``matter`` holds settings that are no numbers: an equalizer's bands, a noise profile."""

    kind: str
    switch: Switch
    settings: Mapping[str, Setting]
    matter: Mapping[str, Any] = field(default_factory=dict)
    evidence: Any = None

    def spec(self) -> StageSpec:
        """The specification with the values in force."""
        values: dict[str, Any] = {name: setting.value for name, setting in self.settings.items()} | dict(self.matter)
        return BY_KIND[self.kind].from_settings(values, on=self.switch.on)


class Answer:
    """Gathers a rule's answer for one stage, with a person's pins put in."""

    def __init__(self, kind: str, pins: Pins) -> None:
        self.kind = kind
        self._pins = pins
        self.settings: dict[str, Setting] = {}

    def set(self, name: str, derived: float, because: str) -> float:
        """Derive a number, held within what can be set; gives the value in force."""
        known = parameter(self.kind, name)
        held = min(max(derived, known.low), known.high)
        self.settings[name] = settle(held, known.unit, because, self._pins.numbers.get((self.kind, name)), digits=max(known.digits, 1))
        return self.settings[name].value

    def plan(self, on: bool, because: str, *, matter: Mapping[str, Any] | None = None, evidence: Any = None) -> StagePlan:
        """The answer, switched as derived unless a person pinned the switch."""
        pin = self._pins.switches.get(self.kind)
        switch = Switch(on if pin is None else pin, on, pin is not None, because)
        return StagePlan(self.kind, switch, self.settings, matter or {}, evidence)
