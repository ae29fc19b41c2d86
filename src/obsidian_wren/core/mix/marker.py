"""The marker: a short coded signal that proves which path reaches a listener.

Two codes of a maximum-length sequence, one for the raw path and one for the treated path, band-limited to 300–3400 Hz so that
narrow paths carry them. At a destination each code is looked for by normalised correlation (a matched filter): two seconds of a
3 kHz wide code stand 38 dB over their own level, so the marker can lie far under the voice.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import scipy.fft
import scipy.signal

from obsidian_wren.core.decibels import Samples, amplitude_db, amplitude_from_db

Path = Literal["raw", "treated"]
Arrival = Literal["raw", "treated", "both", "neither"]
MARKER_S = 2.0
_BAND_HZ = (300.0, 3400.0)
# Feedback taps of two primitive polynomials of degree 14; one polynomial from two states would be one code, shifted.
_TAPS = {"raw": (12, 11, 1), "treated": (10, 6, 1)}
# A peak eight times the spread of the rest is reached by chance about once in 10^14 looks.
_FOUND_SIGMA = 8.0


@dataclass(frozen=True)
class Found:
    """One code at a destination: delay in samples, level change in dB against how it was sent, polarity, and certainty in sigma."""

    delay_samples: float
    level_db: float
    inverted: bool
    sigma: float


@dataclass(frozen=True)
class MarkerResult:
    """What arrived. ``raw`` and ``treated`` are None where that code was not found."""

    arrival: Arrival
    raw: Found | None
    treated: Found | None


@lru_cache(maxsize=8)
def marker_code(path: Path, *, rate_hz: float) -> Samples:
    """The code of a path ``(n,)``, RMS 1, two seconds with faded ends."""
    chips_per_s = 4_000
    chips, _ = scipy.signal.max_len_seq(14, taps=list(_TAPS[path]), length=round(MARKER_S * chips_per_s))
    at = (np.arange(round(MARKER_S * rate_hz)) * chips_per_s / rate_hz).astype(int)
    sign = np.where(chips[np.minimum(at, len(chips) - 1)] > 0, 1.0, -1.0)
    band = scipy.signal.butter(4, _BAND_HZ, "bandpass", fs=rate_hz, output="sos")
    shaped = scipy.signal.sosfiltfilt(band, sign)
    fade = round(0.05 * rate_hz)
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    shaped[:fade] *= ramp
    shaped[-fade:] *= ramp[::-1]
    return np.asarray(shaped / np.sqrt(np.mean(shaped**2)))


def marker_level_dbfs(active_level_dbfs: float) -> float:
    """RMS (AES17) at which a marker is sent: 24 dB under the active voice, between −70 and −36 dBFS."""
    return float(np.clip(active_level_dbfs - 24.0, -70.0, -36.0))


def marker_sound(path: Path, *, level_dbfs: float, rate_hz: float) -> Samples:
    """The marker as it is sent, ``(n,)``."""
    return marker_code(path, rate_hz=rate_hz) * amplitude_from_db(level_dbfs - 3.0103)


def find_marker(heard: Samples, *, sent_level_dbfs: float, rate_hz: float) -> MarkerResult:
    """Look for both codes in ``(n,)`` samples heard from the instant that the marker was sent."""
    found = {path: _find(heard, path, sent_level_dbfs, rate_hz) for path in ("raw", "treated")}
    raw, treated = found["raw"], found["treated"]
    arrival: Arrival = "both" if raw and treated else "raw" if raw else "treated" if treated else "neither"
    return MarkerResult(arrival, raw, treated)


def _find(heard: Samples, path: str, sent_level_dbfs: float, rate_hz: float) -> Found | None:
    code = marker_code("raw" if path == "raw" else "treated", rate_hz=rate_hz)
    lags = len(heard) - len(code) + 1
    if lags < 16:
        return None
    # Whitening within the band keeps voice, which is far stronger at some pitches, from hiding the peak.
    size = scipy.fft.next_fast_len(len(heard) + len(code))
    spectrum = scipy.fft.rfft(heard, size)
    magnitude = np.abs(spectrum)
    width = max(3, round(60.0 * size / rate_hz))
    smooth = scipy.signal.oaconvolve(magnitude**2, np.ones(width) / width, mode="same")
    white = 1.0 / np.sqrt(np.maximum(smooth, 1e-20 + 1e-12 * float(smooth.max())))
    template = scipy.fft.rfft(code, size)
    correlation = scipy.fft.irfft(spectrum * white * np.conj(template), size)[:lags]
    own = scipy.fft.irfft(white * np.abs(template) ** 2, size)[0]
    top = int(np.abs(correlation).argmax())
    spread = float(np.sqrt(np.mean(np.delete(correlation, np.arange(max(0, top - 48), min(lags, top + 48))) ** 2)))
    sigma = abs(float(correlation[top])) / max(spread, 1e-30)
    if sigma < _FOUND_SIGMA:
        return None
    delay = float(top)
    if 0 < top < lags - 1:
        left, middle, right = np.abs(correlation[top - 1 : top + 2])
        bend = left - 2 * middle + right
        delay += 0.5 * (left - right) / bend if bend else 0.0
    gain = float(correlation[top]) / own
    sent = amplitude_from_db(sent_level_dbfs - 3.0103)
    return Found(delay, amplitude_db(gain / sent), bool(correlation[top] < 0), sigma)
