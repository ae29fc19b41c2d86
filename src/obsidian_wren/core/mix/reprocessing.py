"""Whether a listener processed the voice once more: what was sent and what was heard, frame by
frame.

A path that only carries sound turns every frame by one gain. Noise removal turns pauses down more
than words, auto gain turns words by gains that wander, a threshold cuts words away, and a narrow
path loses what lies above it.

Source: practice: an honest path turns every frame by one gain.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs

_FRAME_S = 0.02
# Frames this far under the loudest are words, those between the two lower marks are pauses and ends
# of words.
_WORDS_DB, _SOFT_DB, _LEAST_DB = 14.0, 24.0, 75.0
_LEAST_FRAMES = 12
_CLOSED_DBFS = -120.0
_REMOVED_DB, _WANDER_DB, _CUT_SHARE = 6.0, 4.0, 0.02
_CUT_DB = 15.0
_SMOOTH_S = 0.6
_BAND_LOST_DB = 12.0
_NOTHING_DBFS = -70.0
_MIDDLE_HZ = (500.0, 2000.0)


@dataclass(frozen=True)
class Reprocessing:
    """What was done on the way. Gains in dB; None where too little sounded to tell.

    ``gain_db``: of words; ``soft_taken_db``: how much more soft sounds fell than words;
    ``wander_db``: how far the gain of words moved; ``cut_share``: share of words that did not come
    through; ``reaches_hz``: up to where the voice came through.
    """

    gain_db: float | None
    soft_taken_db: float | None
    wander_db: float | None
    cut_share: float | None
    reaches_hz: float | None

    @property
    def removes_noise(self) -> bool:
        """Whether something takes down what is soft."""
        return self.soft_taken_db is not None and self.soft_taken_db > _REMOVED_DB

    @property
    def rides_gain(self) -> bool:
        """Whether something turns the voice up and down."""
        return self.wander_db is not None and self.wander_db > _WANDER_DB

    @property
    def cuts_words(self) -> bool:
        """Whether words are missing."""
        return self.cut_share is not None and self.cut_share > _CUT_SHARE


def compare(sent: Samples, heard: Samples, *, rate_hz: float) -> Reprocessing:
    """Compare ``(n,)`` samples that were sent with those that were heard, aligned and at one
    rate."""
    count = min(len(sent), len(heard))
    sent, heard = sent[:count], heard[:count]
    before = np.maximum(frame_levels_dbfs(sent, rate_hz=rate_hz, frame_s=_FRAME_S), -140.0)
    after = np.maximum(frame_levels_dbfs(heard, rate_hz=rate_hz, frame_s=_FRAME_S), -140.0)
    if len(before) < _LEAST_FRAMES or before.max() < _NOTHING_DBFS:
        return Reprocessing(None, None, None, None, None)
    top = float(np.percentile(before, 98))
    words = before > top - _WORDS_DB
    soft = (before < top - _SOFT_DB) & (before > top - _LEAST_DB)
    gains = after - before
    gain = float(np.median(gains[words]))
    came = words & (gains > gain - _CUT_DB)
    taken = _soft_taken(gains, before, after, soft, gain)
    cut = float(1.0 - came.sum() / words.sum())
    return Reprocessing(gain, taken, _wander(gains, came), cut, _reach(sent, heard, rate_hz))


def _soft_taken(
    gains: Samples, before: Samples, after: Samples, soft: np.ndarray, gain: float
) -> float | None:
    """How much more the softest third of what is soft fell than words: pauses fall first.

    What closes in pauses removes nothing.
    """
    heard = soft & (after > _CLOSED_DBFS)
    if heard.sum() < _LEAST_FRAMES:
        return None
    pauses = heard & (before <= np.percentile(before[heard], 100.0 / 3.0))
    return gain - float(np.median(gains[pauses]))


def _wander(gains: Samples, came: np.ndarray) -> float | None:
    """10th to 90th percentile of the gain of words, averaged over 0.6 s of speaking."""
    spoken = gains[came]
    width = round(_SMOOTH_S / _FRAME_S)
    if len(spoken) < 2 * width:
        return None
    smooth = np.convolve(spoken, np.ones(width) / width, mode="valid")
    low, high = np.percentile(smooth, [10, 90])
    return float(high - low)


def _frames(samples: Samples, length: int) -> npt.NDArray[np.complex128]:
    """The spectra of frames that overlap by half ``(frames, bins)``."""
    cut = np.lib.stride_tricks.sliding_window_view(samples, length)[:: length // 2]
    return np.asarray(scipy.fft.rfft(cut * np.hanning(length), axis=1))


def _reach(sent: Samples, heard: Samples, rate_hz: float) -> float | None:
    """The highest third of an octave in which the voice comes through as it does between 500 Hz
    and 2 kHz."""
    length = min(2048, len(sent))
    hz = np.fft.rfftfreq(length, 1.0 / rate_hz)
    before, after = _frames(sent, length), _frames(heard, length)
    cross, power = np.mean(np.conj(before) * after, axis=0), np.mean(np.abs(before) ** 2, axis=0)
    transfer = power_db(np.abs(cross) ** 2 / np.maximum(power, 1e-30) ** 2)
    middle = (hz >= _MIDDLE_HZ[0]) & (hz <= _MIDDLE_HZ[1])
    if not middle.any():
        return None
    usual = float(np.median(transfer[middle]))
    strong = power_db(power) > power_db(float(power.max())) - 70.0
    reached = None
    for centre in 1000.0 * 2.0 ** (np.arange(0, 14) / 3.0):
        band = (hz >= centre * 0.89) & (hz < centre * 1.12) & strong
        if not band.any():
            continue
        if float(np.median(transfer[band])) < usual - _BAND_LOST_DB:
            break
        reached = float(centre)
    return reached
