"""The block engine: stages in order, block by block.

>>> from obsidian_wren.core.chain.gain import GainSpec
>>> chain = VoiceChain((GainSpec(6.0),), rate_hz=48_000)
>>> chain.process(np.array([0.1, -0.1])).round(3).tolist()
[0.2, -0.2]

Source: practice: a change glides over one block, so that nothing clicks.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.delay import Delay, SoftStart
from obsidian_wren.core.chain.in_step import LikelihoodOfSpeech, share_frames
from obsidian_wren.core.chain.one_pass import OnePass, in_passes, tamed
from obsidian_wren.core.chain.sequence import numbered
from obsidian_wren.core.chain.stage import Stage, StageSpec, take_over
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _

# Filters that are new in the chain run in before they are heard; then one chain fades into the
# other.
_RUN_IN_S, _FADE_S = 0.06, 0.02


@dataclass(frozen=True)
class StageTrouble:
    """A stage that failed and is passed over."""

    kind: str
    sentence: str


class VoiceChain:
    """Stages that are switched on, in order.

    Only finite samples leave; what comes in that is not finite counts as silence.

    A stage that fails is passed over from then on, its delay kept, and told in ``troubles``; the
    rest goes on. ``least_delay_samples`` pads the chain's delay, so that one chain can follow
    another without a jump.
    """

    def __init__(
        self, specification: Sequence[StageSpec], rate_hz: float, *, least_delay_samples: int = 0
    ) -> None:
        self.specification = specification
        self.rate_hz = rate_hz
        self.troubles: tuple[StageTrouble, ...] = ()
        self.stages: list[Stage] = [
            spec.build(rate_hz=rate_hz) for spec in specification if spec.on
        ]
        self._keys = list(_running(specification))
        share_frames(self.stages)
        missing = least_delay_samples - sum(stage.delay_samples for stage in self.stages)
        if missing > 0:
            self.stages.append(Delay(missing))
            self._keys.append("delay")
        self._coming: VoiceChain | None = None
        self._queued: Sequence[StageSpec] | None = None
        self._faded = 0
        self._careful = False
        self._grouped: list[Stage] = []
        self._passes: list[tuple[int, OnePass | None]] = []
        self._likelihood = LikelihoodOfSpeech(self.stages)

    @property
    def delay_samples(self) -> int:
        """Samples by which the output lags the input."""
        return sum(stage.delay_samples for stage in self.stages)

    @property
    def gains_db(self) -> dict[str, float]:
        """The lowest gain that each dynamics stage applied in the last block, dB."""
        running = self if self._coming is None else self._coming
        for _first, together in running._passes:
            if together is not None:
                together.tell_gains()
        keyed = zip(running._keys, running.stages, strict=True)
        return {key: stage.gain_db for key, stage in keyed if stage.gain_db is not None}

    @property
    def strayed_db(self) -> float | None:
        """How far the room of the last seconds stands over the profile that noise reduction was
        given, dB; None without noise reduction."""
        running = self if self._coming is None else self._coming
        found = (getattr(stage, "strayed_db", None) for stage in running.stages)
        return next((strayed for strayed in found if strayed is not None), None)

    @property
    def tells(self) -> bool:
        """Whether the last stage tells how likely speech is in what it gives."""
        return bool(self.stages) and hasattr(self.stages[-1], "likelihood_db")

    @property
    def likelihood_db(self) -> Samples | None:
        """The likelihood ratio of speech in the samples that left last, ``(n,)``, dB, where the
        last stage :attr:`tells` it."""
        return self._likelihood.known if self.tells else None

    def process(self, block: Samples, likelihood_db: Samples | None = None) -> Samples:
        """Process ``(n,)`` samples of any length; the likelihood ratio of speech in them may be
        told, ``(n,)``, dB."""
        if self._coming is not None:
            return self._glide(block, self._coming, likelihood_db)
        return self._run(block, likelihood_db)

    def change(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages or settings without a gap or a click, within a tenth of a second.

        What a stage remembers is taken over by its successor. The delay never shrinks on the way,
        so nothing is heard twice.
        """
        if self._coming is not None:
            self._queued = specification
            return
        coming = VoiceChain(specification, self.rate_hz, least_delay_samples=self.delay_samples)
        before = dict(zip(self._keys, self.stages, strict=True))
        stages: list[Stage] = []
        keys: list[str] = []
        for key, stage in zip(coming._keys, coming.stages, strict=True):
            if key in before:
                take_over(stage, before[key])
            else:
                # What is new in the chain hears the sound begin softly: an echo would give an
                # abrupt beginning back.
                stages.append(SoftStart(round(_FADE_S * self.rate_hz)))
                keys.append("soft start")
            stages.append(stage)
            keys.append(key)
        coming.stages, coming._keys = stages, keys
        coming._likelihood = LikelihoodOfSpeech(stages)
        self._coming, self._faded = coming, 0

    def _run(self, block: Samples, likelihood_db: Samples | None) -> Samples:
        self._likelihood.known = likelihood_db
        if self._careful:
            return self._one_by_one(tamed(block))
        if self._grouped != self.stages:
            self._grouped, self._passes = list(self.stages), in_passes(self.stages)
        if not self._passes or self._passes[0][1] is None:
            block = tamed(block)
        sound, place, energy = block, 0, 0.0
        for count, together in self._passes:
            if together is None:
                sound = self._one_by_one(sound, place, place + count)
                energy = float(np.vdot(sound, sound))
            else:
                sound = (
                    together.process(sound)
                    if self._likelihood.known is None
                    else self._together(together, sound, place, count)
                )
                # What a stage before it gave is not to be tamed, but to be told.
                energy = math.nan if place and together.is_tamed else together.energy
            if not math.isfinite(energy):
                return self._start_afresh(tamed(block))
            place += count
        return sound

    def _together(self, stages: OnePass, sound: Samples, place: int, count: int) -> Samples:
        for each in range(place, place + count):
            self._likelihood.reaches(each)
        after = stages.process(sound)
        for each in range(place, place + count):
            self._likelihood.passes(each, self.stages[each])
        return after

    def _one_by_one(self, block: Samples, first: int = 0, last: int | None = None) -> Samples:
        sound = block
        for place, stage in enumerate(self.stages[first:last], first):
            self._likelihood.reaches(place)
            try:
                after = stage.process(sound)
            except Exception as error:
                sound = self._pass_over(
                    place,
                    _(
                        "had an internal error ({name}: {error})",
                        name=type(error).__name__,
                        error=error,
                    ),
                    sound,
                )
                continue
            if self._careful and not np.isfinite(after.sum()):
                after = self._pass_over(place, _("returned a value that is not a number"), sound)
            self._likelihood.passes(place, stage)
            sound = after
        return sound

    def _pass_over(self, place: int, why: str, block: Samples) -> Samples:
        stage = self.stages[place]
        self.troubles += (
            StageTrouble(
                stage.kind,
                _(
                    "The stage “{kind}” {why} and is bypassed; the others go on.",
                    kind=stage.kind,
                    why=why,
                ),
            ),
        )
        self.stages[place] = Delay(stage.delay_samples, kind=stage.kind)
        self._likelihood = LikelihoodOfSpeech(self.stages)
        return self.stages[place].process(block)

    def _start_afresh(self, block: Samples) -> Samples:
        """Something in a stage's memory is not finite: every stage starts anew, and from now on
        each is looked at."""
        self._careful, self._passes = True, []
        failed = {trouble.kind for trouble in self.troubles}
        running = _running(self.specification)
        fresh = {key: spec for key, spec in running.items() if spec.kind not in failed}
        specs = [fresh.get(key) for key in self._keys]
        before, self.stages = (
            self.stages,
            [
                Delay(stage.delay_samples, kind=stage.kind)
                if spec is None
                else spec.build(rate_hz=self.rate_hz)
                for stage, spec in zip(self.stages, specs, strict=True)
            ],
        )
        share_frames(self.stages)
        self._likelihood = LikelihoodOfSpeech(self.stages)
        sound = block
        for place, stage in enumerate(self.stages):
            delay = before[place].delay_samples
            if stage.delay_samples != delay:
                self.stages[place] = Delay(delay, kind=stage.kind)
            after = self.stages[place].process(sound)
            if not np.isfinite(after.sum()):
                after = self._pass_over(place, _("returned a value that is not a number"), sound)
            sound = after
        return sound

    def _glide(self, block: Samples, coming: VoiceChain, likelihood_db: Samples | None) -> Samples:
        old, new = self._run(block, likelihood_db), coming.process(block, likelihood_db)
        run_in = round(_RUN_IN_S * self.rate_hz) + coming.delay_samples
        fade = round(_FADE_S * self.rate_hz)
        way = np.clip((np.arange(len(block)) + (1.0 + self._faded - run_in)) / fade, 0.0, 1.0)
        # Its corners are round: a straight line would be heard where it begins and ends.
        share = 0.5 - 0.5 * np.cos(np.pi * way)
        self._faded += len(block)
        if self._faded >= run_in + fade:
            self.specification, self.stages = coming.specification, coming.stages
            self._keys, self._likelihood = coming._keys, coming._likelihood
            self._grouped, self._passes = coming._grouped, coming._passes
            self.troubles += coming.troubles
            self._coming = None
            if self._queued is not None:
                queued, self._queued = self._queued, None
                self.change(queued)
        return np.asarray(old + (new - old) * share)


def _running(specification: Sequence[StageSpec]) -> dict[str, StageSpec]:
    """The stages that are on, by keys that they keep where one before them is switched."""
    keyed = zip(numbered(spec.kind for spec in specification), specification, strict=True)
    return {key: spec for key, spec in keyed if spec.on}
