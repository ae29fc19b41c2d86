"""Keys and clicks: short bursts are brought to what lies on both sides of them. 14 ms of delay.

A burst stands out, over many bands at once, from what was heard before it and from what is heard 7
to 11 ms after it. A word that begins stays loud afterwards and a glottal pulse had another one
before it, so neither is a burst. What a burst holds over the louder of its two sides is taken away,
bin by bin; a second knock right behind the first is compared with what was left of that one.

Source: Hirszhorn, Dov, Talmon and Cohen (2012), "Transient interference suppression in speech
signals based on the OM-LSA algorithm", for looking at both sides; the limits by measurement.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.short_time import ShortTime, Spectra, analysed, put_together
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db, power_from_db
from obsidian_wren.core.kernel import kernel

FRAME_S = 0.0035
# Frames of half that: the sides are so many of them away.
_BEFORE_FROM, _BEFORE_TO = 3, 9
_AFTER_FROM, _AFTER_TO = 4, 6
_KEPT = _BEFORE_TO + _AFTER_TO + 1
# A burst goes on as long as this once it was found.
_GOES_ON = 2
# Bands that a burst is looked for in, and from where it is taken out.
_LOOKED_FROM_HZ, _LOOKED_TO_HZ, _TAKEN_FROM_HZ = 1000.0, 9000.0, 300.0
# What one bin can say for and against a burst: 30 dB and −6 dB.
_MOST_SAID, _LEAST_SAID = 1e3, 10.0**-0.6
_QUIET = 1e-14
# What is carried: spectra that wait, powers as they came and as they were left, counts. What is
# set: the bands looked at and from where they are taken, three limits.
Arrays = tuple[Spectra, Samples, Samples, Samples]
Settings = tuple[int, int, int, float, float, float]
# Nobody asks what is seen in each frame.
_NOBODY = np.empty((0, 2))


@kernel(fastmath=True, error_model="numpy")
def _smooth(power: Samples, out: Samples) -> None:
    last = len(power) - 1
    for k in range(1, last):
        out[k] = (power[k - 1] + power[k] + power[k + 1]) / 3.0
    out[0] = (2.0 * power[0] + power[1]) / 3.0
    out[last] = (power[last - 1] + 2.0 * power[last]) / 3.0


@kernel(fastmath=True, error_model="numpy")
def _sides(smooth: Samples, left: Samples, now: int, beside: Samples, after: Samples) -> None:
    """The louder of what was left before a frame and of what stays after it."""
    beside[:], after[:] = _QUIET, 1e30
    for back in range(_BEFORE_FROM, _BEFORE_TO + 1):
        row = left[(now - back) % _KEPT]
        for k in range(len(row)):
            beside[k] = max(beside[k], row[k])
    for on in range(_AFTER_FROM, _AFTER_TO + 1):
        row = smooth[(now + on) % _KEPT]
        for k in range(len(row)):
            after[k] = min(after[k], row[k])
    for k in range(len(after)):
        beside[k] = max(beside[k], after[k])


@kernel(
    "f8(c16[:, ::1], Tuple((c16[:, ::1], f8[:, ::1], f8[:, ::1], f8[::1])), Tuple((i8, i8, "
    "i8, f8, f8, f8)), f8[:, ::1])",
    fastmath=True,
    error_model="numpy",
)
def _take_bursts(spectra: Spectra, arrays: Arrays, settings: Settings, evidence: Samples) -> float:
    held, smooth, left, counts = arrays
    looked_from, looked_to, taken_from, over_db, loudest, least = settings
    frames, bins = spectra.shape
    power, beside, after = np.empty(bins), np.empty(bins), np.empty(bins)
    lowest = 1.0
    for j in range(frames):
        at, lasts, place = int(counts[0]), int(counts[1]), int(counts[2])
        frame, waited = spectra[j], held[place]
        for k in range(bins):
            power[k] = frame[k].real ** 2 + frame[k].imag ** 2 + _QUIET
        _smooth(power, smooth[at])
        left[at] = smooth[at]
        now = (at - _AFTER_TO) % _KEPT
        _sides(smooth, left, now, beside, after)
        product, loud = 1.0, 0.0
        for k in range(looked_from, looked_to):
            product *= min(max(smooth[now, k] / beside[k], _LEAST_SAID), _MOST_SAID)
            loud += smooth[now, k]
        likelihood_db = 10.0 * math.log10(product)
        if j < len(evidence):
            evidence[j, 0], evidence[j, 1] = likelihood_db / (looked_to - looked_from), loud
        if likelihood_db > over_db * (looked_to - looked_from) and loud <= loudest:
            lasts = _GOES_ON
        for k in range(bins):
            coming = frame[k]
            frame[k] = waited[k]
            waited[k] = coming
        if lasts > 0:
            for k in range(taken_from, bins):
                own = frame[k].real ** 2 + frame[k].imag ** 2 + _QUIET
                gain = min(1.0, max(math.sqrt(beside[k] / own), least))
                left[now, k] = min(smooth[now, k], max(beside[k], gain * gain * smooth[now, k]))
                frame[k] *= gain
                lowest = min(lowest, gain)
        counts[0] = (at + 1) % _KEPT
        counts[1], counts[2] = max(0, lasts - 1), (place + 1) % _AFTER_TO
    return lowest


class ClickReduction:
    """Runs a :class:`ClicksSpec` at a rate."""

    kind = "clicks"

    def __init__(self, spec: ClicksSpec, *, rate_hz: float) -> None:
        self.gain_db = 0.0
        self._frames = ShortTime(rate_hz=rate_hz, delay_s=FRAME_S, short=True)
        self.delay_samples = self._frames.delay_samples + _AFTER_TO * self._frames.hop
        length = self._frames.length
        bins = length // 2 + 1
        self._arrays = (
            np.zeros((_AFTER_TO, bins), dtype=complex),
            np.zeros((_KEPT, bins)),
            np.zeros((_KEPT, bins)),
            np.zeros(3),
        )
        looked = band_bins(length, rate_hz=rate_hz)
        window = float(self._frames.window @ self._frames.window)
        # The sum over the band of a frame whose mean square is 1.
        self.full_scale = length * window / 2.0
        self._settings = (
            looked.start,
            looked.stop,
            math.ceil(_TAKEN_FROM_HZ * length / rate_hz),
            spec.over_db,
            power_from_db(spec.loudest_dbfs - AES17_OFFSET_DB) * self.full_scale,
            power_from_db(-spec.range_db / 2.0),
        )

    @property
    def state(self) -> tuple[Samples, ...]:
        """Frames under way and the powers of the last 28 ms. ``(n,)`` and ``(frames, bins)``."""
        return (*self._frames.state, *self._arrays)

    def process(self, block: Samples) -> Samples:
        """Take the bursts out of ``(n,)`` samples; the output lags by ``delay_samples``."""
        out, lowest = [], 1.0
        for part in self._frames.parts(block):
            spectra = analysed(part, self._frames.arrays)
            least = _take_bursts(spectra, self._arrays, self._settings, _NOBODY)
            out.append(put_together(spectra, len(part), self._frames.arrays))
            lowest = min(lowest, least)
        self.gain_db = 20.0 * math.log10(lowest)
        return out[0] if len(out) == 1 else np.concatenate(out)

    def look(self, spectra: Spectra) -> Samples:
        """What the stage sees in spectra ``(frames, bins)``: by how much a frame stands out, dB,
        and its power over the band, ``(frames, 2)``."""
        evidence = np.zeros((len(spectra), 2))
        _take_bursts(spectra, self._arrays, self._settings, evidence)
        return evidence


def bursts_of(samples: Samples, *, rate_hz: float) -> tuple[Samples, Samples, float]:
    """How ``(n,)`` samples look to the stage, frame by frame: by how much each stands out over its
    two sides, dB, and its level from 1 to 9 kHz in dBFS, ``(frames,)`` each; and the seconds
    between frames."""
    stage = ClickReduction(ClicksSpec(np.inf, np.inf, 0.0), rate_hz=rate_hz)
    found: list[Samples] = []

    # What is decided of a frame is decided when the last of its other side has come.
    heard = np.concatenate([samples, np.zeros(stage.delay_samples)])
    stage._frames.process(heard, lambda spectra: found.append(stage.look(spectra)))
    evidence = np.concatenate(found)[_AFTER_TO:] if found else np.zeros((0, 2))
    levels = power_db(evidence[:, 1] / stage.full_scale + 1e-20) + AES17_OFFSET_DB
    return evidence[:, 0], np.asarray(levels), stage._frames.hop / rate_hz


def band_bins(length: int, *, rate_hz: float) -> range:
    """The bins of frames of ``length`` samples in which a burst is looked for."""
    first = math.ceil(_LOOKED_FROM_HZ * length / rate_hz)
    last = math.floor(min(_LOOKED_TO_HZ, 0.45 * rate_hz) * length / rate_hz)
    return range(first, max(last + 1, first + 1))


@dataclass(frozen=True)
class ClicksSpec(Numbers):
    """How far a burst stands out on average over its bands, dB; the loudest that is one, dBFS from
    1 to 9 kHz over 3.5 ms; most reduction in dB."""

    kind: ClassVar[str] = "clicks"
    over_db: float
    loudest_dbfs: float
    range_db: float
    on: bool = True

    def build(self, *, rate_hz: float) -> ClickReduction:
        """The stage at a rate."""
        return ClickReduction(self, rate_hz=rate_hz)
