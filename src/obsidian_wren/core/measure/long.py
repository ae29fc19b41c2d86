"""Readings of sound that is too long to hold: the same numbers, from stretches of whole seconds.

What adds up is added up (energy, spectra, hops of loudness, the counts of P.56), what is looked for
in frames is looked for in each stretch. A talk reading goes through the sound twice: who speaks is
known only when the active level is.

Source: the readings' own modules name their standards; practice for how long a take still tells
more.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import islice

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_db, rms_level_dbfs
from obsidian_wren.core.measure import clipping, levels, speech
from obsidian_wren.core.measure.loudness import RunningHops
from obsidian_wren.core.measure.readings import LevelReading, QuietReading, TalkReading
from obsidian_wren.core.measure.running import RunningPeak
from obsidian_wren.core.measure.spectrum import (
    Spectrum,
    a_weighted_dbfs,
    power_spectrum,
    third_octaves,
)
from obsidian_wren.core.measure.voice_spectrum import (
    FineSpectrum,
    joined_spectrum,
    noise_spectrum,
    spoken_spectrum,
)

# Whole seconds, so that hops and frames of one stretch end where those of the next begin.
STRETCH_S = 20.0
_LEVEL_FRAME_S, _TALK_FRAME_S = 1.4, 0.34
_SOFT_FRAME_S = 0.02
_SOFT_FRAMES = 2_000
# Tops of one clipped stage sit at one level, whatever stretch they are in.
_SAME_TOP_DB = 0.05
# A stretch as short as this has no spectrum of its own.
_SHORTEST_S = 2.0

# Gives the sound anew from its beginning, in stretches of :data:`STRETCH_S` ``(n,)``; the last may
# be shorter.
Stretches = Callable[[], Iterator[Samples]]
# Does what does not wait for each other, in any order; each is done when it comes back.
Together = Callable[[Sequence[Callable[[], None]]], None]


def _one_after_the_other(steps: Sequence[Callable[[], None]]) -> None:
    """All of them by the one who asks."""
    for step in steps:
        step()


class _Levels:
    """What every reading adds up."""

    def __init__(self, rate_hz: float, *, frame_s: float) -> None:
        self.rate_hz, self._frame_s = rate_hz, frame_s
        self.samples = 0
        self._energy = self._sum = self._peak = 0.0
        self.frames: list[Samples] = []
        self.hops = RunningHops(rate_hz=rate_hz)
        self._true_peak = RunningPeak()
        self._tops: list[tuple[clipping.FlatTops, int]] = []
        self._power: Samples | None = None
        self._weight = 0.0
        self._hz: Samples = np.zeros(0)

    def add(self, stretch: Samples) -> None:
        self.samples += len(stretch)
        self._energy += float(np.dot(stretch, stretch))
        self._sum += float(stretch.sum())
        self._peak = max(self._peak, float(stretch.max()), float(-stretch.min()))
        self.frames.append(
            np.maximum(levels.frame_levels_dbfs(stretch, rate_hz=self.rate_hz), -200.0)
        )
        self.hops.add(stretch)
        self._true_peak.add(stretch)
        self._tops.append((clipping.flat_tops(stretch), len(stretch)))
        if self._power is None or len(stretch) >= _SHORTEST_S * self.rate_hz:
            spectrum = power_spectrum(stretch, rate_hz=self.rate_hz, frame_s=self._frame_s)
            if self._power is None or len(self._power) == len(spectrum.mean_square):
                weight = float(len(stretch))
                self._power = (
                    self._power if self._power is not None else 0.0
                ) + weight * spectrum.mean_square
                self._weight += weight
                self._hz = spectrum.frequency_hz

    @property
    def duration_s(self) -> float:
        return self.samples / self.rate_hz

    @property
    def rms_dbfs(self) -> float:
        return rms_level_dbfs(self._energy / max(1, self.samples))

    @property
    def peak_dbfs(self) -> float:
        return amplitude_db(self._peak)

    @property
    def true_peak_dbtp(self) -> float:
        # The very end fades; no peak is under its own sample.
        return max(self.peak_dbfs, self._true_peak.dbtp)

    @property
    def spectrum(self) -> Spectrum:
        assert self._power is not None
        return Spectrum(self._hz, self._power / self._weight)

    @property
    def percentiles_dbfs(self) -> levels.Percentiles:
        p10, p50, p90, p99 = np.percentile(np.concatenate(self.frames), [10, 50, 90, 99])
        return levels.Percentiles(float(p10), float(p50), float(p90), float(p99))

    @property
    def dc_offset(self) -> float:
        return self._sum / max(1, self.samples)

    @property
    def flat_tops(self) -> clipping.FlatTops:
        """The tops at the highest level that any stretch has; a wave that goes beyond them is
        not cut there."""
        there = [(found, count) for found, count in self._tops if found.level_dbfs is not None]
        none = clipping.FlatTops(0, None, 0.0)
        if not there:
            return none
        top = max(found.level_dbfs for found, _ in there if found.level_dbfs is not None)
        if self.peak_dbfs > top + _SAME_TOP_DB:
            return none
        same = [
            (found, count)
            for found, count in there
            if found.level_dbfs is not None and found.level_dbfs > top - _SAME_TOP_DB
        ]
        share = sum(found.share_of_samples * count for found, count in same) / self.samples
        sides = [
            [getattr(found, side) for found, _ in same if getattr(found, side) is not None]
            for side in ("upper_dbfs", "lower_dbfs")
        ]
        upper, lower = (max(found) if found else None for found in sides)
        return clipping.FlatTops(sum(found.count for found, _ in same), top, share, upper, lower)


def read_level_long(stretches: Stretches, *, rate_hz: float) -> LevelReading:
    """:func:`~obsidian_wren.core.measure.readings.read_level` of sound that comes in stretches."""
    found = _Levels(rate_hz, frame_s=_LEVEL_FRAME_S)
    for stretch in stretches():
        found.add(stretch)
    loud = found.hops.loudness
    return LevelReading(
        duration_s=found.duration_s,
        rate_hz=rate_hz,
        rms_dbfs=found.rms_dbfs,
        a_weighted_dbfs=a_weighted_dbfs(found.spectrum),
        peak_dbfs=found.peak_dbfs,
        true_peak_dbtp=found.true_peak_dbtp,
        percentiles_dbfs=found.percentiles_dbfs,
        loudness_lufs=loud.integrated_lufs,
        loudness_range_lu=loud.range_lu,
        flat_tops=found.flat_tops,
        dc_offset=found.dc_offset,
    )


@dataclass(frozen=True)
class LongTalk:
    """A talk reading, and whether a voice was found in it at all."""

    reading: TalkReading
    has_voice: bool


def read_talk_long(
    stretches: Stretches,
    *,
    rate_hz: float,
    duration_s: float | None,
    quiet: QuietReading | None = None,
    together: Together = _one_after_the_other,
) -> LongTalk:
    """:func:`~obsidian_wren.core.measure.readings.read_talk` of sound that comes in stretches.

    ``duration_s`` where it is known beforehand; ``together`` may do the readings of a stretch at
    once.
    """
    found = _Levels(rate_hz, frame_s=_TALK_FRAME_S)
    activity = speech.RunningActivity(rate_hz=rate_hz)
    voiced: list[speech.Voicing] = []
    seconds: list[Samples] = []
    soft: list[Samples] = []
    every = _every_soft(duration_s)
    for given in stretches():
        stretch = levels.without_offset(given)

        def follow_the_voice(stretch: Samples = stretch) -> None:
            activity.add(stretch)
            voiced.append(speech.pitched(speech.find_voice(stretch, rate_hz=rate_hz)))
            seconds.append(levels.peak_by_second_dbfs(stretch, rate_hz=rate_hz))
            soft.append(_some_frames(stretch, rate_hz, every))

        together([partial(found.add, stretch), follow_the_voice])
    active = activity.level
    voicing = speech.Voicing(
        np.concatenate([v.voiced for v in voiced]), np.concatenate([v.pitch_hz for v in voiced])
    )
    parts: list[tuple[FineSpectrum, float] | None] = [None] * len(voiced)

    def hear(number: int, given: Samples) -> None:
        stretch = levels.without_offset(given)
        if len(stretch) >= _SHORTEST_S * rate_hz:
            parts[number] = spoken_spectrum(
                stretch,
                rate_hz=rate_hz,
                voicing=voiced[number],
                active_level_dbfs=active.level_dbfs,
            )

    numbered = enumerate(stretches())
    while pair := list(islice(numbered, 2)):
        together([partial(hear, number, given) for number, given in pair])
    spectra = [part for part in parts if part is not None]
    return LongTalk(
        _talk_reading(
            found, active, voicing, np.concatenate(seconds), np.concatenate(soft), spectra, quiet
        ),
        voicing.voiced_s >= 0.05 * found.duration_s and speech.has_melody(voicing),
    )


def _talk_reading(
    found: _Levels,
    active: speech.ActiveLevel,
    voicing: speech.Voicing,
    seconds: Samples,
    soft: Samples,
    spectra: Sequence[tuple[FineSpectrum, float]],
    quiet: QuietReading | None,
) -> TalkReading:
    frames = np.concatenate(found.frames)
    spoken = frames[speech.spoken_mask(frames, active.level_dbfs)]
    low, high = (
        np.percentile(spoken, [10, 95]) if len(spoken) else (active.level_dbfs, active.level_dbfs)
    )
    loud = found.hops.loudness
    bands = found.spectrum
    # Where nobody speaks there is no voice to have a spectrum; the sound's own stands for it, as in
    # a short take.
    voice = joined_spectrum(spectra) if spectra else joined_spectrum([(noise_spectrum(bands), 1.0)])
    return TalkReading(
        duration_s=found.duration_s,
        rate_hz=found.rate_hz,
        rms_dbfs=found.rms_dbfs,
        a_weighted_dbfs=a_weighted_dbfs(bands),
        peak_dbfs=found.peak_dbfs,
        true_peak_dbtp=found.true_peak_dbtp,
        percentiles_dbfs=found.percentiles_dbfs,
        active_percentiles_dbfs=(float(low), float(high)),
        peaks_by_second_dbfs=tuple(float(p) for p in seconds),
        active_level_dbfs=active.level_dbfs,
        activity=active.activity,
        loudness_lufs=loud.integrated_lufs,
        loudness_range_lu=loud.range_lu,
        third_octaves=third_octaves(bands),
        flat_tops=found.flat_tops,
        soft_clipping=clipping.soft_clipping(soft, rate_hz=found.rate_hz),
        pitch_hz=voicing.pitch(),
        voiced_s=voicing.voiced_s,
        snr_db=None if quiet is None else active.level_dbfs - quiet.rms_dbfs,
        voice=voice.mean,
        stretches_db=voice.stretches_db,
    )


def _every_soft(duration_s: float | None) -> int:
    """Every how many frames one is kept for soft clipping: medians over two thousand move no
    more when there are twice as many."""
    return 50 if duration_s is None else max(1, int(duration_s / _SOFT_FRAME_S / _SOFT_FRAMES))


def _some_frames(stretch: Samples, rate_hz: float, every: int) -> Samples:
    length = round(_SOFT_FRAME_S * rate_hz)
    return (
        stretch[: len(stretch) // length * length].reshape(-1, length)[::every].reshape(-1).copy()
    )
