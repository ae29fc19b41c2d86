"""The whole chain from the takes: each stage's rule in its order, each derived on what the
stages before it leave.

Source: practice: a rule measures what reaches its stage, not what was recorded.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.compressor import normal_peaks_dbfs
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.order import OrderWarning, warnings
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan
from obsidian_wren.core.derive.take_set import TakeSet, room_a_weighted_dbfs
from obsidian_wren.core.measure.levels import frame_peaks, true_peak_dbtp
from obsidian_wren.core.measure.words import within


@dataclass(frozen=True)
class ChainPlan:
    """Every stage as derived, in order; where the voice lands; what the order defeats; the takes
    as they leave."""

    stages: tuple[StagePlan, ...]
    landing: Landing
    order_warnings: tuple[OrderWarning, ...]
    treated: TakeSet

    def specs(self) -> tuple[StageSpec, ...]:
        """The chain."""
        return tuple(stage.spec() for stage in self.stages)

    def stage(self, kind: str) -> StagePlan:
        """The first stage of a kind."""
        return next(stage for stage in self.stages if stage.kind == kind)


Follow = Callable[[TakeSet, StageSpec], TakeSet]


Ask = Callable[[str, TakeSet, Pins], StagePlan]


def ask_rule(key: str, take_set: TakeSet, pins: Pins) -> StagePlan:
    """The answer of a stage's rule."""
    found: StagePlan = kind_of(key).rule_function()(take_set, pins.of(key))
    return replace(found, key=key)


def derive_chain(
    take_set: TakeSet,
    pins: Pins | None = None,
    *,
    sequence: Sequence[str] | None = None,
    follow: Follow = TakeSet.after,
    ask: Ask = ask_rule,
) -> ChainPlan:
    """Derive every stage of ``sequence``.

    ``follow`` brings the takes through a stage, ``ask`` gives
    the answer of its rule; give ones that remember to save time.

    Raises ValueError from the equalizer's rule where the voice stands over the noise in less than
    an octave.
    """
    pins = pins or Pins()
    stages: list[StagePlan] = []
    here = before_limiter = take_set
    unsteadied: TakeSet | None = None
    for key in default_sequence() if sequence is None else sequence:
        kind = kind_of(key)
        if kind.steadies and unsteadied is None:
            unsteadied = here
        stage = ask(key, here, pins)
        if key == "limiter":
            before_limiter = here
        stages.append(stage)
        after = follow(here, stage.spec())
        # A gain that waits in pauses lifts the room by what it takes from the voice.
        lifted = (
            here.loudness_lufs - after.loudness_lufs
            if key == "leveller" and stage.switch.on
            else 0.0
        )
        here = replace(after, lifted_db=here.lifted_db + lifted) if lifted else after
    running = [stage.kind for stage in stages if stage.switch.on]
    return ChainPlan(
        tuple(stages),
        _landing(unsteadied or take_set, before_limiter, here),
        warnings(running),
        here,
    )


def _landing(before: TakeSet, before_limiter: TakeSet, after: TakeSet) -> Landing:
    rate = after.rate_hz
    true_peak = true_peak_dbtp(after.talk)
    # As the ear weighs both: rumble and breath that were taken away are no voice.
    room_gain = after.room_dbfs_a - before.room_dbfs_a
    voice_gain = after.loudness_lufs - before.loudness_lufs
    limited = _peak_dbfs(before_limiter.talk) - _peak_dbfs(after.talk)
    return Landing(
        after.loudness_lufs if np.isfinite(after.loudness_lufs) else None,
        true_peak,
        _normal_peaks(after),
        after.range_lu,
        room_a_weighted_dbfs(after.rest, rate_hz=rate),
        room_gain - voice_gain,
        max(0.0, limited),
    )


def _normal_peaks(after: TakeSet) -> float:
    peaks = frame_peaks(after.talk, rate_hz=after.rate_hz, frame_s=0.01)
    return normal_peaks_dbfs(peaks, within(after.words, np.arange(len(peaks)) * 0.01))


def _peak_dbfs(samples: Samples) -> float:
    return amplitude_db(float(np.abs(samples).max())) if len(samples) else float("-inf")
