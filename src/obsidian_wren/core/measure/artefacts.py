"""What noise reduction costs: speech lost by band, and how restless the noise that is left has
become.

Source: practice: musical noise shows in how far its bins wander.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves

CLEAR_DB = 10.0
_FRAME_S = 0.17
_SPREAD_FRAME_S = 0.0213
_SPREAD_BAND_HZ = (200.0, 8000.0)


@dataclass(frozen=True)
class SpeechLoss:
    """The third octave that lost most of those where the voice stands 10 dB or more over the
    noise, and how much, dB (positive: lost)."""

    centre_hz: float
    loss_db: float


def speech_loss(
    before: Samples, after: Samples, noise: Samples, *, rate_hz: float
) -> SpeechLoss | None:
    """Compare ``(n,)`` samples of a noisy voice with what reduction made of them; ``noise`` is the
    room alone, at the same gain.

    What the noise itself held is taken off before, so that only the voice is compared; None where
    no band is clear.
    """
    was, left, room = (
        third_octaves(power_spectrum(x, rate_hz=rate_hz, frame_s=_FRAME_S))
        for x in (before, after, noise)
    )
    worst: SpeechLoss | None = None
    for band, kept, floor in zip(was, left, room, strict=True):
        voice = 10.0 ** (band.level_dbfs / 10.0) - 10.0 ** (floor.level_dbfs / 10.0)
        if voice <= 0.0 or power_db(voice) - floor.level_dbfs < CLEAR_DB:
            continue
        loss = power_db(voice) - kept.level_dbfs
        if worst is None or loss > worst.loss_db:
            worst = SpeechLoss(band.centre_hz, float(loss))
    return worst


def restlessness_db(noise: Samples, *, rate_hz: float) -> float:
    """Standard deviation of the levels of bins from frame to frame, dB:

    5.6 for steady noise; single tones that come and go raise it. ``noise`` is ``(n,)``.
    """
    length = 1 << round(float(np.log2(_SPREAD_FRAME_S * rate_hz)))
    if len(noise) < 4 * length:
        return float("nan")
    frames = np.lib.stride_tricks.sliding_window_view(noise, length)[:: length // 2] * np.hanning(
        length
    )
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    hz = np.fft.rfftfreq(length, 1.0 / rate_hz)
    inside = (hz >= _SPREAD_BAND_HZ[0]) & (hz <= min(_SPREAD_BAND_HZ[1], 0.45 * rate_hz))
    return float(np.median(np.std(power_db(power[:, inside] + 1e-24), axis=0)))
