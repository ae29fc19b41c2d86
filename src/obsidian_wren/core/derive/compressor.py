"""The compressor: as much as evens out the louder half of the speech, and no more lift of the room
in pauses than allowed.

The threshold is the median of the voice's own short-term levels, so the louder half is held; the
ratio is what brings the spread of that half down to 4 dB. With every ratio goes the make-up gain
that meets the loudness, and with both go the peaks: both are solved on the take itself. Where the
peaks would still stand over their window the ratio rises, as far as the room allows.

Source: Giannoulis, Massberg and Reiss (2012) for curve and detector; practice for ratio, times
and the lift allowed in pauses.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.chain.compressor import curve_db
from obsidian_wren.core.chain.detector import attack_reach, control_step, reach
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.gate_evidence import talk_heard
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.loudness import lufs_of_energies
from obsidian_wren.core.measure.words import within
from obsidian_wren.core.record_types import Level, Numbers
from obsidian_wren.core.wording import _

PEAK_PERCENTILE = 90.0
EVEN_SPREAD_DB = 4.0
_KNEE_DB = 6.0
_ATTACK_MS = 3.0
_RATIOS = (1.0001, 8.0)
_WORTH_RATIO = 1.25
# The limiter takes a little from the voice as well.
_LIFT_MARGIN_DB = 0.8
_USUAL_PERCENTILE, _LOUD_PERCENTILE = 50.0, 95.0
_FRAME_S = 0.01
_CURVE_DBFS = np.arange(-70.0, 1.0, 1.0)


@dataclass(frozen=True)
class CompressorEvidence:
    """The static curve, levels in and out in dBFS; spread of the louder half before and after in
    dB; what the rule foresees at the listener: normal peaks without and with it in dBFS, and how
    far the room rises beside the voice in dB."""

    curve_in_dbfs: Numbers
    curve_out_dbfs: Numbers
    spread_db: float
    spread_after_db: float
    peaks_before_dbfs: Level
    peaks_dbfs: Level
    lift_db: float


@kernel("f8[::1](f8[::1], f8, f8, f8, f8, f8)")
def gains_db(
    levels_db: Samples, threshold: float, slope: float, knee: float, attack: float, release: float
) -> Samples:
    """The compressor's gain at control points, make-up left out, ``(points,)``.

    ``levels_db`` is ``(points,)``; ``threshold`` in dBFS, ``slope`` the share of what stands over
    it that goes, ``knee`` in dB, ``attack`` and ``release`` as :func:`reach` gives them.
    """
    out = np.empty_like(levels_db)
    gain = 0.0
    for j in range(len(levels_db)):
        target = curve_db(levels_db[j], threshold, slope, knee)
        gain += (target - gain) * (attack if target < gain else release)
        out[j] = gain
    return out


@kernel("f8[::1](f8[::1], i8)", fastmath={"nnan", "nsz"})
def _step_peaks(samples: Samples, step: int) -> Samples:
    out = np.zeros(len(samples) // step)
    for j in range(len(out)):
        highest = 0.0
        for k in range(step):
            highest = max(highest, abs(samples[j * step + k]))
        out[j] = highest
    return out


def normal_peaks_dbfs(frame_peaks: Samples, inside: np.ndarray) -> float:
    """The 90th percentile of the peaks of 10 ms frames inside words: one frame in ten is higher.

    Minus infinity without any. Both ``(frames,)``.
    """
    spoken = frame_peaks[: len(inside)][inside[: len(frame_peaks)]]
    return (
        float(np.percentile(amplitude_db(spoken + 1e-10), PEAK_PERCENTILE))
        if len(spoken)
        else float("-inf")
    )


@dataclass(frozen=True)
class _Predicted:
    makeup_db: float
    peaks_dbfs: float
    lift_db: float


class _Take:
    """The talk take, prepared for trying many ratios: everything per control step, since the
    gain moves no faster."""

    def __init__(self, take_set: TakeSet, sidechain_hz: float) -> None:
        rate, talk = take_set.rate_hz, take_set.talk
        self.step = control_step(rate)
        hears = talk_heard(take_set, sidechain_hz)
        self.levels, self.step_s = hears.levels_dbfs, hears.step_s
        count = len(self.levels)
        weighted = take_set.weighted_talk[: count * self.step].reshape(count, self.step)
        self.energy = np.einsum("ij,ij->i", weighted, weighted)
        self.peaks = _step_peaks(np.ascontiguousarray(talk[: count * self.step]), self.step)
        self.inside = within(take_set.words, np.arange(count) * self.step_s)
        self.voice = self.energy[self.inside]
        self.rate_hz = rate
        self.aims = take_set.preferences.aims
        self.lifted_db = max(0.0, take_set.lifted_db)
        self._predicted: dict[tuple[float, ...], _Predicted] = {}

    def foresee(
        self, threshold: float, ratio: float, attack_ms: float, release_ms: float
    ) -> _Predicted:
        tried = (threshold, ratio, attack_ms, release_ms)
        if tried not in self._predicted:
            self._predicted[tried] = self._foresee(*tried)
        return self._predicted[tried]

    def _foresee(
        self, threshold: float, ratio: float, attack_ms: float, release_ms: float
    ) -> _Predicted:
        times = (
            attack_reach(attack_ms / 1000.0, rate_hz=self.rate_hz),
            reach(release_ms / 1000.0, rate_hz=self.rate_hz),
        )
        gains = gains_db(self.levels, threshold, 1.0 - 1.0 / ratio, _KNEE_DB, *times)
        power = np.exp(gains * (np.log(10.0) / 10.0))
        loudness = lufs_of_energies(
            self.energy * power, step_s=self.step_s, samples_per_step=self.step
        )
        makeup = self.aims.loudness_lufs - loudness if np.isfinite(loudness) else 0.0
        per_frame = round(_FRAME_S / self.step_s)
        whole = len(gains) // per_frame * per_frame
        peaks = (self.peaks * np.sqrt(power))[:whole].reshape(-1, per_frame).max(axis=1)
        # Voice and room part by what the compressor takes from the voice's power while it speaks.
        taken = (
            float(10.0 * np.log10((self.voice @ power[self.inside]) / self.voice.sum()))
            if self.voice.any()
            else 0.0
        )
        inside = self.inside[:whole:per_frame]
        return _Predicted(makeup, normal_peaks_dbfs(peaks, inside) + makeup, self.lifted_db - taken)


def derive_compressor(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the compressor."""
    answer = StagePlanBuilder("compressor", pins)
    aims = take_set.preferences.aims
    pitch = take_set.talk_reading.pitch_hz
    hears_from = answer.set(
        "sidechain_hz",
        80.0 if pitch is None else float(np.clip(0.9 * pitch.p5, 60.0, 150.0)),
        _("Keeps rumble under your voice from triggering it."),
    )
    take = _Take(take_set, hears_from)
    spoken = take.levels[take.inside]
    usual = float(np.percentile(spoken, _USUAL_PERCENTILE)) if len(spoken) else -24.0
    threshold = answer.set(
        "threshold_dbfs",
        usual,
        _(
            "Half of your speech is over {usual:.0f} dBFS here; that half is compressed.",
            usual=usual,
        ),
    )
    answer.set("knee_db", _KNEE_DB, _("Soft, so that its onset is not heard."))
    attack = answer.set(
        "attack_ms", _ATTACK_MS, _("The start of a consonant passes, the vowel is compressed.")
    )
    syllable_s = syllable_length_s(take_set)
    release = answer.set(
        "release_ms",
        float(np.clip(500.0 * syllable_s, 60.0, 250.0)),
        _(
            "Half a syllable: yours last {syllable_s:.0f} ms.",
            syllable_s=syllable_s * 1000,
        ),
    )
    bare = take.foresee(threshold, _RATIOS[0], attack, release)
    spread = float(np.percentile(spoken, _LOUD_PERCENTILE)) - usual if len(spoken) else 0.0
    even_db = EVEN_SPREAD_DB - take_set.preferences.taste.density_db
    ratio = _solve(take, threshold, attack, release, spread / even_db, aims)
    predicted = take.foresee(threshold, ratio, attack, release)
    chosen = answer.set("ratio", ratio, _ratio_because(spread, ratio, predicted, aims))
    found = take.foresee(threshold, chosen, attack, release)
    answer.set(
        "makeup_db",
        found.makeup_db,
        _(
            "Brings the compressed voice to {loudness_lufs:.0f} LUFS.",
            loudness_lufs=aims.loudness_lufs,
        ),
    )
    on = ratio >= _WORTH_RATIO
    out = np.array(
        [
            level
            + curve_db(level, threshold, 1.0 - 1.0 / chosen, _KNEE_DB)
            + answer.settings["makeup_db"].value
            for level in _CURVE_DBFS
        ]
    )
    evidence = CompressorEvidence(
        _CURVE_DBFS, out, spread, spread / chosen, bare.peaks_dbfs, found.peaks_dbfs, found.lift_db
    )
    text = _(
        "The louder half of your speech spreads over {spread:.1f} dB; up to"
        " {even_spread_db:.0f} dB sound even.",
        spread=spread,
        even_spread_db=EVEN_SPREAD_DB,
    )
    if even_db != EVEN_SPREAD_DB:
        text = _(
            "The louder half of your speech spreads over {spread:.1f} dB; you want {even_db:.1f}.",
            spread=spread,
            even_db=even_db,
        )
    if not on:
        text = _(
            "Not needed: the louder half of your speech spreads over only {spread:.1f} dB.",
            spread=spread,
        )
    return answer.plan(on, text, evidence=evidence)


def _solve(
    take: _Take, threshold: float, attack: float, release: float, wanted: float, aims: Aims
) -> float:
    """At least the wanted ratio, more where peaks stand over their window, less where the room
    would rise too far."""
    low, high = _RATIOS

    def last(holds: Callable[[_Predicted], bool]) -> float:
        """The highest ratio that still keeps to something that more compression breaks, by
        bisection."""
        under, over = low, high
        if holds(take.foresee(threshold, high, attack, release)):
            return high
        for _try in range(6):
            middle = float(np.sqrt(under * over))
            under, over = (
                (middle, over)
                if holds(take.foresee(threshold, middle, attack, release))
                else (under, middle)
            )
        return under

    ratio = float(np.clip(wanted, low, high))
    if take.foresee(threshold, ratio, attack, release).peaks_dbfs > aims.peaks_dbfs[1] - 0.5:
        ratio = max(ratio, last(lambda found: found.peaks_dbfs > aims.peaks_dbfs[1] - 0.5))
    if (
        take.foresee(threshold, ratio, attack, release).lift_db
        > aims.most_lift_db - _LIFT_MARGIN_DB
    ):
        ratio = min(ratio, last(lambda found: found.lift_db <= aims.most_lift_db - _LIFT_MARGIN_DB))
    return round(ratio, 1)


def _ratio_because(spread: float, ratio: float, found: _Predicted, aims: Aims) -> str:
    text = _(
        "Reduces {spread:.1f} dB of spread to {spread_2:.1f}; your room rises {lift_db:.1f} dB"
        " in pauses",
        spread=spread,
        spread_2=spread / ratio,
        lift_db=found.lift_db,
    )
    if found.lift_db >= aims.most_lift_db - _LIFT_MARGIN_DB - 0.3:
        return _("{text}, the most that is allowed.", text=text)
    return _(
        "{text}, at most {most_lift_db:.0f} are allowed.", text=text, most_lift_db=aims.most_lift_db
    )


def syllable_length_s(take_set: TakeSet) -> float:
    """Time from one syllable to the next: peaks of the voice's envelope inside words."""
    levels = frame_levels_dbfs(take_set.talk, rate_hz=take_set.rate_hz, frame_s=0.01)
    smooth = np.convolve(np.maximum(levels, -120.0), np.ones(5) / 5.0, "same")
    peaks, _ = scipy.signal.find_peaks(smooth, prominence=3.0)
    inside = within(take_set.words, np.arange(len(smooth)) * 0.01)
    count, seconds = int(np.count_nonzero(inside[peaks])), float(np.count_nonzero(inside)) * 0.01
    return float(np.clip(seconds / count, 0.12, 0.5)) if count >= 10 else 0.25
