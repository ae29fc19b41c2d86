"""Two seconds of a live microphone as numbers: what a watch keeps of them, once their sound is
gone.

Source: IEC 61260-1 for third octaves; falls of speech after Wen, Habets and Naylor (2008).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.clipping import clipped_samples
from obsidian_wren.core.measure.grid import rescaled_grid
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs
from obsidian_wren.core.measure.spectrum import (
    NOMINAL_THIRD_OCTAVES_HZ,
    OCTAVE_RATIO,
    band_weights,
    exact_third_octave_hz,
    frame_length,
)
from obsidian_wren.core.measure.speech import runs
from obsidian_wren.core.prove.sounding import VOICE_HZ

Numbers = npt.NDArray[np.float32]
PIECE_S = 2.0
LEVEL_S = 0.01
_FRAME_S = 0.17
# Falls are looked at every 5 ms, over 15 ms.
FALL_HOP_S = 0.005
_FALL_S = 0.015
_FALL_BANDS_HZ = ((350.0, 4000.0), (500.0, 1500.0), (1500.0, 4000.0))
_HUM_TO_HZ = 520.0
_LOWEST_DB = -160.0
_SILENT_DBFS = -130.0
# So quiet and so long a part shows the steps of its converter.
_QUIET_DBFS, _QUIET_S = -50.0, 0.5


@dataclass(frozen=True)
class Piece:
    """Numbers of one piece.

    ``levels_dbfs`` ``(n,)`` every 10 ms; ``voice_db`` and ``noise_db`` ``(frames, bands)``: third
    octaves at ``VOICE_HZ`` and at ``noise_hz`` of frames of 0.17 s that overlap by half, dBFS;
    ``low`` ``(frames, bins)``: mean squares of the bins under 520 Hz, ``bin_hz`` apart; ``falls``
    ``(3, m)``: mean squares of three bands every 5 ms; ``clipped``: samples in flat tops;
    ``silent_share``: share of digital silence; ``graded``: whether it was looked for the trace of
    a slider after the converter, and ``grid`` is that trace.
    """

    rate_hz: float
    levels_dbfs: Numbers
    voice_db: Numbers
    noise_hz: tuple[float, ...]
    noise_db: Numbers
    low: Numbers
    bin_hz: float
    frame_s: float
    falls: Numbers
    peak_dbfs: float
    clipped: int
    silent_share: float
    graded: bool
    grid: float | None


def read_piece(samples: Samples, *, rate_hz: float, with_grid: bool = False) -> Piece:
    """The numbers of ``(n,)`` samples of a microphone. ``with_grid``: look for a slider's trace,
    which takes longer than the rest."""
    length = frame_length(rate_hz, frame_s=_FRAME_S, available_samples=len(samples))
    power = _frame_powers(samples, length, length // 2)
    voice, noise_hz, noise = _weights(length, rate_hz)
    levels = np.maximum(frame_levels_dbfs(samples, rate_hz=rate_hz), _LOWEST_DB)
    bin_hz = rate_hz / length
    quiet = _quiet_part(samples, levels, rate_hz) if with_grid else None
    return Piece(
        rate_hz=rate_hz,
        levels_dbfs=levels.astype(np.float32),
        voice_db=_banded(power, voice),
        noise_hz=noise_hz,
        noise_db=_banded(power, noise),
        low=power[:, : int(_HUM_TO_HZ / bin_hz) + 2].astype(np.float32),
        bin_hz=bin_hz,
        frame_s=length / rate_hz,
        falls=_falls(samples, rate_hz),
        peak_dbfs=peak_dbfs(samples),
        clipped=clipped_samples(samples),
        silent_share=float(np.mean(levels <= _SILENT_DBFS)),
        graded=quiet is not None,
        grid=None if quiet is None else rescaled_grid(quiet),
    )


def pieces_of(samples: Samples, *, rate_hz: float, with_grid: bool = False) -> list[Piece]:
    """Whole pieces of a take ``(n,)``, one after another; the rest is passed over."""
    size = round(PIECE_S * rate_hz)
    return [
        read_piece(samples[at : at + size], rate_hz=rate_hz, with_grid=with_grid)
        for at in range(0, len(samples) - size + 1, size)
    ]


def _quiet_part(samples: Samples, levels: Samples, rate_hz: float) -> Samples | None:
    """The longest quiet part, where it is long enough to show the steps of a converter."""
    parts = runs(levels < _QUIET_DBFS)
    first, last = max(parts, key=lambda part: part[1] - part[0], default=(0, 0))
    if (last - first) * LEVEL_S < _QUIET_S:
        return None
    return samples[round(first * LEVEL_S * rate_hz) : round(last * LEVEL_S * rate_hz)]


def _banded(power: Numbers, weights: Numbers) -> Numbers:
    found = np.maximum(power @ weights.T, 1e-17)
    return np.asarray(power_db(found) + AES17_OFFSET_DB).astype(np.float32)


@lru_cache(maxsize=4)
def _weights(length: int, rate_hz: float) -> tuple[Numbers, tuple[float, ...], Numbers]:
    hz = np.asarray(np.fft.rfftfreq(length, 1.0 / rate_hz))
    exact = {
        nominal: exact_third_octave_hz(nominal)
        for nominal in NOMINAL_THIRD_OCTAVES_HZ
        if exact_third_octave_hz(nominal) * OCTAVE_RATIO ** (1 / 6) < rate_hz / 2.0
    }
    noise = band_weights(hz, np.array(list(exact.values())))
    voice = band_weights(hz, VOICE_HZ)
    return voice.astype(np.float32), tuple(float(one) for one in exact), noise.astype(np.float32)


def _frame_powers(samples: Samples, length: int, hop: int) -> Numbers:
    """Mean squares by bin of Hann frames, ``(frames, bins)``, at the accuracy of 32 bits."""
    window = np.hanning(length + 1)[:-1]
    scale = np.sqrt(2.0 / (length * float(window @ window)))
    shaped = (window * scale).astype(np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(samples.astype(np.float32), length)[::hop]
    bins = np.fft.rfft(frames * shaped, axis=1)
    return np.asarray(bins.real**2 + bins.imag**2)


def _falls(samples: Samples, rate_hz: float) -> Numbers:
    length = round(_FALL_S * rate_hz)
    power = _frame_powers(samples, length, round(FALL_HOP_S * rate_hz))
    hz = np.arange(power.shape[1]) * rate_hz / length
    return np.array(
        [power[:, (hz >= low) & (hz <= high)].sum(axis=1) for low, high in _FALL_BANDS_HZ],
        dtype=np.float32,
    )
