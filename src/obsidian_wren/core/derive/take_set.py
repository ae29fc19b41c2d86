"""What a stage's rule stands on: the takes as they reach that stage, and what was read from them
before it.

Source: practice: a rule measures what reaches its stage.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.offline import Likelihood, render_stage
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import SILENCE_DB, Samples
from obsidian_wren.core.derive.aims import Preferences
from obsidian_wren.core.derive.tone_target import Target
from obsidian_wren.core.measure.decay import Reverb
from obsidian_wren.core.measure.loudness import hops_of, k_weighted, lufs_of_hops, range_of_hops
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.spectrum import a_weighted_dbfs, power_spectrum
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.words import Word, find_words, seldom_exceeded_dbfs
from obsidian_wren.core.rate import at_rate

_USUAL = Preferences()
_T = TypeVar("_T")
# Likelihood ratios of speech in talk, rest and room in use, where they are known.
Likelihoods = tuple[Likelihood | None, Likelihood | None, Likelihood | None]
# A sound, and the likelihood ratio of speech in it where that is known.
Told = tuple[Samples, Likelihood | None]
Run = Callable[[Callable[[Told], Told], Iterable[Told]], Iterable[Told]]


@dataclass(frozen=True)
class ToneTakes:
    """What the equalizer is fitted on: the passage and the room under it, a target, the
    microphone's own response and what its placement adds, dB ``(points,)``, bands that a person
    holds, and bands that stand already (then nothing is fitted, only judged); the same voice as a
    phone heard it."""

    passage: TalkReading
    room: QuietReading
    target: Target | None = None
    mic_response_db: Samples | None = None
    placement_db: Samples | None = None
    pinned: tuple[EqualizerBand, ...] = ()
    standing: tuple[tuple[EqualizerBand, bool], ...] | None = None
    phone: TalkReading | None = None


@dataclass(frozen=True)
class FloorToCome:
    """What the stages behind one do to the A-weighted floor at rest until it is heard, dB: beside
    the voice, which dynamics hold down with it; in the pauses; and in the pauses with the gates of
    Clean open."""

    beside_voice_db: float
    in_pauses_db: float
    gates_open_db: float


@dataclass(frozen=True)
class Sounds:
    """Takes at one rate and one gain, ``(n,)`` each: normal talk, the room at rest, the room in use
    where it was taken.

    ``likelihoods_db`` are the likelihood ratios of speech in talk, rest and room in use, ``(n,)``
    in 32 bits, None before noise reduction told them; ``known`` are numbers that were worked out of
    these very sounds.
    """

    talk: Samples
    rest: Samples
    in_use: Samples | None
    likelihoods_db: Likelihoods = (None, None, None)
    known: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)


@dataclass(frozen=True)
class TakeSet:
    """Takes as they reach a stage, at ``rate_hz``, and what is known beside them.

    ``talk_reading`` and ``quiet_reading`` are of the takes before any stage; ``words`` lie in the
    talk take; ``ring`` is the room's; ``tone`` is what the equalizer is fitted on where that is
    another take; ``passed`` are the stages already gone through; ``lifted_db`` is how far they
    lifted the room beside the voice; ``floor_to_come`` is what the stages that follow will do to
    the floor at rest, None while that is not known.
    """

    rate_hz: float
    sounds: Sounds
    talk_reading: TalkReading
    quiet_reading: QuietReading
    words: tuple[Word, ...]
    preferences: Preferences = _USUAL
    ring: Reverb | None = None
    tone: ToneTakes | None = None
    passed: tuple[StageSpec, ...] = ()
    lifted_db: float = 0.0
    floor_to_come: FloorToCome | None = None

    @property
    def talk(self) -> Samples:
        """Normal talk, ``(n,)``."""
        return self.sounds.talk

    @property
    def rest(self) -> Samples:
        """The room at rest, ``(n,)``."""
        return self.sounds.rest

    @property
    def in_use(self) -> Samples | None:
        """The room in use, ``(n,)``, where it was taken."""
        return self.sounds.in_use

    @property
    def room(self) -> Samples:
        """The room as it is really used, else at rest, ``(n,)``."""
        return self.rest if self.in_use is None else self.in_use

    def after(self, spec: StageSpec, run: Run = map) -> TakeSet:
        """The takes behind a stage; one that is off changes nothing.

        ``run`` maps over the takes; it may do so side by side.
        """
        if not spec.on:
            return self
        if leaves_alone(spec):
            return replace(self, passed=(*self.passed, spec))
        talk, rest, in_use = self.sounds.likelihoods_db
        takes: list[Told] = [(self.talk, talk), (self.rest, rest)]
        if self.in_use is not None:
            takes.append((self.in_use, in_use))
        after = [
            *run(
                lambda take: render_stage(spec, *take, rate_hz=self.rate_hz),
                takes,
            )
        ]
        behind = after[2] if self.in_use is not None else (None, None)
        sounds = Sounds(after[0][0], after[1][0], behind[0], (after[0][1], after[1][1], behind[1]))
        return replace(self, sounds=sounds, passed=(*self.passed, spec))

    @property
    def talk_likelihood_db(self) -> Likelihood | None:
        """The likelihood ratio of speech in the talk, ``(n,)``, dB; None where nobody told it."""
        return self.sounds.likelihoods_db[0]

    @property
    def rest_likelihood_db(self) -> Likelihood | None:
        """The same of the room at rest, ``(n,)``, dB."""
        return self.sounds.likelihoods_db[1]

    @property
    def room_likelihood_db(self) -> Likelihood | None:
        """The same of the room as it is really used, else at rest, ``(n,)``, dB."""
        return self.sounds.likelihoods_db[1 if self.in_use is None else 2]

    def once(self, what: Hashable, work_out: Callable[[], _T]) -> _T:
        """Something of these sounds, worked out the first time it is asked for."""
        known = self.sounds.known
        if what not in known:
            known[what] = work_out()
        found: _T = known[what]
        return found

    @property
    def weighted_talk(self) -> Samples:
        """The talk behind K-weighting, ``(n,)``; as long as the talk, so it is not kept, but what
        it tells is."""
        weighted = k_weighted(self.talk, rate_hz=self.rate_hz)
        self._loudness_and_range(weighted)
        return weighted

    def _loudness_and_range(self, weighted: Samples | None = None) -> tuple[float, float | None]:
        def measure() -> tuple[float, float | None]:
            here = k_weighted(self.talk, rate_hz=self.rate_hz) if weighted is None else weighted
            hops = hops_of(here, rate_hz=self.rate_hz)
            return lufs_of_hops(hops), range_of_hops(hops)

        return self.once("loudness", measure)

    @property
    def loudness_lufs(self) -> float:
        """Integrated loudness of the talk as it is here; minus infinity in silence."""
        return self._loudness_and_range()[0]

    @property
    def range_lu(self) -> float | None:
        """Loudness range of the talk as it is here; None when it is too short."""
        return self._loudness_and_range()[1]

    @property
    def rest_dbfs_a(self) -> float:
        """A-weighted level of the room at rest as it is here."""
        return self.once("rest", lambda: room_a_weighted_dbfs(self.rest, rate_hz=self.rate_hz))

    @property
    def room_dbfs_a(self) -> float:
        """A-weighted level of the room in use as it is here, else at rest."""
        in_use = self.in_use
        if in_use is None:
            return self.rest_dbfs_a
        return self.once("room", lambda: room_a_weighted_dbfs(in_use, rate_hz=self.rate_hz))

    @property
    def active_dbfs(self) -> float:
        """Active speech level of the talk as it is here."""
        return self.once("active", lambda: active_level(self.talk, rate_hz=self.rate_hz).level_dbfs)

    @property
    def gain_to_come_db(self) -> float:
        """The gain that will bring the voice, as it is here, to the listener's loudness."""
        return (
            self.preferences.aims.loudness_lufs - self.loudness_lufs
            if np.isfinite(self.loudness_lufs)
            else 0.0
        )

    def lift_to_listener(self) -> FloorToCome:
        """What follows does to the floor of here: the bare gain that the voice needs while nothing
        of it is derived."""
        bare = self.gain_to_come_db
        return self.floor_to_come or FloorToCome(bare, bare, bare)


def leaves_alone(spec: StageSpec) -> bool:
    """Whether a stage that is on does nothing to sounds, at any rate in Hz."""
    return isinstance(spec, EqualizerSpec) and not spec.bands


def room_a_weighted_dbfs(room: Samples, *, rate_hz: float) -> float:
    """A-weighted AES17 level of ``(n,)`` samples of room."""
    return (
        a_weighted_dbfs(power_spectrum(room, rate_hz=rate_hz, frame_s=0.17))
        if len(room)
        else SILENCE_DB
    )


def prepare(
    talk: Samples,
    rest: Samples,
    in_use: Samples | None,
    *,
    rate_hz: float,
    rest_rate_hz: float,
    in_use_rate_hz: float | None,
    talk_reading: TalkReading,
    quiet_reading: QuietReading,
    preferences: Preferences | None = None,
    ring: Reverb | None = None,
    tone: ToneTakes | None = None,
) -> TakeSet:
    """The takes before any stage. Rooms taken at another rate are brought to that of the talk.

    Takes are ``(n,)``, full scale 1.
    """
    rest = at_rate(rest, rest_rate_hz, rate_hz)
    if in_use is not None and in_use_rate_hz is not None:
        in_use = at_rate(in_use, in_use_rate_hz, rate_hz)
    seldom_dbfs = seldom_exceeded_dbfs(rest, rate_hz=rate_hz)
    words = find_words(talk, rate_hz=rate_hz, room_dbfs=seldom_dbfs)
    return TakeSet(
        rate_hz,
        Sounds(talk, rest, in_use),
        talk_reading,
        quiet_reading,
        words,
        preferences or _USUAL,
        ring,
        tone,
    )
