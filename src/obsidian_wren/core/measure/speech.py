"""Speech in a take: active level (ITU-T P.56), which frames carry voice, and the pitch of the
voiced ones."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy

from obsidian_wren.core.decibels import AES17_OFFSET_DB, SILENCE_DB, Samples, power_db
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.rate import at_rate

_TIME_CONSTANT_S = 0.03
_HANGOVER_S = 0.2
_MARGIN_DB = 15.9
_THRESHOLDS = 18
_LOOKS_PER_S = 4_000

PITCH_FRAME_S = 0.040
PITCH_HOP_S = 0.010
_PITCH_RATE_HZ = 8_000
_PITCH_RANGE_HZ = (65.0, 420.0)
_VOICED_CORRELATION = 0.55
_ABOVE_FLOOR_DB = 6.0
_LEAST_VOICED_S = 0.5
_FLAT = 1e-9
_LEAST_SPEECH_S = 0.4
_PITCH_MOVES = 1.04
_JUMP_SEMITONES, _JUMPS_SHARE = 1.0, 0.3
_SYLLABLES_HZ, _MOVES_HZ = (2.0, 9.0), (0.4, 30.0)
_SILENT_UNDER_DB, _RHYTHM_FRAMES = 50.0, 256


@dataclass(frozen=True)
class ActiveLevel:
    """``level_dbfs``: AES17 level while speech is active; ``activity``: share of time, 0 to 1."""

    level_dbfs: float
    activity: float


@dataclass(frozen=True)
class Pitch:
    """Percentiles of the fundamental over voiced frames, Hz."""

    p5: float
    p50: float
    p95: float


@dataclass(frozen=True)
class Voicing:
    """Frame-wise voice decision every 10 ms:

    ``voiced`` bool ``(frames,)`` and ``pitch_hz`` (0 where not voiced).
    """

    voiced: np.ndarray
    pitch_hz: Samples

    @property
    def voiced_s(self) -> float:
        """Seconds of voiced sound."""
        return float(np.count_nonzero(self.voiced)) * PITCH_HOP_S

    def pitch(self) -> Pitch | None:
        """Pitch percentiles, None with less than half a second of voiced sound."""
        if self.voiced_s < _LEAST_VOICED_S:
            return None
        p5, p50, p95 = np.percentile(self.pitch_hz[self.voiced], [5, 50, 95])
        return Pitch(float(p5), float(p50), float(p95))


@kernel("void(f8[:], f8, i8, f8[::1], i8, f8[::1], i8[::1], f8[::1])")
def _count_activity(
    samples: Samples,
    decay: float,
    hangover: int,
    thresholds: Samples,
    every: int,
    counts: Samples,
    hanging: np.ndarray,
    state: Samples,
) -> None:
    """``counts``, ``hanging`` and ``state`` (the two one-poles, and samples since the last look)
    are carried on."""
    smooth, envelope, since = state[0], state[1], int(state[2])
    grow = 1.0 - decay
    for i in range(len(samples)):
        smooth = decay * smooth + grow * abs(samples[i])
        envelope = decay * envelope + grow * smooth
        # The envelope moves slowly; comparing it some thousand times a second loses nothing.
        since += 1
        if since < every:
            continue
        since = 0
        for j in range(len(thresholds)):
            if envelope >= thresholds[j]:
                counts[j] += every
                hanging[j] = 0
            elif hanging[j] < hangover:
                counts[j] += every
                hanging[j] += every
    state[0], state[1], state[2] = smooth, envelope, since


class RunningActivity:
    """Active speech level by ITU-T P.56 method B of sound as it arrives.

    Envelope by two one-poles of 30 ms, hangover 200 ms, thresholds in powers of two, margin 15.9
    dB, interpolated.
    """

    def __init__(self, *, rate_hz: float) -> None:
        self._thresholds = 2.0 ** -np.arange(_THRESHOLDS, 0.0, -1.0)
        self._decay = math.exp(-1.0 / (_TIME_CONSTANT_S * rate_hz))
        self._every = max(1, int(rate_hz / _LOOKS_PER_S))
        self._hangover = math.ceil(_HANGOVER_S * rate_hz)
        self._counts = np.zeros(_THRESHOLDS)
        self._hanging = np.full(_THRESHOLDS, self._hangover)
        # The first sample is looked at.
        self._state = np.array([0.0, 0.0, self._every - 1.0])
        self._energy, self._samples = 0.0, 0

    def add(self, samples: Samples) -> None:
        """The next ``(n,)`` samples."""
        self._energy += float(np.dot(samples, samples))
        self._samples += len(samples)
        _count_activity(
            samples,
            self._decay,
            self._hangover,
            self._thresholds,
            self._every,
            self._counts,
            self._hanging,
            self._state,
        )

    @property
    def level(self) -> ActiveLevel:
        """The level so far; by AES17, so 3.01 dB above the root mean square that P.56 speaks of."""
        if self._energy <= 0.0:
            return ActiveLevel(SILENCE_DB, 0.0)
        active = self._counts > 0
        levels = power_db(self._energy / np.maximum(self._counts, 1.0))
        above = levels - 20.0 * np.log10(self._thresholds) - _MARGIN_DB
        # `above` falls as the threshold rises; the answer lies where it crosses zero.
        crossing = np.flatnonzero(active[:-1] & (above[:-1] >= 0.0) & (above[1:] < 0.0))
        if not len(crossing):
            level = float(levels[0])
        else:
            low = int(crossing[0])
            share = above[low] / (above[low] - above[low + 1]) if active[low + 1] else 0.0
            level = float(levels[low] + share * (levels[low + 1] - levels[low]))
        activity = min(1.0, self._energy / self._samples / 10.0 ** (level / 10.0))
        return ActiveLevel(level + AES17_OFFSET_DB, activity)


def active_level(samples: Samples, *, rate_hz: float) -> ActiveLevel:
    """Active speech level of ``(n,)`` samples by ITU-T P.56 method B."""
    running = RunningActivity(rate_hz=rate_hz)
    running.add(samples)
    return running.level


def spoken_mask(levels_dbfs: Samples, active_level_dbfs: float) -> npt.NDArray[np.bool_]:
    """Which of ``(n,)`` frame levels belong to active speech ``(n,)``: those over the active level
    less the margin of ITU-T P.56. Both in dBFS by the same reference."""
    return np.asarray(levels_dbfs > spoken_over_dbfs(active_level_dbfs))


def spoken_over_dbfs(active_level_dbfs: float) -> float:
    """The frame level from which on a frame is speech, dBFS (ITU-T P.56)."""
    return active_level_dbfs - _MARGIN_DB


def find_voice(samples: Samples, *, rate_hz: float) -> Voicing:
    """Which 10 ms frames carry voiced speech, and their pitch.

    A frame is voiced when its normalised autocorrelation (Boersma 1993: that of the windowed frame
    divided by that of the window) peaks between 65 and 420 Hz, and its level stands 6 dB over the
    take's own floor, so that a steady hum is none. Samples ``(n,)``, answers ``(frames,)``.
    """
    # What folds back above 3 kHz is cut by the band filter that follows.
    low = at_rate(samples, rate_hz, _PITCH_RATE_HZ, quality="LQ")
    band = scipy.signal.sosfilt(
        scipy.signal.butter(2, [70.0, 1500.0], "bandpass", fs=_PITCH_RATE_HZ, output="sos"), low
    )
    length, hop = round(PITCH_FRAME_S * _PITCH_RATE_HZ), round(PITCH_HOP_S * _PITCH_RATE_HZ)
    if len(band) < length:
        return Voicing(np.zeros(0, dtype=bool), np.zeros(0))
    # Single precision is plenty for a voice decision and takes half the time.
    frames = np.lib.stride_tricks.sliding_window_view(band.astype(np.float32), length)[::hop]
    window = np.hanning(length).astype(np.float32)
    size = scipy.fft.next_fast_len(2 * length)
    longest = min(round(_PITCH_RATE_HZ / _PITCH_RANGE_HZ[0]), length - 1)
    shortest = round(_PITCH_RATE_HZ / _PITCH_RANGE_HZ[1])
    own = scipy.fft.irfft(np.abs(scipy.fft.rfft(window, size)) ** 2, size)[: longest + 2]
    spectra = scipy.fft.rfft(frames * window, size, axis=1)
    correlation = scipy.fft.irfft(spectra.real**2 + spectra.imag**2, size, axis=1)[:, : longest + 2]
    energy = correlation[:, :1]
    normal = (
        correlation
        / np.maximum(energy, np.float32(1e-20))
        * (own[0] / np.maximum(own, np.float32(1e-12)))
    )
    # A small cost for long lags keeps the estimate from falling an octave.
    lags = np.arange(shortest, longest + 1)
    scored = normal[:, shortest : longest + 1] - 0.06 * np.log2(lags / shortest)[None, :]
    best = scored.argmax(axis=1) + shortest
    rows = np.arange(len(frames))
    left, middle, right = normal[rows, best - 1], normal[rows, best], normal[rows, best + 1]
    bend = left - 2.0 * middle + right
    offset = np.where(
        np.abs(bend) > _FLAT, 0.5 * (left - right) / np.where(bend == 0, 1.0, bend), 0.0
    )
    level_db = power_db(np.maximum(energy[:, 0].astype(np.float64), 1e-30))
    floor_db = float(np.percentile(level_db, 10))
    strong = level_db > max(floor_db + _ABOVE_FLOOR_DB, -120.0)
    voiced = (
        strong
        & (middle > _VOICED_CORRELATION)
        & (level_db > float(np.percentile(level_db, 98)) - 35.0)
    )
    # Single frames are clicks and knocks, not voice.
    voiced &= _in_runs(voiced, shortest_run=4)
    pitch = np.where(voiced, _PITCH_RATE_HZ / (best + np.clip(offset, -0.5, 0.5)), 0.0)
    return Voicing(voiced, pitch)


def runs(mask: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where each run of true frames ``(n,)`` begins, and where it has ended."""
    change = np.diff(np.concatenate([[0], mask.astype(np.int8), [0]]))
    return list(
        zip(
            np.flatnonzero(change == 1).tolist(), np.flatnonzero(change == -1).tolist(), strict=True
        )
    )


def syllable_share(levels_db: Samples) -> float:
    """Which share of the movement of levels every 10 ms ``(n,)``, dB, is at the rate of syllables,
    0 to 1; what lies 50 dB under the highest counts as silence (Houtgast and Steeneken 1985)."""
    levels_db = np.maximum(levels_db, levels_db.max() - _SILENT_UNDER_DB)
    rate, power = scipy.signal.welch(
        levels_db - levels_db.mean(),
        fs=1.0 / PITCH_HOP_S,
        nperseg=min(_RHYTHM_FRAMES, len(levels_db)),
    )
    syllables, whole = (
        float(power[(rate >= low) & (rate <= high)].sum())
        for low, high in (_SYLLABLES_HZ, _MOVES_HZ)
    )
    return syllables / whole if whole > 0.0 else 0.0


def _in_runs(mask: np.ndarray, *, shortest_run: int) -> np.ndarray:
    kept = np.zeros(len(mask), dtype=bool)
    for start, end in runs(mask):
        if end - start >= shortest_run:
            kept[start:end] = True
    return kept


def pitched(voicing: Voicing) -> Voicing:
    """The same, or without any voiced frame where the pitch jumps from frame to frame as what is
    taken for one in a whisper does: in recorded voices by a semitone in at most one of seven pairs
    of frames, in the same voices turned to noise in two of five and more."""
    both = voicing.voiced[1:] & voicing.voiced[:-1]
    if not both.any():
        return voicing
    pitch = voicing.pitch_hz
    steps = np.abs(12.0 * np.log2(pitch[1:][both] / pitch[:-1][both]))
    if float(np.mean(steps > _JUMP_SEMITONES)) <= _JUMPS_SHARE:
        return voicing
    return Voicing(np.zeros_like(voicing.voiced), np.zeros_like(pitch))


def has_melody(voicing: Voicing) -> bool:
    """Whether voiced frames are those of a talker: at least 0.4 s of them, and a pitch that
    moves (a motor's does not)."""
    if voicing.voiced_s < _LEAST_SPEECH_S:
        return False
    pitch = voicing.pitch_hz[voicing.voiced]
    low, high = np.percentile(pitch, [10, 90])
    return bool(high / low > _PITCH_MOVES)
