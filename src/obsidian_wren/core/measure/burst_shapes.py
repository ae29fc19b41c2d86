"""How short bursts sound: their spectra over what lies on both sides, and whether others are of
their kind.

Source: Mahalanobis (1936) for the distance, with no covariance, since some dozen bursts tell of
none.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples

_FRAME_S = 0.007
_BEFORE_S, _AFTER_S = 0.010, 0.012
_LOW_HZ, _HIGH_HZ, _BANDS = 500.0, 9_500.0, 8
_TINY = 1e-14
# A band tells something of a burst where it is so much more than on its sides.
_STANDS_OUT = 2.0
_FEWEST_BANDS = 4
_LEAST_SPREAD_DB = 3.0
_FEWEST, _NINETEEN_OF_TWENTY = 3, 95.0

Shapes = npt.NDArray[np.float64]


def burst_shapes_db(samples: Samples, at_s: Samples, *, rate_hz: float) -> Shapes:
    """Of bursts at times ``(bursts,)`` in samples ``(n,)``, how strong each is over its louder side
    in 8 bands from 500 Hz to 9.5 kHz, dB ``(bursts, 8)``; not a number where it does not stand
    out."""
    length = 2 * round(0.5 * _FRAME_S * rate_hz)
    padded = np.pad(samples, length)
    hz = np.fft.rfftfreq(length, 1.0 / rate_hz)
    edges = np.geomspace(_LOW_HZ, min(_HIGH_HZ, 0.45 * rate_hz), _BANDS + 1)
    inside = ((hz >= edges[:-1, None]) & (hz < edges[1:, None])).astype(float)

    def powers(offset_s: float) -> Shapes:
        first = np.round((at_s + offset_s) * rate_hz).astype(int) + length // 2
        frames = padded[np.clip(first, 0, len(padded) - length)[:, None] + np.arange(length)]
        spectra = np.abs(np.fft.rfft(frames * np.hanning(length), axis=1)) ** 2
        return np.asarray(spectra @ inside.T + _TINY)

    own, beside = powers(0.0), np.maximum(powers(-_BEFORE_S), powers(_AFTER_S))
    over = np.where(own > _STANDS_OUT * beside, own - beside, np.nan)
    return np.asarray(10.0 * np.log10(over))


@dataclass(frozen=True)
class BurstKind:
    """What some bursts have in common: mean and spread of their shapes, dB ``(8,)``, and the
    distance that nineteen of twenty of them stay within."""

    mean_db: Samples
    spread_db: Samples
    within: float

    @classmethod
    def of(cls, shapes: Shapes) -> BurstKind | None:
        """The kind of bursts of shapes ``(bursts, 8)``; None where those that stand out in every
        band are too few."""
        whole = shapes[np.isfinite(shapes).all(axis=1)]
        if len(whole) < _FEWEST:
            return None
        relative = whole - whole.mean(axis=1, keepdims=True)
        kind = cls(relative.mean(axis=0), np.maximum(relative.std(axis=0), _LEAST_SPREAD_DB), 0.0)
        within = float(np.percentile(kind._distances(whole), _NINETEEN_OF_TWENTY))
        return replace(kind, within=within)

    def includes(self, shapes: Shapes) -> npt.NDArray[np.bool_]:
        """Which of ``(bursts, 8)`` are of this kind, by the bands in which each stands out; those
        that do in too few are not."""
        clear = np.isfinite(shapes).sum(axis=1) >= _FEWEST_BANDS
        found = np.zeros(len(shapes), dtype=bool)
        found[clear] = self._distances(shapes[clear]) <= self.within
        return found

    def _distances(self, shapes: Shapes) -> Samples:
        away = shapes - self.mean_db
        away = away - np.nanmean(away, axis=1, keepdims=True)
        return np.asarray(np.nanmean((away / self.spread_db) ** 2, axis=1))
