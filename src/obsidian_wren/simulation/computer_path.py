"""What preamp, converter and computer make of a wave."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.world import Controls
from obsidian_wren.simulation.spec import WorldSpec

_DBU_VOLT = 0.7745967
_GATE_FRAME_S = 0.02


def full_scale_volts(spec: WorldSpec) -> float:
    """Peak voltage that reads full scale at no gain:

    0 dBFS (AES17) is a sine of ``max_input_dbu``, whose peak is √2 its RMS.
    """
    return float(_DBU_VOLT * 10.0 ** (spec.interface.max_input_dbu / 20.0) * np.sqrt(2.0))


def analogue(spec: WorldSpec, wave: Samples) -> Samples:
    """What the preamp does when it is driven: cut, or give way from a level on."""
    interface = spec.interface
    if interface.cut_at_dbfs is not None:
        top = 10.0 ** (interface.cut_at_dbfs / 20.0)
        wave = np.clip(wave, -top, top)
    if interface.soft_from_dbfs is not None:
        knee = 10.0 ** (interface.soft_from_dbfs / 20.0)
        wave = knee * np.tanh(wave / knee)
    return wave


def convert(spec: WorldSpec, volts: Samples, gain_db: float, rng: np.random.Generator) -> Samples:
    """Preamp and converter: gain, converter noise and offset, clipping at full scale, rounding
    with dither. Full scale is ±1."""
    interface = spec.interface
    digital = analogue(spec, volts * 10.0 ** (gain_db / 20.0) / full_scale_volts(spec))
    digital = digital + rng.standard_normal(len(volts)) * 10.0 ** (
        interface.converter_noise_dbfs / 20.0
    ) / np.sqrt(2.0)
    return rounded(digital + interface.dc_offset, interface.bits, rng)


def rounded(samples: Samples, bits: int, rng: np.random.Generator) -> Samples:
    """Samples on the grid of so many bits, with triangular dither."""
    step = 2.0 ** (1 - bits)
    dither = (rng.random(len(samples)) - rng.random(len(samples))) * step
    return np.asarray(np.clip(np.round((samples + dither) / step) * step, -1.0, 1.0 - step))


def through_computer(
    spec: WorldSpec, samples: Samples, controls: Controls, rng: np.random.Generator
) -> Samples:
    """What lies after the converter: the device's output, the system's slider, its depth and
    enhancements, and what it loses."""
    after_db = controls.trim_db + slider_db(spec, controls.slider_percent)
    if after_db != 0.0:
        samples = np.clip(samples * 10.0 ** (after_db / 20.0), -1.0, 1.0)
    if controls.bits < spec.interface.bits:
        samples = rounded(samples, controls.bits, rng)
    if controls.enhancements:
        size = round(_GATE_FRAME_S * spec.interface.rate_hz)
        frames = np.resize(
            np.concatenate([samples, np.zeros(-len(samples) % size)]),
            (-(-len(samples) // size), size),
        )
        open_ = np.sqrt(np.mean(frames**2, axis=1) * 2.0) > 10.0 ** (spec.computer.gate_dbfs / 20.0)
        # It opens late and closes late, as such things do.
        open_ = np.convolve(open_, np.ones(6), mode="full")[: len(open_)] > 0
        samples = (frames * open_[:, None]).reshape(-1)[: len(samples)]
    if spec.computer.dropouts_per_minute:
        seconds = len(samples) / spec.interface.rate_hz
        samples = samples.copy()
        for start in rng.uniform(
            0.0, seconds, rng.poisson(spec.computer.dropouts_per_minute * seconds / 60.0)
        ):
            first = int(start * spec.interface.rate_hz)
            samples[first : first + round(0.01 * spec.interface.rate_hz)] = 0.0
    return samples


def slider_db(spec: WorldSpec, percent: float) -> float:
    """What the system's slider does at a position, dB."""
    return along(spec.computer.slider_db, percent)


@lru_cache(maxsize=64)
def along(points: tuple[tuple[float, float], ...], position: float) -> float:
    """Between the points of a curve, on straight lines."""
    x, y = np.array(points).T
    return float(scipy.interpolate.PchipInterpolator(x, y)(np.clip(position, x[0], x[-1])))


def laid_out(spec: WorldSpec, samples: Samples, rng: np.random.Generator) -> Samples:
    """The channels that the device gives, ``(n,)`` for one or ``(n, 2)``: the microphone may sit
    on either, or on both."""
    empty = (
        rng.standard_normal(len(samples))
        * 10.0 ** (spec.interface.converter_noise_dbfs / 20.0)
        / np.sqrt(2.0)
    )
    match spec.interface.layout:
        case "mono":
            return samples
        case "first":
            return np.column_stack([samples, empty])
        case "second":
            return np.column_stack([empty, samples])
        case "same":
            return np.column_stack([samples, samples])
        case "inverted":
            return np.column_stack([samples, -samples])
