"""What a listener hears: the input that it picks, and a second one where it has one."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.voice.paths import Seat


def picked(
    seat: Seat,
    inputs: Mapping[str, str],
    signals: Mapping[str, Samples],
    mixed: Mapping[str, Samples],
    count: int,
) -> Samples:
    """A block ``(count,)`` or ``(count, channels)`` of what a listener has picked; two inputs are
    folded to one channel and added."""
    name = inputs.get(seat.program.picks or "") if seat.own_feed is not None else f"mix {seat.key}"
    block = _input(name, signals, mixed, count)
    also = inputs.get(seat.program.settings.also or "")
    if also is None:
        return block
    return mono(block) + mono(_input(also, signals, mixed, count))


def _input(
    name: str | None, signals: Mapping[str, Samples], mixed: Mapping[str, Samples], count: int
) -> Samples:
    """What an input carries; silence where there is no such input."""
    if name is None:
        return np.zeros(count)
    if name.startswith("mix "):
        return mixed.get(name.removeprefix("mix "), np.zeros(count))
    return signals.get(name, np.zeros(count))
