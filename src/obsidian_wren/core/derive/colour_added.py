"""What the settings of colour add, measured on their stage: on a tone, and on a click.

Source: the stage itself; Schroeder (1965) for a decay by backward integration.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.chain.colour import ColourSpec
from obsidian_wren.core.decibels import Samples, amplitude_db, power_db

TONE_HZ = 220.0
_TONE_S = 1.0
_APART_HZ = 20.0
_HARMONICS = range(2, 9)
# What lies lower is not heard beside the tone.
_LEAST_DB = -90.0
# A click and what comes of it, until it has fallen by this.
_FALL_DB = -60.0
_STEP_S, _LONGEST_S = 0.01, 4.0
_DECAY_FROM_DB, _DECAY_TO_DB = -5.0, -35.0


@dataclass(frozen=True)
class ColourAdded:
    """What is added while the stage is on.

    ``harmonics_db``: second to eighth harmonic of a tone of ``tone_hz`` with a peak of
    ``peak_dbfs``, dB under the tone, None where there is none. ``beside_db``: the two tones that
    ring modulation puts beside it, dB under what it leaves of the tone. ``arrivals``: after a
    click, the highest level in each step of time, s and dB under the click. ``decay_s``: by 60 dB,
    of what comes after the click; None where nothing goes on.
    """

    tone_hz: float
    peak_dbfs: float
    harmonics_db: tuple[float | None, ...]
    beside_db: float | None
    arrivals: tuple[tuple[float, float], ...]
    decay_s: float | None


def what_colour_adds(spec: ColourSpec, *, peak_dbfs: float, rate_hz: float) -> ColourAdded:
    """Measure a specification, on or off, at a rate. ``peak_dbfs`` is the peak of the tone, where
    the talk's stands."""
    peak = min(1.0, 10.0 ** (peak_dbfs / 20.0))
    dry = replace(spec, echo=0.0, room=0.0, plate=0.0, on=True)
    harmonics: tuple[float | None, ...] = (None,) * len(_HARMONICS)
    if spec.harmonics:
        tone, *over = _levels_at(
            _after_tone(replace(dry, ring=0.0), TONE_HZ, peak, rate_hz),
            [number * TONE_HZ for number in (1, *_HARMONICS)],
            rate_hz,
        )
        harmonics = tuple(_said(level - tone) for level in over)
    beside = None
    if spec.ring:
        # Where the lower one of the two would come to lie on the tone, another tone is asked.
        close = abs(spec.ring_hz - 2.0 * TONE_HZ) < _APART_HZ
        tone_hz = TONE_HZ + _APART_HZ if close else TONE_HZ
        left, aside = _levels_at(
            _after_tone(replace(dry, harmonics=0.0), tone_hz, peak, rate_hz),
            [tone_hz, tone_hz + spec.ring_hz],
            rate_hz,
        )
        beside = _said(aside - left)
    arrivals: tuple[tuple[float, float], ...] = ()
    decay_s = None
    if spec.echo or spec.room or spec.plate:
        after = _after_click(replace(spec, harmonics=0.0, ring=0.0, on=True), rate_hz)
        arrivals, decay_s = _arrivals(after, rate_hz), _decay_s(after, rate_hz)
    return ColourAdded(
        TONE_HZ,
        float(peak_dbfs),
        harmonics,
        beside,
        arrivals,
        decay_s,
    )


def _said(db: float) -> float | None:
    return round(db, 1) if db > _LEAST_DB else None


def _after_tone(spec: ColourSpec, tone_hz: float, peak: float, rate_hz: float) -> Samples:
    count = round(_TONE_S * rate_hz)
    tone = peak * np.sin(2.0 * np.pi * tone_hz * np.arange(2 * count) / rate_hz)
    # What the stage begins with has passed in the second half.
    return spec.build(rate_hz=rate_hz).process(tone)[count:]


def _levels_at(sound: Samples, frequencies_hz: list[float], rate_hz: float) -> list[float]:
    """Level of each sine in it, dB, in a second of sound, whose bins are whole hertz."""
    window = np.hanning(len(sound) + 1)[:-1]
    found = np.abs(np.fft.rfft(sound * window)) / window.sum()
    return [
        float(amplitude_db(float(found[round(hz * len(sound) / rate_hz)]))) for hz in frequencies_hz
    ]


def _after_click(spec: ColourSpec, rate_hz: float) -> Samples:
    """What comes after a click of 1, ``(n,)``, the click itself left out."""
    click = np.zeros(round(_LONGEST_S * rate_hz))
    click[0] = 1.0
    after = spec.build(rate_hz=rate_hz).process(click)
    after[0] -= 1.0
    return after


def _arrivals(after: Samples, rate_hz: float) -> tuple[tuple[float, float], ...]:
    step = round(_STEP_S * rate_hz)
    peaks = np.abs(after[: len(after) // step * step]).reshape(-1, step).max(axis=1)
    levels_db = 20.0 * np.log10(np.maximum(peaks, 1e-10))
    heard = np.flatnonzero(levels_db > _FALL_DB)
    return tuple((round(int(at) * _STEP_S, 2), round(float(levels_db[at]), 1)) for at in heard)


def _decay_s(after: Samples, rate_hz: float) -> float | None:
    left = np.cumsum(np.square(after)[::-1])[::-1]
    fallen_db = power_db(np.maximum(left / left[0], 1e-20))
    first, last = (int(np.argmax(fallen_db < db)) for db in (_DECAY_FROM_DB, _DECAY_TO_DB))
    if not 0 < first < last:
        return None
    seconds = (last - first) / rate_hz
    return round(seconds * 60.0 / (_DECAY_FROM_DB - _DECAY_TO_DB), 2)
