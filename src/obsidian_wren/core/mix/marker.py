"""The marker: a short coded signal that proves which path reaches a listener.

Codes of maximum-length sequences, band-limited to 300–3400 Hz so that narrow paths carry them: one
for the raw path, one for the treated path, and one for each feed. At a destination each code is
looked for by normalised correlation (a matched filter): two seconds of a 3 kHz wide code stand 38
dB over their own level, so the marker can lie far under the voice. The feeds' codes are sums of the
two sequences at different shifts, as R. Gold made them (IEEE Trans. Inf. Theory 13, 1967):
strangers to each other and to both.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import combinations

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, amplitude_db, amplitude_from_db
from obsidian_wren.core.mix.marker_codes import MARKER_S, MarkerCodes

_BAND_HZ = (300.0, 3400.0)
_CHIPS_PER_S = 4_000
# Feedback taps of two primitive polynomials of degree 14; one polynomial from two states would be
# one code, shifted.
_TAPS = {"raw": (12, 11, 1), "treated": (10, 6, 1)}
_FEED_SHIFT = 1931
# Codes from here on are those of returns.
_RETURNS_FROM, _OVER_VOICE_DB = 100, 14.0
# A peak eight times the spread beside it is reached by chance about once in 10^14 looks.
_FOUND_SIGMA = 8.0
# Spread is taken beside the peak: codes are strangers to each other, but where one sounds the other
# correlates more than where there is silence, and a window may be mostly that.
_BESIDE_S = 0.15
_PEAK_LAGS = 48
# What arrives weaker than this against how it was sent is nobody's voice, but the rounding of
# something else.
_LOWEST_DB = -60.0
# Once a code is found, each half of it lies near; a coincidence that close is rare.
_HALF_SIGMA = 5.0
# Both halves of a code that comes a second time stand out about alike.
_HALVES_ALIKE = 0.25
_HALF_NEAR_S = 0.005
# Where sound is dropped or repeated on the way, each stretch of the code has a delay of its own.
_PIECES = (2, 4, 8)
_PIECES_APART_S, _PIECES_DIFFER_DB, _PIECES_LOWEST_DB = 0.25, 9.0, -30.0
# A second arrival within this of the first is the same sound through a filter, not an echo.
_ECHO_FROM_S = 0.004


@dataclass(frozen=True)
class Found:
    """One code at a destination: delay in samples, level change in dB against how it was sent,
    polarity, certainty in sigma, and whether it came whole or with gaps in it."""

    delay_samples: float
    level_db: float
    inverted: bool
    sigma: float
    whole: bool = True


def feed_path(number: int) -> str:
    """The name of a feed's code; feeds are numbered from 0."""
    return f"feed {number}"


def return_path(number: int) -> str:
    """The name of the code that goes onto the return from the listener of a feed."""
    return feed_path(_RETURNS_FROM + number)


def return_level_dbfs(level_dbfs: float) -> float:
    """The level of that code where the voice's has another: it has to come through a room."""
    return level_dbfs + _OVER_VOICE_DB


def _chips(path: str) -> Samples:
    count = round(MARKER_S * _CHIPS_PER_S)
    if path in _TAPS:
        return np.asarray(scipy.signal.max_len_seq(14, taps=list(_TAPS[path]), length=count)[0])
    number = int(path.removeprefix("feed "))
    whole = [scipy.signal.max_len_seq(14, taps=list(taps))[0] for taps in _TAPS.values()]
    return np.asarray(whole[0] ^ np.roll(whole[1], _FEED_SHIFT * (number + 1)))[:count]


@lru_cache(maxsize=32)
def marker_code(path: str, *, rate_hz: float) -> Samples:
    """The code of a path (``raw``, ``treated`` or a feed's) ``(n,)``, RMS 1, two seconds with
    faded ends."""
    chips = _chips(path)
    at = (np.arange(round(MARKER_S * rate_hz)) * _CHIPS_PER_S / rate_hz).astype(int)
    sign = np.where(chips[np.minimum(at, len(chips) - 1)] > 0, 1.0, -1.0)
    band = scipy.signal.butter(4, _BAND_HZ, "bandpass", fs=rate_hz, output="sos")
    shaped = scipy.signal.sosfiltfilt(band, sign)
    fade = round(0.05 * rate_hz)
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    shaped[:fade] *= ramp
    shaped[-fade:] *= ramp[::-1]
    return np.asarray(shaped / np.sqrt(np.mean(shaped**2)))


def marker_level_dbfs(active_level_dbfs: float) -> float:
    """RMS (AES17) at which a marker is sent:

    24 dB under the active voice, between −70 and −36 dBFS.
    """
    return float(np.clip(active_level_dbfs - 24.0, -70.0, -36.0))


def marker_sound(path: str, *, level_dbfs: float, rate_hz: float) -> Samples:
    """The marker as it is sent, ``(n,)``."""
    return marker_code(path, rate_hz=rate_hz) * amplitude_from_db(level_dbfs - 3.0103)


def marker_codes(
    numbers: Mapping[str, int],
    level_dbfs: float,
    feed_lufs: Mapping[str, float],
    *,
    rate_hz: float,
) -> MarkerCodes:
    """Every code: raw and treated at a level, that of each feed 24 dB under its loudness.

    ``numbers`` are those of the feeds by their listeners' keys; who has no loudness gets no code.
    """
    return MarkerCodes(
        marker_sound("raw", level_dbfs=level_dbfs, rate_hz=rate_hz),
        marker_sound("treated", level_dbfs=level_dbfs, rate_hz=rate_hz),
        {
            key: marker_sound(
                feed_path(number), level_dbfs=marker_level_dbfs(feed_lufs[key]), rate_hz=rate_hz
            )
            for key, number in numbers.items()
            if key in feed_lufs
        },
        {
            key: marker_sound(
                return_path(number), level_dbfs=return_level_dbfs(level_dbfs), rate_hz=rate_hz
            )
            for key, number in numbers.items()
        },
    )


class MarkerSearch:
    """Looks for codes in ``(n,)`` samples heard from the instant that the marker was sent.

    ``speed``: how much faster than it should the listener plays, to find a code whose pitch is
    wrong.
    """

    def __init__(self, heard: Samples, *, rate_hz: float, speed: float = 1.0) -> None:
        self._heard = heard
        self._rate_hz = rate_hz
        self.speed = speed
        self._longest = round(MARKER_S * rate_hz)
        # Whitening within the band keeps voice, which is far stronger at some pitches, from hiding
        # the peak.
        self._size = scipy.fft.next_fast_len(len(heard) + self._longest, real=True)
        spectrum = scipy.fft.rfft(heard, self._size)
        width = max(3, round(60.0 * self._size / rate_hz))
        smooth = scipy.signal.oaconvolve(np.abs(spectrum) ** 2, np.ones(width) / width, mode="same")
        self._white = 1.0 / np.sqrt(
            np.maximum(smooth, 1e-20 + 1e-12 * float(smooth.max(initial=0.0)))
        )
        self._spectrum = spectrum * self._white

    def at_speed(self, speed: float) -> MarkerSearch:
        """The same sound, looked through for codes that are played at another speed."""
        other = copy.copy(self)
        other.speed = speed
        return other

    def find(self, path: str, *, sent_level_dbfs: float) -> Found | None:
        """A code, where it stands out; None where it does not."""
        return self._match(self._code(path), sent_level_dbfs)

    def find_with_gaps(self, path: str, *, sent_level_dbfs: float) -> Found | None:
        """A code of which pieces were dropped or repeated on the way: the first of two pieces that
        stand out, near where they should, loud enough and alike; None where there are no two."""
        code = self._code(path)
        for count in _PIECES:
            length = len(code) // count
            there: list[Found] = []
            for begin in range(0, len(code) - length + 1, length):
                found = self._match(code[begin : begin + length], sent_level_dbfs, alone=True)
                if found is not None and found.delay_samples >= begin:
                    delay = found.delay_samples - begin
                    there.append(replace(found, delay_samples=delay, whole=False))
            for first, second in combinations(there, 2):
                if self._belong_together(first, second):
                    return first
        return None

    def _belong_together(self, one: Found, other: Found) -> bool:
        """Whether two pieces can be of one code. What stands out by chance does so anywhere."""
        apart_s = abs(one.delay_samples - other.delay_samples) / self._rate_hz
        return (
            apart_s <= _PIECES_APART_S
            and abs(one.level_db - other.level_db) <= _PIECES_DIFFER_DB
            and one.inverted == other.inverted
            and min(one.level_db, other.level_db) > _PIECES_LOWEST_DB
        )

    def _match(self, code: Samples, sent_level_dbfs: float, alone: bool = False) -> Found | None:
        if self._lags(code) < 16:
            return None
        around = self._correlate_around(code)
        correlation = around[: self._lags(code)]
        top = int(np.abs(correlation).argmax())
        spread = self._spread(around, top)
        if alone:
            # What is short finds a quiet moment somewhere, beside which anything stands out.
            spread = max(spread, float(np.sqrt(np.mean(correlation**2))))
        sigma = abs(float(correlation[top])) / max(spread, 1e-30)
        if sigma < _FOUND_SIGMA:
            return None
        template = np.abs(scipy.fft.rfft(code, self._size))
        own = scipy.fft.irfft(self._white * template**2, self._size)[0]
        gain = float(correlation[top]) / own
        sent = amplitude_from_db(sent_level_dbfs - 3.0103)
        level_db = amplitude_db(gain / sent)
        if level_db < _LOWEST_DB:
            return None
        return Found(_between(correlation, top), level_db, bool(correlation[top] < 0), sigma)

    def find_echo(self, path: str, first: Found) -> float | None:
        """Samples from a code's arrival to its second one, None where it comes once."""
        code = self._code(path)
        if self._lags(code) < 16:
            return None
        rest = np.abs(self._correlate_around(code))
        top = round(first.delay_samples)
        apart = round(_ECHO_FROM_S * self._rate_hz)
        rest[np.arange(top - apart, top + apart) % len(rest)] = 0.0
        second = int(rest[: self._lags(code)].argmax())
        spread = self._spread(rest, second)
        if spread == 0.0 or rest[second] <= _FOUND_SIGMA * spread:
            return None
        return float(second - top) if self._is_whole_at(path, second) else None

    def _is_whole_at(self, path: str, lag: int) -> bool:
        """Whether both halves of a code arrive at a lag: where a piece was lost on the way, what
        follows it lies at a lag of its own, and is no second arrival."""
        code = self._code(path)
        middle = len(code) // 2
        one, other = (
            float(self._correlate(half)[lag + begin])
            for begin, half in ((0, code[:middle]), (middle, code[middle:]))
        )
        return one * other > 0.0 and min(abs(one), abs(other)) > _HALVES_ALIKE * max(
            abs(one), abs(other)
        )

    def _spread(self, around: Samples, top: int) -> float:
        """RMS of a correlation on both sides of a peak."""
        lags = np.arange(_PEAK_LAGS, round(_BESIDE_S * self._rate_hz))
        sides = around.take(np.concatenate([top - lags, top + lags]), mode="wrap")
        return float(np.sqrt(np.mean(sides**2)))

    def rate_error_ppm(self, path: str, found: Found) -> float | None:
        """How much too slowly a listener's clock took a found code, parts per million, from
        where each half of it lies."""
        code = self._code(path)
        middle = len(code) // 2
        near = round(_HALF_NEAR_S * self._rate_hz)
        places = []
        for begin, half in ((0, code[:middle]), (middle, code[middle:])):
            correlation = self._correlate(half)
            expected = round(found.delay_samples) + begin
            low, high = max(0, expected - near), min(len(correlation), expected + near + 1)
            if high - low < 3:
                return None
            window = np.abs(correlation[low:high])
            top = low + int(window.argmax())
            if window.max() < _HALF_SIGMA * float(np.sqrt(np.mean(correlation**2))):
                return None
            places.append(_between(correlation, top) - begin)
        return (places[1] - places[0]) / middle * 1e6

    def _code(self, path: str) -> Samples:
        code = marker_code(path, rate_hz=self._rate_hz)
        if self.speed == 1.0:
            return code
        at = np.arange(0.0, len(code) - 1.0, self.speed)
        return np.asarray(np.interp(at, np.arange(len(code)), code))

    def _correlate(self, code: Samples) -> Samples:
        """At the lags at which all of a code can have been heard, from 0."""
        if self._lags(code) < 16:
            return np.zeros(0)
        return self._correlate_around(code)[: self._lags(code)]

    def _lags(self, code: Samples) -> int:
        return max(0, len(self._heard) - len(code) + 1)

    def _correlate_around(self, code: Samples) -> Samples:
        """At those lags, then at those at which only its beginning was heard, and, from the end
        backwards, only its end: a peak at the edge of a window has a second side too."""
        return np.asarray(
            scipy.fft.irfft(self._spectrum * np.conj(scipy.fft.rfft(code, self._size)), self._size)
        )


def _between(correlation: Samples, top: int) -> float:
    """Where the peak lies between samples, by a parabola through it."""
    if not 0 < top < len(correlation) - 1:
        return float(top)
    left, middle, right = np.abs(correlation[top - 1 : top + 2])
    bend = left - 2 * middle + right
    return top + (0.5 * (left - right) / bend if bend else 0.0)
