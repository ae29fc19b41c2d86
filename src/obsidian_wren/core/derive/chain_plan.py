"""The whole chain from the takes: each stage's rule in its order, each derived on what the stages before it leave."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.colour import derive_colour
from obsidian_wren.core.derive.compressor import derive_compressor, normal_peaks_dbfs
from obsidian_wren.core.derive.deesser import derive_deesser
from obsidian_wren.core.derive.delivery import derive_gain, derive_limiter
from obsidian_wren.core.derive.deplosive import derive_deplosive
from obsidian_wren.core.derive.equalizer import derive_equalizer
from obsidian_wren.core.derive.gate import derive_gate
from obsidian_wren.core.derive.ground import Ground, room_a_weighted_dbfs
from obsidian_wren.core.derive.highpass import derive_highpass_stage
from obsidian_wren.core.derive.leveller import derive_leveller
from obsidian_wren.core.derive.lowpass import derive_lowpass
from obsidian_wren.core.derive.noise_reduction import derive_noise_reduction
from obsidian_wren.core.derive.order import OrderWarning, warnings
from obsidian_wren.core.derive.ring_reduction import derive_ring_reduction
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan
from obsidian_wren.core.measure.levels import frame_peaks, true_peak_dbtp
from obsidian_wren.core.measure.words import within

Rule = Callable[[Ground, Pins], StagePlan]
RULES: dict[str, Rule] = {
    "highpass": derive_highpass_stage, "deplosive": derive_deplosive, "noise_reduction": derive_noise_reduction,
    "ring_reduction": derive_ring_reduction, "gate": derive_gate, "equalizer": derive_equalizer, "lowpass": derive_lowpass,
    "deesser": derive_deesser, "leveller": derive_leveller, "compressor": derive_compressor, "colour": derive_colour,
    "gain": derive_gain, "limiter": derive_limiter,
}  # fmt: skip
_STEADYING = ("leveller", "compressor", "colour", "gain", "limiter")
# Behind which stage each point of the level diagram lies, in the default order.
LAST_OF_STEP = {"cleaned": "gate", "toned": "deesser", "steadied": "limiter"}


@dataclass(frozen=True)
class Landing:
    """Where the treated voice lands on the take: loudness in LUFS, true peak in dBTP, normal peaks in dBFS, range in LU, floor in dBFS(A),
    how far the room rose beside the voice by steadying in dB, how much the limiter took from the highest peak in dB."""

    loudness_lufs: float | None
    true_peak_dbtp: float
    peaks_dbfs: float
    range_lu: float | None
    floor_dbfs_a: float
    lift_db: float
    limited_db: float


@dataclass(frozen=True)
class ChainPlan:
    """Every stage as derived, in order; where the voice lands; what the order defeats; the takes as they leave."""

    stages: tuple[StagePlan, ...]
    landing: Landing
    order_warnings: tuple[OrderWarning, ...]
    treated: Ground

    def specs(self) -> tuple[StageSpec, ...]:
        """The chain."""
        return tuple(stage.spec() for stage in self.stages)

    def stage(self, kind: str) -> StagePlan:
        """One stage by kind."""
        return next(stage for stage in self.stages if stage.kind == kind)


Follow = Callable[[Ground, StageSpec], Ground]


Ask = Callable[[str, Ground, Pins], StagePlan]


def ask_rule(kind: str, ground: Ground, pins: Pins) -> StagePlan:
    """The answer of a stage's rule."""
    return RULES[kind](ground, pins)


def derive_chain(
    ground: Ground, pins: Pins | None = None, *, order: Sequence[str] = STAGE_KINDS, follow: Follow = Ground.after, ask: Ask = ask_rule
) -> ChainPlan:
    """Derive every stage of ``order``. ``follow`` brings the takes through a stage, ``ask`` gives the answer of its rule; give ones that
    remember to save time.

    Raises ValueError from the equalizer's rule where the voice stands over the noise in less than an octave.
    """
    pins = pins or Pins()
    stages: list[StagePlan] = []
    here = before_limiter = ground
    unsteadied: Ground | None = None
    for kind in order:
        if kind in _STEADYING and unsteadied is None:
            unsteadied = here
        stage = ask(kind, here, pins)
        if kind == "limiter":
            before_limiter = here
        stages.append(stage)
        after = follow(here, stage.spec())
        # A gain that waits in pauses lifts the room by what it takes from the voice.
        lifted = here.loudness_lufs - after.loudness_lufs if kind == "leveller" and stage.switch.on else 0.0
        here = replace(after, lifted_db=here.lifted_db + lifted) if lifted else after
    running = [stage.kind for stage in stages if stage.switch.on]
    return ChainPlan(tuple(stages), _landing(unsteadied or ground, before_limiter, here), warnings(running), here)


def _landing(before: Ground, before_limiter: Ground, after: Ground) -> Landing:
    rate = after.rate_hz
    true_peak = true_peak_dbtp(after.talk)
    # As the ear weighs both: rumble and breath that were taken away are no voice.
    room_gain = after.room_dbfs_a - before.room_dbfs_a
    voice_gain = after.loudness_lufs - before.loudness_lufs
    limited = _peak_dbfs(before_limiter.talk) - _peak_dbfs(after.talk)
    return Landing(
        after.loudness_lufs if np.isfinite(after.loudness_lufs) else None, true_peak, _normal_peaks(after), after.range_lu,
        room_a_weighted_dbfs(after.rest, rate_hz=rate), room_gain - voice_gain, max(0.0, limited),
    )  # fmt: skip


def _normal_peaks(after: Ground) -> float:
    peaks = frame_peaks(after.talk, rate_hz=after.rate_hz, frame_s=0.01)
    return normal_peaks_dbfs(peaks, within(after.words, np.arange(len(peaks)) * 0.01))


def _peak_dbfs(samples: Samples) -> float:
    return amplitude_db(float(np.abs(samples).max())) if len(samples) else float("-inf")
