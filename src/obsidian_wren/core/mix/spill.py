"""Spill: how loud somebody is in the microphone of the person beside them, measured while only they
talk.

Levels are read band by band in frames of 10 ms. What a microphone hears of the other person is
compared with what that person's own microphone heard just before: the room goes on a little, so a
level falls no faster there than 100 dB a second. Most of what only spill can be is known after some
seconds; what is more is somebody's own voice.

Source: Dugan (1975), "Automatic microphone mixing", for levels compared between microphones; the
bands and the fall were judged in simulated rooms of 0.2 to 0.6 s.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _

FRAME_S, HOP_S = 0.01, 0.0025
EDGES_HZ = (150, 250, 350, 500, 700, 1000, 1400, 2000, 2800, 4000, 5600, 8000, 11000)
BANDS = len(EDGES_HZ) - 1
FALL_DB_S = 100.0
# A band says no more than this of an own voice.
MOST_BAND_DB = 12.0
LEAST_S = 4.0
_QUIETEST = 1e-13
_OVER_REST_DB = 3.0
_SILENT_PERCENT, _MOSTLY_PERCENT = 10.0, 90.0
_TALKS_OVER_REST_DB = 15.0
_COMMONLY, _NEARLY_ALWAYS = 99.0, 99.9
_LEAST_EXCESS_DB, _SURELY = 6.0, 2.0
_LEAST_APART_DB = 6.0
# Two devices are not further apart than this.
_MOST_APART_S = 0.08
_VOICE_HZ = (300.0, 4000.0)
# The first wave may be weaker than what a wall sends.
_FIRST_SHARE = 0.5
# How far under the talker spill ends at a listener: the two add up to a ripple of 0.3 dB.
_UNDER_DB = 30.0
# The bar of 12 dB with room for words where the gate opens a moment too long.
_DEPTHS_DB = (16.0, 24.0)


@dataclass(frozen=True)
class SpillPath:
    """One person in the other's microphone. ``level_db``: their voice there against their own
    microphone; ``bands_db`` ``(12,)``: by how much the level of a band there seldom exceeds that in
    their own microphone; ``rest_dbfs`` ``(12,)``: what these bands seldom exceed there at rest;
    ``excess_db``: what all bands together seldom exceed it by; ``late_s``: by how much later it
    is there; ``seconds`` of talk that it stands on."""

    level_db: float
    bands_db: tuple[float, ...]
    rest_dbfs: tuple[float, ...]
    excess_db: float
    late_s: float
    seconds: float

    @property
    def depth_db(self) -> float:
        """By how much the microphone that hears the spill goes down while only this person
        talks."""
        return float(np.clip(round(_UNDER_DB + self.level_db), *_DEPTHS_DB))


class SpillUnknown(Told):
    """What a person said cannot tell how loud they are in the other microphone."""

    def __init__(self, sentence: str) -> None:
        super().__init__("spill-unknown", sentence)


def band_levels(samples: Samples, *, rate_hz: float) -> Samples:
    """Levels of the bands ``(frames, 12)`` in dBFS, of ``(n,)`` samples in frames of 10 ms, one
    every 2.5 ms; a frame ends with its last sample."""
    count, hop = frame_sizes(rate_hz)
    if len(samples) < count:
        return np.zeros((0, BANDS))
    return levels_of(np.lib.stride_tricks.sliding_window_view(samples, count)[::hop], rate_hz)


def levels_of(frames: Samples, rate_hz: float) -> Samples:
    """Levels of the bands ``(..., 12)`` of frames ``(..., n)``, in dBFS."""
    window, sums = _window_and_sums(frames.shape[-1], rate_hz)
    spectra = np.fft.rfft(frames * window, axis=-1)
    power = spectra.real**2 + spectra.imag**2
    found: Samples = 10.0 * np.log10(power @ sums + _QUIETEST)
    return found


def frame_sizes(rate_hz: float) -> tuple[int, int]:
    """Samples of a frame, and from one to the next."""
    hop = round(HOP_S * rate_hz)
    return hop * round(FRAME_S / HOP_S), hop


def excess_of(levels: Samples, others: Samples, path: SpillPath) -> Samples:
    """How far bands ``(frames, 12)`` of a microphone are over what spill and rest explain, summed,
    dB; ``others``: the levels of the talker's own microphone, falling no faster than the room."""
    over = levels - np.maximum(others + np.asarray(path.bands_db), path.rest_dbfs)
    found: Samples = np.clip(over, 0.0, MOST_BAND_DB).sum(axis=-1)
    return found


def fallen(levels: Samples, *, rate_hz: float) -> Samples:
    """Levels ``(frames, 12)`` that fall no faster than the room."""
    step = FALL_DB_S * frame_sizes(rate_hz)[1] / rate_hz
    falling = levels + step * np.arange(len(levels))[:, None]
    return np.asarray(np.maximum.accumulate(falling) - step * np.arange(len(levels))[:, None])


def measure_spill(own: Samples, other: Samples, *, rate_hz: float) -> SpillPath:
    """How loud who talks is in the other microphone: ``(n,)`` samples of both while only they
    talk, some seconds at least.

    Raises SpillUnknown where too little was said.
    """
    lag = _late_samples(own, other, rate_hz)
    heard = np.roll(other, -lag) if lag else other
    talk, there = band_levels(own, rate_hz=rate_hz), band_levels(heard, rate_hz=rate_hz)
    loudest = talk.max(axis=1)
    # Nobody talks in the quietest frames; a noise sways in frames as short as these.
    silent = loudest <= np.percentile(loudest, _SILENT_PERCENT)
    rest = np.percentile(there[silent], _MOSTLY_PERCENT, axis=0) + _OVER_REST_DB
    talks = loudest > _at_rest(talk).max() + _TALKS_OVER_REST_DB
    seconds = float(talks.sum() * frame_sizes(rate_hz)[1] / rate_hz)
    if seconds < LEAST_S:
        raise SpillUnknown(
            _(
                "Only {seconds:.0f} s of it were talk. Talk without long pauses, {least:.0f} s at"
                " least, while the other person is silent.",
                seconds=seconds,
                least=LEAST_S,
            )
        )
    level = _level_db(own, other, rate_hz, talk, talks)
    before = fallen(talk, rate_hz=rate_hz)
    bands = np.percentile((there - before)[talks], _COMMONLY, axis=0)
    path = SpillPath(
        round(level, 2),
        tuple(round(float(band), 2) for band in bands),
        tuple(round(float(band), 2) for band in rest),
        0.0,
        lag / rate_hz,
        round(seconds, 2),
    )
    most = float(np.percentile(excess_of(there, before, path)[talks], _NEARLY_ALWAYS))
    return replace(path, excess_db=round(max(_SURELY * most, _LEAST_EXCESS_DB), 2))


def require_apart(first: SpillPath, second: SpillPath) -> None:
    """Raises SpillUnknown where the two microphones hear both people alike."""
    if first.level_db + second.level_db > -_LEAST_APART_DB:
        raise SpillUnknown(
            _(
                "Both microphones hear both people alike, or they were mixed up. Move each nearer"
                " to its person, check which one is whose, and measure again."
            )
        )


def apart_s(first: SpillPath, second: SpillPath) -> float:
    """By how much the second microphone is later than the first, seconds, from both ways: the
    sound's own way from one to the other is the same in both."""
    return 0.5 * (first.late_s - second.late_s)


@lru_cache(maxsize=4)
def _window_and_sums(count: int, rate_hz: float) -> tuple[Samples, Samples]:
    hz = np.fft.rfftfreq(count, 1.0 / rate_hz)
    inside = [(hz >= low) & (hz < high) for low, high in itertools.pairwise(EDGES_HZ)]
    return np.hanning(count), np.asarray(np.array(inside).T * (4.0 / count**2))


def _at_rest(levels: Samples) -> Samples:
    return np.asarray(np.percentile(levels, 10, axis=0))


def _level_db(own: Samples, other: Samples, rate_hz: float, talk: Samples, talks: Samples) -> float:
    """The talker there against here, without what each hears at rest."""
    powers = []
    for levels in (talk, band_levels(other, rate_hz=rate_hz)):
        rest = 10.0 ** (_at_rest(levels) / 10.0)
        power = np.mean(10.0 ** (levels[talks] / 10.0), axis=0)
        powers.append(float(np.maximum(power - rest, 1e-3 * power).sum()))
    return 10.0 * float(np.log10(powers[1] / powers[0]))


def _late_samples(own: Samples, other: Samples, rate_hz: float) -> int:
    """By how many samples the other microphone is later; negative where it is sooner."""
    size = 2 ** int(np.ceil(np.log2(2 * len(own))))
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    across = np.fft.rfft(other, size) * np.conj(np.fft.rfft(own, size))
    # Every frequency of a voice counts as much: a room blurs it less.
    across *= ((hz > _VOICE_HZ[0]) & (hz < _VOICE_HZ[1])) / (np.abs(across) + 1e-12)
    found = np.fft.irfft(across, size)
    most = round(_MOST_APART_S * rate_hz)
    near = np.concatenate([found[-most:], found[: most + 1]])
    return int(np.argmax(near > _FIRST_SHARE * near.max())) - most
