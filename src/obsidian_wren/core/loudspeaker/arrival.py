"""How much later what is played arrives in the microphone: the peak of their correlation, all
frequencies weighed alike.

Source: Knapp and Carter (1976), the phase transform; the numbers by measurement.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.loudspeaker.echo_path import MOST_DELAY_S

_LOW_HZ, _KEPT_S = 4_000.0, 2.0
# How often it is looked for, and again once it is known.
_EVERY_S, _AGAIN_S = 0.5, 1.0
_BAND_HZ = (120.0, 1_800.0)
_STAYS = 0.6
# So far over all other lags stands the right one.
_STANDS_OUT = 2.2
# So much of all frequencies agrees on it, where those weigh little that are softer than this
# against the loudest: two tones agree on anything in what their windows leak.
_AGREE, _SOFT_RATIO = 0.06, 1e-5
# Lags this near to the first are the same arrival.
_SAME_S = 0.015
# It is believed when it is found twice.
_ALIKE_S = 0.002
_SILENT = 1e-10
# Its loudness is read where it sounds, from the softest of these frames.
_FRAME_S, _SOUNDS, _SOFT, _SOFTEST = 0.05, 0.1, 20.0, 1e-12


class Arrival:
    """Listens to both sides at a rate and tells the lag now and then."""

    def __init__(self, *, rate_hz: float) -> None:
        self._together = max(1, round(rate_hz / _LOW_HZ))
        self._low_hz = rate_hz / self._together
        count = round(_KEPT_S * self._low_hz)
        self._kept = np.zeros((2, count))
        self._coming: list[tuple[Samples, Samples]] = []
        self._waiting, self._rate_hz, self._every_s = 0, rate_hz, _EVERY_S
        self._size = 1 << int(np.ceil(np.log2(count + round((MOST_DELAY_S + 0.1) * self._low_hz))))
        hz = np.fft.rfftfreq(self._size, 1.0 / self._low_hz)
        self._inside = (hz >= _BAND_HZ[0]) & (hz < _BAND_HZ[1])
        self._window = np.hanning(count)
        self._highest = 2.0 * int(self._inside.sum()) / self._size / (1.0 - _STAYS)
        self._across = np.zeros(len(hz), dtype=complex)
        self._before = -count

    def hear(self, played: Samples, heard: Samples) -> tuple[float, float] | None:
        """Listen to ``(n,)`` samples of either side; the lag in s where one stands out, and how
        loud what arrives is against what is played, a ratio of powers; at most every half a
        second."""
        self._coming.append((played, heard))
        self._waiting += len(heard)
        if self._waiting < self._every_s * self._rate_hz:
            return None
        count = min(self._waiting // self._together, self._kept.shape[1])
        self._kept[:, : self._kept.shape[1] - count] = self._kept[:, count:].copy()
        for row, sounds in zip(self._kept, zip(*self._coming, strict=True), strict=True):
            whole = np.concatenate(sounds)[-count * self._together :]
            row[len(row) - count :] = whole.reshape(count, -1).mean(axis=1)
        self._coming, self._waiting = [], 0
        return self._look()

    def _look(self) -> tuple[float, float] | None:
        if float(np.mean(self._kept[0] ** 2)) < _SILENT:
            return None
        played, heard = (np.fft.rfft(row * self._window, self._size) for row in self._kept)
        across = np.where(self._inside, heard * played.conj(), 0.0)
        soft = _SOFT_RATIO * float(np.abs(heard).max() * np.abs(played).max())
        self._across = _STAYS * self._across + across / (np.abs(across) + soft + 1e-20)
        found = np.fft.irfft(self._across, self._size)
        lags = np.abs(found[: round((MOST_DELAY_S + 0.02) * self._low_hz)])
        at = int(np.argmax(lags))
        near = round(_SAME_S * self._low_hz)
        others = np.delete(lags, slice(max(0, at - near), at + near))
        before, self._before = self._before, at
        alike = abs(at - before) <= round(_ALIKE_S * self._low_hz)
        agree = lags[at] > max(_STANDS_OUT * others.max(), _AGREE * self._highest)
        if not (agree and alike):
            return None
        self._every_s = _AGAIN_S
        return at / self._low_hz, self._loudness(at)

    def _loudness(self, lag: int) -> float:
        """Where the near voice rests, what is heard is what arrives."""
        frame = round(_FRAME_S * self._low_hz)
        count = (self._kept.shape[1] - lag) // frame
        rows = self._kept[0, : self._kept.shape[1] - lag], self._kept[1, lag:]
        played, heard = (
            np.sum(row[-count * frame :].reshape(count, frame) ** 2, axis=1) for row in rows
        )
        sounds = played > _SOUNDS * played.max()
        return max(float(np.percentile(heard[sounds] / played[sounds], _SOFT)), _SOFTEST)
