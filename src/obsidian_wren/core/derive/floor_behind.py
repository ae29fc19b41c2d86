"""The floor behind each stage of a chain and at the listener.

Source: practice: what a gate of Clean shuts off is no floor to weigh noise by, so the room is also
brought through the chain with those gates open.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.stage_plan import StagePlan
from obsidian_wren.core.derive.take_set import FloorToCome, TakeSet, room_a_weighted_dbfs

# Steps in which what is to come is told, so that it does not wander by what nobody hears.
_STEP_DB = 0.1


@dataclass(frozen=True)
class FloorBehind:
    """The A-weighted floor at rest, dBFS(A): behind each stage that weighs it, the gates of Clean
    open; and at the listener beside the voice, in the pauses, in the pauses with those gates
    open."""

    behind: Mapping[str, float]
    beside_voice: float
    in_pauses: float
    gates_open: float

    def to_come(self) -> dict[str, FloorToCome]:
        """What lies between each stage and the listener."""
        ends = (self.beside_voice, self.in_pauses, self.gates_open)
        return {
            key: FloorToCome(*(in_steps(end - floor) for end in ends))
            for key, floor in self.behind.items()
        }


def floor_behind(
    stages: Sequence[StagePlan], reaching: Sequence[TakeSet], leaving: TakeSet
) -> FloorBehind:
    """The floor behind stages, dBFS(A), from the takes that reach each of them and those that
    leave."""
    # Until a gate takes part, what leaves a stage is the open floor.
    shut, opened = False, _Open(leaving)
    behind: dict[str, float] = {}
    steadying: tuple[float, float] | None = None
    following = (*reaching[1:], leaving)
    for stage, here, after in zip(stages, reaching, following, strict=True):
        kind, spec = kind_of(stage.key), stage.spec()
        if not shut:
            opened.is_that_of(here)
        if kind.steadies and steadying is None:
            steadying = opened.dbfs_a, here.loudness_lufs
        if stage.kind == "gate" and not kind.steadies:
            shut = shut or spec.on
        elif shut and spec.on:
            opened.goes_through(spec)
        elif not shut:
            opened.is_that_of(after)
        if kind.weighs_floor:
            # Behind the dynamics what the gates of Clean leave is all there is.
            behind[stage.key] = after.rest_dbfs_a if kind.steadies else opened.dbfs_a
    # What brings it to the listener may not be derived yet.
    whole = any(stage.key == "limiter" for stage in stages)
    missing = 0.0 if whole else leaving.gain_to_come_db
    entering, lufs = steadying or (opened.dbfs_a, leaving.loudness_lufs)
    voice_gain = leaving.loudness_lufs - lufs if np.isfinite(lufs) else 0.0
    return FloorBehind(
        behind,
        entering + voice_gain + missing,
        leaving.rest_dbfs_a + missing,
        opened.dbfs_a + missing,
    )


class _Open:
    """The room at rest as it is where the gates of Clean let it through."""

    def __init__(self, leaving: TakeSet) -> None:
        self._leaving = self._takes = leaving
        self._rest: Samples | None = None
        self._level: float | None = None

    def is_that_of(self, takes: TakeSet) -> None:
        """It is the room of these takes."""
        self._takes, self._rest, self._level = takes, None, None

    def goes_through(self, spec: StageSpec) -> None:
        """A stage does to it what it does without a gate before it."""
        self._rest = render(
            [spec],
            self._takes.rest if self._rest is None else self._rest,
            rate_hz=self._takes.rate_hz,
            likelihood_db=self._leaving.rest_likelihood_db,
        )
        self._level = None

    @property
    def dbfs_a(self) -> float:
        """Its A-weighted level: a spectrum, so it is taken only where somebody asks."""
        if self._rest is None:
            return self._takes.rest_dbfs_a
        if self._level is None:
            self._level = room_a_weighted_dbfs(self._rest, rate_hz=self._takes.rate_hz)
        return self._level


def in_steps(db: float) -> float:
    """A level in dB as it is told of what is to come."""
    return round(db / _STEP_DB) * _STEP_DB
