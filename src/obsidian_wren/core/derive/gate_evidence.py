"""What a gate does to the real takes: the two distributions it stands between, and what is cut
and let through.

Source: by definition: frames over and under the threshold, as the gate's own detector hears
them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.detector import (
    control_step,
    detect,
    detector_ring,
    sidechain_sections,
    stage_memory,
)
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.gate import GateSpec, gate_gains_db
from obsidian_wren.core.chain.offline import Likelihood
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.words import Word, within
from obsidian_wren.core.record_types import Numbers

LOWEST_DBFS, HIGHEST_DBFS = -100.0, 0.0
# Where in a word a beginning and an end lie, and how much of their energy may go before they count
# as cut.
_BEGINNING_S, _END_S = 0.05, 0.08
_CUT_DB = 3.0
# Less gain than this and the room is held back.
_HELD_BACK_DB = 3.0


@dataclass(frozen=True)
class GateCounts:
    """On the real takes: words in all, those whose beginning or end loses more than half its
    energy, seconds of room let through out of how many, clicks let through out of how many."""

    words: int
    beginnings_cut: int
    ends_cut: int
    room_let_through_s: float
    room_s: float
    clicks_let_through: int
    clicks: int


@dataclass(frozen=True)
class GateEvidence:
    """Shares of time per decibel from −100 dBFS up, ``(100,)`` each, of the detector's level:
    speech inside words, the room; and the part of either that opens by its likelihood ratio, none
    where that does not count."""

    speech: Numbers
    room: Numbers
    counts: GateCounts
    speech_likely: Numbers
    room_likely: Numbers


@dataclass(frozen=True)
class DetectorTrace:
    """What a gate hears at its control points, ``step_s`` apart: the level in dBFS, ``(points,)``,
    and the likelihood ratio of speech in dB, as many, or none where it is unknown."""

    levels_dbfs: Samples
    likelihoods_db: Samples
    step_s: float

    @property
    def known_likelihoods_db(self) -> Samples:
        """The likelihood ratios ``(points,)``, zeros where they are unknown."""
        return self.likelihoods_db if len(self.likelihoods_db) else np.zeros(len(self.levels_dbfs))

    def inside(self, words: tuple[Word, ...]) -> DetectorTrace:
        """What lies inside words."""
        inside = within(words, np.arange(len(self.levels_dbfs)) * self.step_s)
        likelihoods = (
            self.likelihoods_db[inside] if len(self.likelihoods_db) else self.likelihoods_db
        )
        return DetectorTrace(self.levels_dbfs[inside], likelihoods, self.step_s)


def detector_trace(
    samples: Samples, likelihood_db: Likelihood | None, sidechain_hz: float, *, rate_hz: float
) -> DetectorTrace:
    """What a gate hears of ``(n,)`` samples and of the likelihood ratio of speech in them, ``(n,)``
    where it is known."""
    levels, step_s = detector_levels_dbfs(samples, sidechain_hz, rate_hz=rate_hz)
    step = control_step(rate_hz)
    told = np.empty(0) if likelihood_db is None else likelihood_db[step - 1 :: step]
    return DetectorTrace(levels, told[: len(levels)].astype(np.float64), step_s)


def talk_heard(take_set: TakeSet, sidechain_hz: float) -> DetectorTrace:
    """:func:`detector_trace` of the talk as it is here; worked out once."""
    talk, likelihood_db, rate = take_set.talk, take_set.talk_likelihood_db, take_set.rate_hz
    return take_set.once(
        ("talk heard", sidechain_hz),
        lambda: detector_trace(talk, likelihood_db, sidechain_hz, rate_hz=rate),
    )


def rest_heard(take_set: TakeSet, sidechain_hz: float) -> DetectorTrace:
    """:func:`detector_trace` of the room at rest as it is here; worked out once."""
    rest, likelihood_db, rate = take_set.rest, take_set.rest_likelihood_db, take_set.rate_hz
    return take_set.once(
        ("rest heard", sidechain_hz),
        lambda: detector_trace(rest, likelihood_db, sidechain_hz, rate_hz=rate),
    )


def room_heard(take_set: TakeSet, sidechain_hz: float) -> DetectorTrace:
    """:func:`detector_trace` of the room in use as it is here, else at rest; worked out once."""
    in_use, likelihood_db, rate = take_set.in_use, take_set.room_likelihood_db, take_set.rate_hz
    if in_use is None:
        return rest_heard(take_set, sidechain_hz)
    return take_set.once(
        ("room heard", sidechain_hz),
        lambda: detector_trace(in_use, likelihood_db, sidechain_hz, rate_hz=rate),
    )


def detector_levels_dbfs(
    samples: Samples, sidechain_hz: float, *, rate_hz: float
) -> tuple[Samples, float]:
    """The gate's own detector on ``(n,)`` samples: levels at its control points and the seconds
    between them."""
    step = control_step(rate_hz)
    sections = sidechain_sections(sidechain_hz, rate_hz=rate_hz)
    side = samples
    if len(sections):
        side = np.empty_like(samples)
        run_sections(sections, np.zeros((1, 2)), samples, side)
    levels = np.empty(len(samples) // step)
    detect(side, step, detector_ring(rate_hz=rate_hz), stage_memory(0), levels)
    return levels, step / rate_hz


def gains_of(hears: DetectorTrace, spec: GateSpec, *, rate_hz: float) -> Samples:
    """The gate's gain in dB at each control point, ``(points,)``; a switched-off gate leaves all at
    0."""
    gains = np.array(hears.levels_dbfs)
    if not spec.on:
        return np.zeros_like(gains)
    memory = stage_memory(3)
    memory[5] = 1.0
    gate_gains_db(gains, hears.likelihoods_db, spec.control_settings(rate_hz=rate_hz), memory)
    # With look-ahead the gain of now meets the sound of a moment ago.
    ahead = round(spec.look_ahead_ms * rate_hz / 1000.0 / control_step(rate_hz))
    return np.concatenate([gains[ahead:], np.repeat(gains[-1:], ahead)]) if ahead else gains


def held_back_db(
    spec: GateSpec,
    talk: DetectorTrace,
    room: DetectorTrace,
    words: tuple[Word, ...],
    *,
    rate_hz: float,
) -> float:
    """What a gate takes over time, dB, the mean of the gain: of the room, or between the words of
    the talk, whichever is more."""
    falls = [0.0]
    spoken = within(words, np.arange(len(talk.levels_dbfs)) * talk.step_s)
    for hears, asked in ((talk, ~spoken), (room, None)):
        gains = gains_of(hears, spec, rate_hz=rate_hz)
        gains = gains if asked is None else gains[asked]
        if len(gains):
            falls.append(-float(gains.mean()))
    return max(falls)


def count(
    spec: GateSpec,
    talk: DetectorTrace,
    room: DetectorTrace,
    words: tuple[Word, ...],
    clicks_s: Samples,
    *,
    rate_hz: float,
) -> GateCounts:
    """Count what a gate does with the words of the talk and with the room in use, ``clicks_s``
    ``(n,)`` in it."""
    talk_gains, room_gains = (
        gains_of(talk, spec, rate_hz=rate_hz),
        gains_of(room, spec, rate_hz=rate_hz),
    )
    talk_levels, step_s = talk.levels_dbfs, talk.step_s
    beginnings = ends = 0
    for word in words:
        length = word.end_s - word.start_s
        beginnings += _is_cut(
            talk_levels, talk_gains, word.start_s, word.start_s + min(_BEGINNING_S, length), step_s
        )
        ends += _is_cut(
            talk_levels, talk_gains, word.end_s - min(_END_S, length), word.end_s, step_s
        )
    open_at = room_gains > -_HELD_BACK_DB
    at = np.minimum((clicks_s / step_s).astype(int), max(len(room_gains) - 1, 0))
    through = int(np.count_nonzero(open_at[at])) if len(at) and len(room_gains) else 0
    return GateCounts(
        len(words),
        beginnings,
        ends,
        float(np.count_nonzero(open_at)) * step_s,
        len(room.levels_dbfs) * step_s,
        through,
        len(clicks_s),
    )


def _is_cut(levels: Samples, gains: Samples, start_s: float, end_s: float, step_s: float) -> bool:
    first, last = round(start_s / step_s), max(round(end_s / step_s), round(start_s / step_s) + 1)
    power = 10.0 ** (levels[first:last] / 10.0)
    if not len(power):
        return False
    left = float(np.sum(power * 10.0 ** (gains[first:last] / 10.0)))
    return bool(left < 10.0 ** (-_CUT_DB / 10.0) * float(power.sum()))


def shares(hears: DetectorTrace, likely_db: float = 0.0) -> Samples:
    """Share of time in each decibel of level from −100 to 0 dBFS, ``(100,)``; where ``likely_db``
    is asked, that of what reaches such a likelihood ratio."""
    levels = hears.levels_dbfs
    if likely_db > 0.0:
        levels = levels[hears.known_likelihoods_db >= likely_db]
    edges = np.arange(LOWEST_DBFS, HIGHEST_DBFS + 1.0)
    found, _ = np.histogram(np.clip(levels, edges[0], edges[-1] - 1e-6), edges)
    return np.asarray(found / max(len(hears.levels_dbfs), 1), dtype=np.float64)
