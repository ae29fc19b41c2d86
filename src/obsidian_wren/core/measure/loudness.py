"""Loudness by ITU-R BS.1770-5 and EBU R 128, loudness range by EBU Tech 3342.

Three steps as in the text of the standard: K-weighting, mean squares of 400 ms blocks with 75 %
overlap, two gates.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import filtered, run_sections
from obsidian_wren.core.decibels import SILENCE_DB, Samples, power_db

OFFSET_LU = -0.691
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
_RANGE_GATE_LU = -20.0
_HOP_S = 0.1


@dataclass(frozen=True)
class Loudness:
    """Integrated loudness in LUFS and loudness range in LU; None where the take is too short or
    all under the gate."""

    integrated_lufs: float | None
    range_lu: float | None


def k_weighting_sections(rate_hz: float) -> Samples:
    """The two biquads of K-weighting ``(2, 6)``, re-derived for any rate (BS.1770-5 annex 1, table
    1 and 2).

    The analogue parameters are those that reproduce the tables at 48 kHz.
    """
    gain_db, quality, frequency_hz = 3.999843853973347, 0.7071752369554196, 1681.974450955533
    k = np.tan(np.pi * frequency_hz / rate_hz)
    high = 10.0 ** (gain_db / 20.0)
    band = high**0.4996667741545416
    scale = 1.0 + k / quality + k * k
    shelf = [
        (high + band * k / quality + k * k) / scale,
        2.0 * (k * k - high) / scale,
        (high - band * k / quality + k * k) / scale,
        1.0,
        2.0 * (k * k - 1.0) / scale,
        (1.0 - k / quality + k * k) / scale,
    ]
    quality, frequency_hz = 0.5003270373238773, 38.13547087602444
    k = np.tan(np.pi * frequency_hz / rate_hz)
    scale = 1.0 + k / quality + k * k
    highpass = [
        1.0,
        -2.0,
        1.0,
        1.0,
        2.0 * (k * k - 1.0) / scale,
        (1.0 - k / quality + k * k) / scale,
    ]
    return np.array([shelf, highpass])


def hop_energies(samples: Samples, *, rate_hz: float) -> Samples:
    """Mean K-weighted square of each 100 ms hop of ``(n,)`` or ``(n, channels)`` samples, summed
    over channels (all weights 1: no surround here)."""
    channels = samples.T if samples.ndim > 1 else samples[None]
    return np.asarray(
        sum(hops_of(k_weighted(channel, rate_hz=rate_hz), rate_hz=rate_hz) for channel in channels)
    )


def k_weighted(samples: Samples, *, rate_hz: float) -> Samples:
    """The K-weighted waveform of ``(n,)`` or ``(n, channels)`` samples, same shape (BS.1770-5,
    step one)."""
    sections = k_weighting_sections(rate_hz)
    if samples.ndim > 1:
        return np.column_stack([k_weighted(channel, rate_hz=rate_hz) for channel in samples.T])
    return filtered(sections, samples)


class RunningHops:
    """Mean K-weighted squares of 100 ms hops of one channel that comes in stretches of whole
    seconds."""

    def __init__(self, *, rate_hz: float) -> None:
        self._sections = k_weighting_sections(rate_hz)
        self._state = np.zeros((len(self._sections), 2))
        self._rate_hz = rate_hz
        self._hops: list[Samples] = []

    def add(self, samples: Samples) -> None:
        """The next ``(n,)`` samples; all but the last stretch last whole seconds."""
        weighted = np.empty(len(samples))
        run_sections(
            self._sections, self._state, np.ascontiguousarray(samples, dtype=np.float64), weighted
        )
        self._hops.append(hops_of(weighted, rate_hz=self._rate_hz))

    @property
    def loudness(self) -> Loudness:
        """Of everything so far."""
        hops = np.concatenate(self._hops) if self._hops else np.zeros(0)
        integrated = lufs_of_hops(hops)
        return Loudness(integrated if np.isfinite(integrated) else None, range_of_hops(hops))


def hops_of(weighted: Samples, *, rate_hz: float) -> Samples:
    """Mean square of each 100 ms hop of an already K-weighted waveform ``(n,)``, ``(hops,)``."""
    hop = _HOP_S * rate_hz
    if hop == round(hop):
        rows = weighted[: len(weighted) // int(hop) * int(hop)].reshape(-1, int(hop))
        return np.asarray(np.einsum("ij,ij->i", rows, rows) / hop)
    edges = np.round(np.arange(0.0, len(weighted) / rate_hz + 1e-9, _HOP_S) * rate_hz).astype(int)
    edges = edges[edges <= len(weighted)]
    if len(edges) < 2:
        return np.zeros(0)
    return np.asarray(np.add.reduceat((weighted * weighted)[: edges[-1]], edges[:-1]) / hop)


def _block_means(hop_energies: Samples, hops: int) -> Samples:
    if len(hop_energies) < hops:
        return np.zeros(0)
    running = np.concatenate([[0.0], np.cumsum(hop_energies)])
    return np.asarray((running[hops:] - running[:-hops]) / hops)


def _lufs(mean_square: float) -> float:
    return OFFSET_LU + power_db(mean_square)


def _gated(blocks: Samples, relative_lu: float) -> Samples:
    above = blocks[OFFSET_LU + power_db(blocks) > ABSOLUTE_GATE_LUFS]
    if not len(above):
        return above
    threshold = _lufs(float(above.mean())) + relative_lu
    return above[OFFSET_LU + power_db(above) > threshold]


def measure_loudness(samples: Samples, *, rate_hz: float) -> Loudness:
    """Integrated loudness and loudness range of ``(n,)`` or ``(n, channels)`` samples.

    One channel of a 1 kHz sine at −23 dBFS peak reads −26.0 LUFS.
    """
    if not len(samples):
        return Loudness(None, None)
    hops = hop_energies(samples, rate_hz=rate_hz)
    gated = _gated(_block_means(hops, 4), RELATIVE_GATE_LU)
    integrated = _lufs(float(gated.mean())) if len(gated) else None
    return Loudness(integrated, range_of_hops(hops))


def range_of_hops(hops: Samples) -> float | None:
    """Loudness range in LU from the mean K-weighted squares of 100 ms hops ``(n,)``; None when too
    short (EBU Tech 3342)."""
    in_range = _gated(_block_means(hops, 30), _RANGE_GATE_LU)
    if not len(in_range):
        return None
    low, high = np.percentile(OFFSET_LU + power_db(in_range), [10, 95])
    return float(high - low)


def lufs_of_hops(hops: Samples) -> float:
    """Integrated loudness from the mean K-weighted squares of 100 ms hops ``(n,)``; minus
    infinity where nothing passes the gates."""
    gated = _gated(_block_means(hops, 4), RELATIVE_GATE_LU)
    return _lufs(float(gated.mean())) if len(gated) else SILENCE_DB


def lufs_of_weighted(weighted: Samples, *, rate_hz: float) -> float:
    """Integrated loudness of an already K-weighted waveform ``(n,)``."""
    return lufs_of_hops(hops_of(weighted, rate_hz=rate_hz))


def lufs_of_energies(energies: Samples, *, step_s: float, samples_per_step: int) -> float:
    """Integrated loudness from the K-weighted energy of short steps ``(n,)``, each the sum of
    its squares."""
    edges = np.round(np.arange(0.0, len(energies) * step_s + 1e-9, _HOP_S) / step_s).astype(int)
    edges = edges[edges <= len(energies)]
    if len(edges) < 5:
        return SILENCE_DB
    hops = np.add.reduceat(energies[: edges[-1]], edges[:-1]) * step_s / (_HOP_S * samples_per_step)
    return lufs_of_hops(hops)


def integrated_lufs(samples: Samples, *, rate_hz: float) -> float:
    """Integrated loudness in LUFS; minus infinity where nothing passes the gates.

    Samples ``(n,)`` or ``(n, channels)``.
    """
    found = measure_loudness(samples, rate_hz=rate_hz).integrated_lufs
    return SILENCE_DB if found is None else found
