"""Talkers whose spectra differ as those of people do, and rigs of known colour: what advice on tone
is judged by.

Each talker is the shipped recording with another pitch and length of throat, and a deviation of its
own from average speech, made of formant-like humps and a tilt; how far it stands from the average
is drawn from 2.5 to 6 dB rms, as it is measured of recorded voices.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy.signal
import soxr

from obsidian_wren.core.derive.tone import Tone, derive_tone
from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import by_pitch
from obsidian_wren.core.measure.readings import QuietReading, TalkReading, read_quiet, read_talk
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum
from signals import RATE, voice

JUDGED = (POINT_HZ >= 160.0) & (POINT_HZ <= 7000.0)
OCTAVES = np.log2(POINT_HZ)
SPREAD_DB = (2.5, 6.0)


def rms_around_mean(curve):
    inside = curve[JUDGED]
    return float(np.std(inside))


def humps(rng, count, widths, height_db):
    """A curve of Gaussian humps over octaves."""
    total = np.zeros(len(POINT_HZ))
    for _ in range(count):
        centre = rng.uniform(np.log2(110.0), np.log2(9000.0))
        total += rng.normal(0.0, height_db) * np.exp(
            -0.5 * ((OCTAVES - centre) / rng.uniform(*widths)) ** 2
        )
    return total


def filtered(sound, curve_db):
    """A sound through a curve at the points of the voice spectrum, linear phase."""
    grid = np.linspace(0.0, RATE / 2.0, 4097)
    gain = 10.0 ** (np.interp(grid, POINT_HZ, curve_db) / 20.0)
    return scipy.signal.fftconvolve(
        sound, scipy.signal.firwin2(8191, grid, gain, fs=RATE), mode="same"
    )


def deviation_db(reading: TalkReading):
    return reading.voice.points_db() - by_pitch(reading.pitch_hz).levels_db


def talker(number: int, seconds: float):
    """The sound of a talker, ``(n,)``."""
    rng = np.random.default_rng(1000 + number)
    factor = 2.0 ** rng.uniform(-0.35, 0.35)
    source = np.tile(voice("passage"), 2)
    sound = soxr.resample(source, RATE, RATE / factor)[: round(seconds * RATE)]
    own = humps(rng, 9, (0.1, 0.35), 5.0) + rng.normal(0.0, 1.2) * (OCTAVES - 10.0)
    wanted = rng.uniform(*SPREAD_DB)
    before = deviation_db(read_talk(sound[: 20 * RATE], rate_hz=RATE))
    # As much of it as brings the whole deviation to what was drawn.
    sizes = np.linspace(0.0, 3.0, 61)
    away = [abs(rms_around_mean(before + size * own) - wanted) for size in sizes]
    sound = filtered(sound, float(sizes[int(np.argmin(away))]) * own)
    return sound * (0.05 / np.std(sound))


def colour_db(number: int, rms_db: float):
    """What a rig adds, ``(points,)``: a presence peak, more or less low end and a tilt, or smooth
    waves."""
    rng = np.random.default_rng(2000 + number)
    if number % 2:
        curve = rng.uniform(2.0, 8.0) * np.exp(
            -0.5 * ((OCTAVES - np.log2(rng.uniform(2500.0, 7000.0))) / rng.uniform(0.4, 0.8)) ** 2
        )
        corner = np.log2(rng.uniform(150.0, 350.0))
        curve += rng.uniform(-8.0, 8.0) / (1.0 + 2.0 ** (2.5 * (OCTAVES - corner)))
        curve += rng.uniform(-1.5, 1.5) * (OCTAVES - 10.0)
    else:
        curve = humps(rng, 6, (0.5, 1.0), 4.0)
    curve -= curve[JUDGED].mean()
    return curve * (rms_db / rms_around_mean(curve)) if rms_db else np.zeros(len(POINT_HZ))


def room_noise(level_db: float, seconds: float, seed: int):
    """A room's noise, 3 dB less per octave than white, at a level under full scale."""
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft(rng.normal(size=round(seconds * RATE)))
    hz = np.fft.rfftfreq(round(seconds * RATE), 1.0 / RATE)
    noise = np.fft.irfft(spectrum * (np.maximum(hz, 60.0) / 500.0) ** -0.5)
    return noise * (10.0 ** (level_db / 20.0) / np.std(noise))


@dataclass(frozen=True)
class Judged:
    """What is left of a colour after the correction and how far off its estimate is, dB rms from
    160 Hz to 7 kHz; at which share of points the truth lies inside one standard deviation; the
    tone."""

    left_db: float
    off_db: float
    inside: float
    tone: Tone


def judge(talk: TalkReading, quiet: QuietReading, colour, aims: ToneAims) -> Judged:
    tone = derive_tone(talk, quiet, None, aims=aims)
    off = (tone.colour.mean_db - colour)[JUDGED]
    off -= off.mean()
    return Judged(
        rms_around_mean(colour + tone.correction_db),
        float(np.std(off)),
        float(np.mean(np.abs(off) <= tone.colour.sd_db[JUDGED])),
        tone,
    )


def coloured(reading: TalkReading, curve_db) -> TalkReading:
    """A reading as it would be through a rig of a colour, which is exact for its cells."""
    cells = 10.0 ** (np.interp(np.log(CELL_HZ), np.log(POINT_HZ), curve_db) / 10.0)
    return replace(
        reading,
        voice=FineSpectrum(reading.voice.cells * cells, reading.voice.top_hz),
        stretches_db=reading.stretches_db + curve_db,
    )


def quiet_under(sound, snr_db: float, seed: int):
    """A room so many dB under a talk, and its reading."""
    level = 20.0 * np.log10(np.std(sound)) - snr_db
    return read_quiet(room_noise(level, 15.0, seed), rate_hz=RATE)
