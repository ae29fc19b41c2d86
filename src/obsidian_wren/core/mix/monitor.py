"""Raw and treated of one live voice side by side, aligned in time and with the gains that make
them equally loud.

Source: practice: louder is taken for better, so both are made equally loud.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_db, power_db
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.measure.loudness import k_weighting_sections

# The loudness that is compared is that of the last ten seconds of talking; a pause says nothing
# about it.
_REMEMBERED_S = 10.0
# No chain is slower than this; so much of the past is at hand when one becomes slower.
_SLOWEST_S = 0.1
_HOP_S = 0.1
_ABSOLUTE_GATE_LUFS = -70.0
_RELATIVE_GATE_LU = -10.0
_OFFSET_LU = -0.691


@dataclass(frozen=True)
class Compared:
    """One block: raw and treated ``(n,)`` in step with each other, and the gain in dB for each
    that makes them equally loud."""

    raw: Samples
    treated: Samples
    raw_gain_db: float
    treated_gain_db: float


class _Weighted:
    """The K-weighted energy of blocks, one after another (BS.1770-5)."""

    def __init__(self, rate_hz: float) -> None:
        self._sections = k_weighting_sections(rate_hz)
        self._state = np.zeros((len(self._sections), 2))

    def energy(self, block: Samples) -> float:
        out = np.empty(len(block))
        run_sections(self._sections, self._state, np.ascontiguousarray(block), out)
        return float(out @ out)


class Monitor:
    """Runs its own chain beside the one that listeners get, so that a stage can be left out in
    headphones alone."""

    def __init__(self, specification: Sequence[StageSpec], *, rate_hz: float) -> None:
        self._chain = VoiceChain(specification, rate_hz)
        self._delay = self._chain.delay_samples
        self._past = np.zeros(max(self._delay, round(_SLOWEST_S * rate_hz)))
        self._weighted = _Weighted(rate_hz), _Weighted(rate_hz)
        self._rate_hz = rate_hz
        self._heard: deque[tuple[float, float, float, float]] = deque(
            maxlen=round(_REMEMBERED_S / _HOP_S)
        )
        self._hop = np.zeros(4)
        self._hop_samples = 0
        self._gains = 0.0, 0.0

    @property
    def delay_samples(self) -> int:
        """Samples by which both lag what came in."""
        return self._delay

    def change(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages without a gap; raw stays in step."""
        self._chain.change(specification)

    def process(self, block: Samples) -> Compared:
        """Take in ``(n,)`` samples."""
        treated = self._chain.process(block)
        raw = self._in_step(block)
        self._remember(raw, treated)
        return Compared(raw, treated, *self._gains)

    def _in_step(self, block: Samples) -> Samples:
        """The block as late as the chain is; where the chain has become slower, one delay fades
        into the other."""
        wanted = self._chain.delay_samples
        both = np.concatenate([self._past, block])
        end = len(both)
        self._past = both[len(block) :]

        def late(delay: int) -> Samples:
            return both[end - delay - len(block) : end - delay]

        out = late(wanted)
        if wanted != self._delay:
            share = (np.arange(len(block)) + 1.0) / max(len(block), 1)
            out = late(self._delay) * (1.0 - share) + out * share
            self._delay = wanted
        return np.asarray(out)

    def _remember(self, raw: Samples, treated: Samples) -> None:
        energies = [
            weighted.energy(sound)
            for weighted, sound in zip(self._weighted, (raw, treated), strict=True)
        ]
        self._hop[:2] += energies
        self._hop[2:] = np.maximum(
            self._hop[2:], [np.abs(sound).max(initial=0.0) for sound in (raw, treated)]
        )
        self._hop_samples += len(raw)
        if self._hop_samples < _HOP_S * self._rate_hz:
            return
        mean_squares = self._hop[:2] / self._hop_samples
        self._heard.append(
            (
                float(mean_squares[0]),
                float(mean_squares[1]),
                float(self._hop[2]),
                float(self._hop[3]),
            )
        )
        self._hop[:], self._hop_samples = 0.0, 0
        self._gains = self._gains_db()

    def _gains_db(self) -> tuple[float, float]:
        raw, treated, raw_peaks, treated_peaks = np.array(self._heard).T
        talking = _OFFSET_LU + power_db(raw) > _ABSOLUTE_GATE_LUFS
        if talking.any():
            talking &= power_db(raw) > power_db(float(raw[talking].mean())) + _RELATIVE_GATE_LU
        if not talking.any() or not treated[talking].any():
            return 0.0, 0.0
        loudness = (
            _OFFSET_LU + power_db(float(raw[talking].mean())),
            _OFFSET_LU + power_db(float(treated[talking].mean())),
        )
        return matched_gains_db(
            loudness,
            (amplitude_db(float(raw_peaks.max())), amplitude_db(float(treated_peaks.max()))),
        )
