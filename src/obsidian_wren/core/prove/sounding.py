"""What a check compares: a room and a sentence, as numbers that physics says something about.

Everything is taken from one quiet take and one talk at the same gain. Differences between two of
them are small, so each number is one that a second reading of the same sentence hardly moves.

Source: bands by IEC 61260-1, levels by AES17, active level by ITU-T P.56; the late share after Wen,
Habets and Naylor (2008), who look at how fast speech falls.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import (
    AES17_OFFSET_DB,
    SILENCE_DB,
    Samples,
    power_db,
    power_from_db,
)
from obsidian_wren.core.measure.grid import rescaled_grid
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.readings import QuietReading, TalkReading, read_quiet
from obsidian_wren.core.measure.ring_of_speech import band_powers, ring_of_speech
from obsidian_wren.core.measure.speech import spoken_mask
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, certainty_db

# Third octaves in which a voice is compared: every fourth point.
_FROM_HZ, _TO_HZ = 99.0, 12_801.0
_VOICE = (POINT_HZ > _FROM_HZ) & (POINT_HZ < _TO_HZ) & (np.arange(len(POINT_HZ)) % 4 == 0)
VOICE_HZ: Samples = POINT_HZ[_VOICE]
_LOWEST_DB = -160.0
_CONTOUR_S, _CONTOUR_STEP_S, _CONTOUR_LOWEST_DB = 20.0, 0.05, -30.0
_LATE_BANDS_HZ = ((350.0, 4000.0), (500.0, 1500.0), (1500.0, 4000.0))
# How far speech has fallen against what it was 60 to 120 ms before, where it falls most.
_BEFORE_FRAMES, _DEEPEST_PERCENTS, _LOUD_PERCENT = (12, 24), (2.0, 5.0, 10.0), 60.0
_ALL_BUT_THE_LOUDEST = 95.0
_SILENT_DBFS = -130.0
_PAUSE_PERCENT = 20.0
# A voice this near to the noise is no longer told from it.
_LEAST_OVER_NOISE = 0.5
# A standard error that says no more than that.
_NOTHING_KNOWN_DB = 100.0


@dataclass(frozen=True)
class Sounding:
    """One room and one reading of a sentence.

    ``seconds``: how long the talk is. ``voice_db`` ``(bands,)`` at ``VOICE_HZ``: the voice while
    it speaks, dBFS, the noise taken off; ``voice_error_db`` ``(bands,)`` the standard error of
    that. ``level_error_db``: standard error of the level over the stretches of the take.
    ``noise_db`` ``(noise bands,)`` at ``noise_hz``:
    the room with nobody talking and without its hum, dBFS; ``noise_error_db`` likewise.
    ``late_db``: how far speech falls within a tenth of a second, the room's share (higher: more
    room, or farther away). ``pauses_over_db``: the pauses of the talk over the room without talk.
    ``range_db``: 10th to 95th percentile of active speech. ``silent_share``: digital silence.
    ``contour_db`` ``(m,)``: the level every 50 ms against the active level. ``grid``: the trace of
    a slider after the converter (``rescaled_grid``), None where there is none. ``between_dbfs``:
    the room between the words of the talk, None where nobody kept it.
    """

    rate_hz: float
    seconds: float
    active_level_dbfs: float
    level_error_db: float
    voice_db: Samples
    voice_error_db: Samples
    noise_hz: Samples
    noise_db: Samples
    noise_error_db: Samples
    floor_dbfs: float
    floor_dbfs_a: float
    hum_dbfs: float | None
    mains_hz: float | None
    late_db: float | None
    decay_s: float | None
    peaks_dbfs: float
    range_db: float
    pauses_over_db: float
    silent_share: float
    flat_tops: int
    flat_level_dbfs: float | None
    pitch_hz: float | None
    contour_db: Samples
    grid: float | None
    between_dbfs: float | None = None


def heard_for_checks(quiet_samples: Samples, talk_samples: Samples, talk: TalkReading) -> Sounding:
    """The numbers of one room and one sentence at one rate: samples ``(n,)`` and ``(m,)``, levels
    in dB."""
    return sound_out(
        quiet_samples, talk_samples, read_quiet(quiet_samples, rate_hz=talk.rate_hz), talk
    )


def sound_out(
    quiet_samples: Samples, talk_samples: Samples, quiet: QuietReading, talk: TalkReading
) -> Sounding:
    """The numbers of one room and one sentence: samples ``(n,)`` and ``(m,)`` with their
    readings."""
    noise_hz = np.array([band.centre_hz for band in quiet.third_octaves])
    noise = _without_hum(quiet)
    spoken = talk.voice.points_db()[_VOICE] + AES17_OFFSET_DB
    under = quiet.noise.points_db()[_VOICE] + AES17_OFFSET_DB
    power, beside = 10.0 ** (spoken / 10.0), 10.0 ** (under / 10.0)
    clear = np.maximum(power - beside, _LEAST_OVER_NOISE * power)
    # Where the noise is nearly all there is, nothing is known of the voice.
    drowned = np.clip(3.0 * (beside / power - 0.3), 0.0, _NOTHING_KNOWN_DB)
    stretches = talk.stretches_db
    levels = power_db(np.sum(10.0 ** (stretches / 10.0), axis=1))
    frames = np.maximum(frame_levels_dbfs(talk_samples, rate_hz=talk.rate_hz), _LOWEST_DB)
    quiet_frames = np.maximum(frame_levels_dbfs(quiet_samples, rate_hz=quiet.rate_hz), _LOWEST_DB)
    pauses = frames[~spoken_mask(frames, talk.active_level_dbfs)]
    between = float(np.percentile(pauses, _PAUSE_PERCENT)) if len(pauses) else talk.rms_dbfs
    low, high = talk.active_percentiles_dbfs
    ring = ring_of_speech(talk_samples, rate_hz=talk.rate_hz)
    silent = np.concatenate([frames[frames < talk.active_level_dbfs - 20.0], quiet_frames])
    return Sounding(
        rate_hz=talk.rate_hz,
        seconds=talk.duration_s,
        active_level_dbfs=talk.active_level_dbfs,
        level_error_db=float(np.std(levels, ddof=1) / np.sqrt(len(levels)))
        if len(levels) > 1
        else 1.0,
        voice_db=power_db(clear),
        voice_error_db=certainty_db(stretches)[_VOICE] + drowned
        if len(stretches) > 1
        else 2.0 + drowned,
        noise_hz=noise_hz,
        noise_db=noise,
        noise_error_db=_band_error_db(noise_hz, quiet.duration_s),
        floor_dbfs=max(quiet.rms_dbfs, _LOWEST_DB),
        floor_dbfs_a=max(quiet.a_weighted_dbfs, _LOWEST_DB),
        hum_dbfs=None if quiet.hum is None else quiet.hum.level_dbfs,
        mains_hz=None if quiet.hum is None else quiet.hum.mains_hz,
        late_db=_late_db(talk_samples, quiet_samples, talk.rate_hz),
        decay_s=None if ring is None else ring.decay_s,
        peaks_dbfs=float(np.percentile(talk.peaks_by_second_dbfs, _ALL_BUT_THE_LOUDEST)),
        range_db=high - low,
        pauses_over_db=between - float(np.percentile(quiet_frames, _PAUSE_PERCENT)),
        silent_share=float(np.mean(silent <= _SILENT_DBFS)) if len(silent) else 0.0,
        flat_tops=talk.flat_tops.count,
        flat_level_dbfs=talk.flat_tops.level_dbfs,
        pitch_hz=None if talk.pitch_hz is None else talk.pitch_hz.p50,
        contour_db=_contour_db(talk_samples, talk),
        grid=rescaled_grid(quiet_samples),
        between_dbfs=max(between, _LOWEST_DB),
    )


def _contour_db(samples: Samples, talk: TalkReading) -> Samples:
    levels = frame_levels_dbfs(
        samples[: round(_CONTOUR_S * talk.rate_hz)], rate_hz=talk.rate_hz, frame_s=_CONTOUR_STEP_S
    )
    return np.maximum(levels - talk.active_level_dbfs, _CONTOUR_LOWEST_DB).round(1)


def _without_hum(quiet: QuietReading) -> Samples:
    """Third octaves of the room with the lines of its hum taken off, dBFS."""
    centres = np.array([band.centre_hz for band in quiet.third_octaves])
    power = np.array([power_from_db(max(b.level_dbfs, _LOWEST_DB)) for b in quiet.third_octaves])
    left = power.copy()
    for line in () if quiet.hum is None else quiet.hum.harmonics:
        if line.level_dbfs > SILENCE_DB:
            left[np.abs(np.log(centres / line.hz)).argmin()] -= power_from_db(line.level_dbfs)
    return np.asarray(power_db(np.maximum(left, 0.1 * power)))


def _band_error_db(centres_hz: Samples, seconds: float) -> Samples:
    """Standard error of a third octave of noise: 4.34 dB over the root of bandwidth by time."""
    return np.asarray(4.34 / np.sqrt(np.maximum(0.23 * centres_hz * seconds, 1.0)))


def _late_db(talk: Samples, quiet: Samples, rate_hz: float) -> float | None:
    found = []
    before, deepest = slice(*_BEFORE_FRAMES), np.array(_DEEPEST_PERCENTS)
    ago = np.zeros(_BEFORE_FRAMES[1])
    ago[before] = 1.0 / (_BEFORE_FRAMES[1] - _BEFORE_FRAMES[0])
    for low, high in _LATE_BANDS_HZ:
        power = band_powers(talk, low, high, rate_hz)
        if len(power) < 4 * len(ago):
            return None
        power = np.maximum(power - np.mean(band_powers(quiet, low, high, rate_hz)), 1e-14)
        was = np.convolve(power, ago)[: len(power)]
        loud = was > np.percentile(was, _LOUD_PERCENT)
        found.append(np.mean(np.percentile(power_db(power[loud] / was[loud]), deepest)))
    return float(np.mean(found))
