"""From a mouth to a capsule: shoebox room, proximity and microphone response, in pascals."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
import scipy
import scipy.fft
import soundfile
import soxr

from obsidian_wren.core.chain.filters import EqualizerBand, band_section, response_db
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.decay import sweep_signal
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.simulation.image_sources import SPEED_OF_SOUND, image_response, walls
from obsidian_wren.simulation.rereading import read_again
from obsidian_wren.simulation.spec import (
    MicrophoneSpec,
    PlacementSpec,
    RoomSpec,
    TalkerSpec,
)

TALKER = Path(__file__).with_name("talker")
REFERENCE_PA = 20e-6
_CURVE_POINTS = 4096
# Images are worked out up to so many walls. Where they lack so far down, nobody hears it.
_MOST_ORDER, _LACKS_UNHEARD_DB = 24, 28.0
_TAIL_SEED, _TAIL_FADE_S = 5, 0.02


@lru_cache(maxsize=8)
def talker_sound(part: str, rate_hz: int) -> Samples:
    """A part of the talker's recordings at a rate, scaled so that its active speech has RMS 1."""
    samples, rate = soundfile.read(TALKER / f"{part}.flac", dtype="float64")
    resampled = soxr.resample(samples, rate, rate_hz, quality="VHQ")
    level = active_level(resampled, rate_hz=rate_hz).level_dbfs - 3.0103
    return np.asarray(resampled / 10.0 ** (level / 20.0))


def spoken(voice: Samples, talker: TalkerSpec, rate_hz: int) -> Samples:
    """The talker's sound as this talker speaks: read once more, hissing lifted, phrases of
    different loudness."""
    if talker.reading:
        voice = read_again(voice, talker.reading, rate_hz)
    if talker.hiss_db:
        shelf = band_section(
            EqualizerBand("high_shelf", 5000.0, talker.hiss_db, 0.7), rate_hz=rate_hz
        )
        hissing = scipy.signal.sosfilt(shelf[None, :], voice)
        # Only where hissing is: where most of the sound lies over 4 kHz.
        high = scipy.signal.sosfilt(
            scipy.signal.butter(2, 4000.0, "highpass", fs=rate_hz, output="sos"), voice
        )
        smooth = np.ones(round(0.01 * rate_hz)) / round(0.01 * rate_hz)
        share = scipy.signal.oaconvolve(high**2, smooth, "same") / (
            scipy.signal.oaconvolve(voice**2, smooth, "same") + 1e-12
        )
        voice = voice + (hissing - voice) * np.clip((share - 0.4) * 5.0, 0.0, 1.0)
    if talker.phrase_spread_db:
        at = np.arange(len(voice)) / rate_hz
        voice = voice * 10.0 ** (
            0.5 * talker.phrase_spread_db * np.sin(2.0 * np.pi * at / 12.0) / 20.0
        )
    return np.asarray(voice)


def breath_times_s(talker: TalkerSpec, seconds: float) -> Samples:
    """When this talker's plosives reach the capsule."""
    count = round(talker.plosives_per_minute * seconds / 60.0)
    return (np.arange(count) + 0.5) * seconds / max(count, 1)


def breath(talker: TalkerSpec, placement: PlacementSpec, count: int, rate_hz: int) -> Samples:
    """Bursts of breath on the capsule, in pascals ``(count,)``: a pressure that rises at once
    and sways out in a tenth of a second."""
    wave = np.zeros(count + rate_hz)
    at = np.arange(round(0.12 * rate_hz)) / rate_hz
    burst = np.exp(-at / 0.025) * np.sin(2.0 * np.pi * 38.0 * at) * (1.0 - np.exp(-at / 0.002))
    burst *= (
        np.sqrt(2.0)
        * pascals(talker.plosive_db_spl)
        / np.abs(burst).max()
        * min(1.0, 0.2 / placement.distance_m)
    )
    for start in breath_times_s(talker, count / rate_hz):
        first = round(start * rate_hz)
        wave[first : first + len(burst)] += burst
    return wave[:count]


def claps(count: int, rate_hz: int) -> Samples:
    """Short claps, the first after a second, one every two seconds; the first wave's peak is √2."""
    wave = np.zeros(count)
    rng = np.random.default_rng(5)
    length = round(0.004 * rate_hz)
    clap = rng.standard_normal(length) * np.exp(-np.arange(length) / (0.001 * rate_hz))
    clap *= np.sqrt(2.0) / np.abs(clap).max()
    for first in range(rate_hz, count - length, 2 * rate_hz):
        wave[first : first + length] = clap
    return wave


def sweep_in(count: int, rate_hz: int) -> Samples:
    """The measuring sweep, half a second after the start."""
    wave = np.zeros(count)
    sweep = sweep_signal(rate_hz=rate_hz, level=np.sqrt(2.0))
    first = rate_hz // 2
    part = sweep[: max(0, count - first)]
    wave[first : first + len(part)] = part
    return wave


def pascals(db_spl: float) -> float:
    """RMS pressure of a sound pressure level."""
    return float(REFERENCE_PA * 10.0 ** (db_spl / 20.0))


def _rung_out(response: Samples, room: RoomSpec, rate_hz: int) -> Samples:
    """A response without its late images, with the diffuse decay of its room in their place: noise
    that falls by 60 dB in the decay time, from where all images are still there, as strong there as
    they are."""
    complete_s = _MOST_ORDER * min(room.size_m) / SPEED_OF_SOUND
    if 60.0 * complete_s / room.decay_s >= _LACKS_UNHEARD_DB:
        return response
    # Half of that, since the direct sound does not come at once.
    first = int(np.abs(response).argmax()) + round(0.5 * complete_s * rate_hz)
    at = np.arange(round(1.2 * room.decay_s * rate_hz))
    tail = np.random.default_rng(_TAIL_SEED).standard_normal(len(at))
    tail *= 10.0 ** (-3.0 * at / (room.decay_s * rate_hz))
    fade = round(_TAIL_FADE_S * rate_hz)
    images = response[first : first + fade]
    tail *= np.sqrt(np.mean(images**2) / np.mean(tail[:fade] ** 2))
    comes = (np.arange(fade) + 0.5) / fade
    tail[:fade] = np.sqrt(comes) * tail[:fade] + np.sqrt(1.0 - comes) * images
    return np.concatenate([response[:first], tail])


@lru_cache(maxsize=8)
def room_response(room: RoomSpec, placement: PlacementSpec, pattern: str, rate_hz: int) -> Samples:
    """Impulse response from a mouth to the microphone ``(n,)``:

    1/r for the direct sound, so it is relative to one metre.
    """
    size = np.array(room.size_m)
    comes_back, order = walls(room.decay_s, room.size_m)
    microphone = np.array([0.42 * size[0], 0.47 * size[1], 1.2])
    mouth = microphone + np.array([placement.distance_m, 0.0, 0.0])
    turned = np.radians(placement.angle_deg)
    response = image_response(
        size,
        np.minimum(mouth, size - 0.1),
        microphone,
        facing=np.array([np.cos(turned), np.sin(turned), 0.0]) if pattern == "cardioid" else None,
        comes_back=comes_back,
        order=min(order, _MOST_ORDER),
        rate_hz=rate_hz,
    )
    if order > _MOST_ORDER:
        response = _rung_out(response, room, rate_hz)
    # A cardioid that is turned away hears the direct sound a little all the same.
    first = int(np.abs(response).argmax())
    half = rate_hz // 1000
    direct = float(np.sqrt(np.sum(response[max(0, first - half) : first + half] ** 2)))
    facing_gain = 0.5 * (1.0 + np.cos(turned)) if pattern == "cardioid" else 1.0
    return np.asarray(
        response[max(0, first - half) :] * (max(facing_gain, 0.05) / placement.distance_m / direct)
    )


@lru_cache(maxsize=4)
def microphone_magnitude(
    microphone: MicrophoneSpec, placement: PlacementSpec, bins: int, *, rate_hz: float, near: bool
) -> Samples:
    """Magnitude of the capsule at ``(bins,)`` frequencies up to half the rate; ``near`` adds the
    proximity boost of a pressure gradient.

    A cardioid on a spherical wave: H(f, r) = ½·(1 + (1 + c/(j·2πf·r))); relative to a far source.
    """
    hz = np.linspace(0.0, rate_hz / 2.0, bins)
    # Curves as smooth as these are worked out at a few thousand frequencies, and read off between
    # them.
    safe = np.geomspace(10.0, max(float(hz[-1]), 11.0), _CURVE_POINTS)
    magnitude_db = np.zeros_like(safe)
    if microphone.response_db:
        points = np.array(microphone.response_db)
        magnitude_db += np.interp(np.log(safe), np.log(points[:, 0]), points[:, 1])
    for bell in microphone.bells:
        section = band_section(
            EqualizerBand("peak", bell.frequency_hz, bell.gain_db, bell.q), rate_hz=rate_hz
        )
        magnitude_db += response_db(
            section[None, :], np.minimum(safe, 0.499 * rate_hz), rate_hz=rate_hz
        )
    if near and microphone.pattern == "cardioid":
        gradient = SPEED_OF_SOUND / (2j * np.pi * np.maximum(safe, 30.0) * placement.distance_m)
        magnitude_db += 20.0 * np.log10(np.abs(0.5 * (1.0 + (1.0 + gradient))))
    return np.asarray(
        10.0 ** (np.interp(np.log(np.maximum(hz, 10.0)), np.log(safe), magnitude_db) / 20.0)
    )


def bins_for(count: int, rate_hz: float) -> Samples:
    """Frequencies of the bins of an FFT that holds ``count`` samples, with room for the tail of
    a filter."""
    size = scipy.fft.next_fast_len(count + 16_384)
    size += size % 2
    return np.asarray(np.linspace(0.0, rate_hz / 2.0, size // 2 + 1))


def in_time(spectrum: Samples, count: int) -> Samples:
    """The first ``(count,)`` samples of a spectrum at the bins of :func:`bins_for`."""
    return np.asarray(scipy.fft.irfft(spectrum, 2 * (len(spectrum) - 1))[:count])


def in_frequency(samples: Samples, bins: int) -> Samples:
    """The spectrum of ``(n,)`` samples at that many bins."""
    return np.asarray(scipy.fft.rfft(samples, 2 * (bins - 1)))


def shaped_spectrum(
    hz: Samples, rng: np.random.Generator, corners: tuple[tuple[float, float], ...]
) -> Samples:
    """The bins of Gaussian noise of RMS 1 whose spectrum follows points of Hz and dB.

    Scaled by what the points promise, not by this draw, so that levels are the spec's in the mean.
    """
    return np.asarray(
        rng.standard_normal(2 * len(hz)).view(np.complex128)
        * _shape(corners, len(hz), float(hz[-1]))
    )


@lru_cache(maxsize=4)
def _shape(corners: tuple[tuple[float, float], ...], bins: int, top_hz: float) -> Samples:
    points = np.array(corners)
    hz = np.linspace(0.0, top_hz, bins)
    magnitude = 10.0 ** (
        np.interp(np.log(np.maximum(hz, 5.0)), np.log(points[:, 0]), points[:, 1]) / 20.0
    )
    magnitude[0] = 0.0
    # A bin of white noise of RMS 1 has the mean square of the FFT's size.
    return np.asarray(magnitude * np.sqrt((bins - 1) / np.mean(magnitude**2)))


def shaped_noise(
    count: int, rate_hz: float, rng: np.random.Generator, corners: tuple[tuple[float, float], ...]
) -> Samples:
    """:func:`shaped_spectrum` in time, ``(count,)``."""
    return in_time(shaped_spectrum(bins_for(count, rate_hz), rng, corners), count)
