"""The three readings, gathered: level of any sound, the quiet room, the talking voice.

Source: each reading's own module names its standard; AES17 for levels.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure import clicks, clipping, integrity, levels, loudness, speech
from obsidian_wren.core.measure.buzz import Buzz, find_buzz
from obsidian_wren.core.measure.hum import Hum, SteadyTone, find_tones, line_spectrum, read_hum
from obsidian_wren.core.measure.spectrum import (
    Band,
    Spectrum,
    a_weighted_dbfs,
    power_spectrum,
    third_octaves,
    weighted_dbfs,
)
from obsidian_wren.core.measure.voice_spectrum import (
    FINE_FRAME_S,
    FineSpectrum,
    noise_spectrum,
    voice_spectrum,
)
from obsidian_wren.core.measure.weighting import itu468_weighting_power

# Counts up where a reading says more than before, or otherwise: what was kept is then read again.
VERSION = 2
_BAND_FRAME_S = 1.4
_STRETCH_S = 0.5
RUMBLE_BELOW_HZ = 60.0
# A voice has no lines as narrow as hum: shorter frames serve its bands as well, and faster.
_TALK_BAND_FRAME_S = 0.34
_RUMBLE_FROM_HZ = 10.0


@dataclass(frozen=True)
class LevelReading:
    """Levels of any sound. dBFS by AES17, dBTP, LUFS; minus infinity where there is silence."""

    duration_s: float
    rate_hz: float
    rms_dbfs: float
    a_weighted_dbfs: float
    peak_dbfs: float
    true_peak_dbtp: float
    percentiles_dbfs: levels.Percentiles
    loudness_lufs: float | None
    loudness_range_lu: float | None
    flat_tops: clipping.FlatTops
    dc_offset: float


@dataclass(frozen=True)
class QuietReading:
    """The room with nobody talking.

    ``itu468_dbfs`` is an RMS level behind the network of ITU-R BS.468-4, without its quasi-peak
    detector. ``grid_bits`` is the depth of the grid that the samples sit on, ``effective_bits``
    what stands over the floor. ``rumble_a_weighted_dbfs`` is what the sound under 60 Hz adds to the
    A-weighted level.
    """

    duration_s: float
    rate_hz: float
    rms_dbfs: float
    a_weighted_dbfs: float
    itu468_dbfs: float
    peak_dbfs: float
    percentiles_dbfs: levels.Percentiles
    spread_db: float
    trend: levels.Trend
    third_octaves: tuple[Band, ...]
    hum: Hum | None
    tones: tuple[SteadyTone, ...]
    buzz: tuple[Buzz, ...]
    transients: clicks.Transients
    flat_tops: clipping.FlatTops
    dc_offset: float
    rumble_dbfs: float
    rumble_a_weighted_dbfs: float
    grid_bits: int | None
    effective_bits: float | None
    dropouts: integrity.Dropouts
    noise: FineSpectrum


@dataclass(frozen=True)
class TalkReading:
    """The voice at work.

    ``snr_db`` is active level over the quiet RMS, None without a quiet reading.
    """

    duration_s: float
    rate_hz: float
    rms_dbfs: float
    a_weighted_dbfs: float
    peak_dbfs: float
    true_peak_dbtp: float
    percentiles_dbfs: levels.Percentiles
    active_percentiles_dbfs: tuple[float, float]
    peaks_by_second_dbfs: tuple[float, ...]
    active_level_dbfs: float
    activity: float
    loudness_lufs: float | None
    loudness_range_lu: float | None
    third_octaves: tuple[Band, ...]
    flat_tops: clipping.FlatTops
    soft_clipping: clipping.SoftClipping | None
    pitch_hz: speech.Pitch | None
    voiced_s: float
    snr_db: float | None
    voice: FineSpectrum
    stretches_db: np.ndarray


# Longer takes are read in stretches, so that the memory they take does not grow with them.
LONGEST_AT_ONCE_S = 120.0


def _bands(samples: Samples, rate_hz: float) -> Spectrum:
    return power_spectrum(samples, rate_hz=rate_hz, frame_s=_BAND_FRAME_S)


def read_level(samples: Samples, *, rate_hz: float) -> LevelReading:
    """Read ``(n,)`` samples of anything."""
    loud = loudness.measure_loudness(samples, rate_hz=rate_hz)
    return LevelReading(
        duration_s=len(samples) / rate_hz,
        rate_hz=rate_hz,
        rms_dbfs=levels.rms_dbfs(samples),
        a_weighted_dbfs=a_weighted_dbfs(_bands(samples, rate_hz)),
        peak_dbfs=levels.peak_dbfs(samples),
        true_peak_dbtp=levels.true_peak_dbtp(samples),
        percentiles_dbfs=levels.percentiles_dbfs(samples, rate_hz=rate_hz),
        loudness_lufs=loud.integrated_lufs,
        loudness_range_lu=loud.range_lu,
        flat_tops=clipping.flat_tops(samples),
        dc_offset=levels.dc_offset(samples),
    )


def read_quiet(
    samples: Samples, *, rate_hz: float, undisturbed: Samples | None = None
) -> QuietReading:
    """Read ``(n,)`` samples of a room with nobody talking; an offset is told and left out.

    ``undisturbed`` is the take without what is no part of the room, where there is such a thing:
    then levels and spectra are of it, and clicks and gaps of the whole.
    """
    given, samples = samples, levels.without_offset(samples if undisturbed is None else undisturbed)
    bands = _bands(samples, rate_hz)
    lines = line_spectrum(samples, rate_hz=rate_hz)
    family = read_hum(samples, lines, rate_hz=rate_hz)
    buzz = find_buzz(lines, family)
    # Spread: how far the level of half-second stretches wanders, 10th to 90th percentile.
    stretches = np.maximum(
        levels.frame_levels_dbfs(samples, rate_hz=rate_hz, frame_s=_STRETCH_S), -200.0
    )
    low, high = np.percentile(stretches, [10, 90]) if len(stretches) else (0.0, 0.0)
    under = (bands.frequency_hz >= _RUMBLE_FROM_HZ) & (bands.frequency_hz < RUMBLE_BELOW_HZ)
    rumble = Spectrum(bands.frequency_hz[under], bands.mean_square[under])
    level = levels.rms_dbfs(samples - samples.mean())
    return QuietReading(
        duration_s=len(given) / rate_hz,
        rate_hz=rate_hz,
        rms_dbfs=levels.rms_dbfs(samples),
        a_weighted_dbfs=a_weighted_dbfs(bands),
        itu468_dbfs=weighted_dbfs(bands, itu468_weighting_power),
        peak_dbfs=levels.peak_dbfs(samples),
        percentiles_dbfs=levels.percentiles_dbfs(samples, rate_hz=rate_hz),
        spread_db=float(high - low),
        trend=levels.level_trend(stretches, stretch_s=_STRETCH_S),
        third_octaves=third_octaves(bands),
        hum=family,
        tones=find_tones(lines, family, combs_hz=tuple(comb.spacing_hz for comb in buzz)),
        buzz=buzz,
        transients=clicks.find_transients(levels.without_offset(given), rate_hz=rate_hz),
        flat_tops=clipping.flat_tops(given),
        dc_offset=levels.dc_offset(given),
        rumble_dbfs=power_db(float(rumble.mean_square.sum())) + AES17_OFFSET_DB,
        rumble_a_weighted_dbfs=a_weighted_dbfs(rumble),
        grid_bits=integrity.grid_bits(given),
        effective_bits=integrity.effective_bits(level),
        dropouts=integrity.find_dropouts(given, rate_hz=rate_hz),
        noise=noise_spectrum(power_spectrum(samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S)),
    )


def read_talk(
    samples: Samples, *, rate_hz: float, quiet: QuietReading | None = None
) -> TalkReading:
    """Read ``(n,)`` samples of someone talking, against a quiet reading where there is one; an
    offset is left out."""
    given, samples = samples, levels.without_offset(samples)
    active = speech.active_level(samples, rate_hz=rate_hz)
    voicing = speech.pitched(speech.find_voice(samples, rate_hz=rate_hz))
    loud = loudness.measure_loudness(samples, rate_hz=rate_hz)
    bands = power_spectrum(samples, rate_hz=rate_hz, frame_s=_TALK_BAND_FRAME_S)
    frames = levels.frame_levels_dbfs(samples, rate_hz=rate_hz)
    # Frames within the P.56 margin of the active level are speech; the rest are pauses.
    spoken = frames[speech.spoken_mask(frames, active.level_dbfs)]
    low, high = (
        np.percentile(spoken, [10, 95]) if len(spoken) else (active.level_dbfs, active.level_dbfs)
    )
    voice = voice_spectrum(
        samples, rate_hz=rate_hz, voicing=voicing, active_level_dbfs=active.level_dbfs
    )
    return TalkReading(
        duration_s=len(samples) / rate_hz,
        rate_hz=rate_hz,
        rms_dbfs=levels.rms_dbfs(samples),
        a_weighted_dbfs=a_weighted_dbfs(bands),
        peak_dbfs=levels.peak_dbfs(samples),
        true_peak_dbtp=levels.true_peak_dbtp(samples),
        percentiles_dbfs=levels.percentiles_dbfs(samples, rate_hz=rate_hz),
        active_percentiles_dbfs=(float(low), float(high)),
        peaks_by_second_dbfs=tuple(
            float(p) for p in levels.peak_by_second_dbfs(samples, rate_hz=rate_hz)
        ),
        active_level_dbfs=active.level_dbfs,
        activity=active.activity,
        loudness_lufs=loud.integrated_lufs,
        loudness_range_lu=loud.range_lu,
        third_octaves=third_octaves(bands),
        flat_tops=clipping.flat_tops(given),
        soft_clipping=clipping.soft_clipping(samples, rate_hz=rate_hz),
        pitch_hz=voicing.pitch(),
        voiced_s=voicing.voiced_s,
        snr_db=None if quiet is None else active.level_dbfs - quiet.rms_dbfs,
        voice=voice.mean,
        stretches_db=voice.stretches_db,
    )
