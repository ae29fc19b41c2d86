"""A simulated rig: takes as files, as paced streams, and live, all from one spec."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.signal

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service.ports import Knob, SoundStream
from obsidian_wren.standins import acoustics
from obsidian_wren.standins.spec import WorldSpec

PURPOSES = ("rest", "in-use", "talk", "loud", "soft", "passage")
_PART = {
    "talk": ("talk", "normal_db_spl"),
    "passage": ("passage", "normal_db_spl"),
    "loud": ("loud", "loud_db_spl"),
    "soft": ("soft", "soft_db_spl"),
}
_DBU_VOLT = 0.7745967
_LIVE_LOOP_S = 40.0


@lru_cache(maxsize=12)
def _capsule_volts(spec_json: str, purpose: str, count: int, repeat: int) -> Samples:
    """Voltage at the microphone's output, ``(count,)``: everything before the preamp. Cached, since turning a knob keeps it."""
    spec = WorldSpec.model_validate_json(spec_json)
    rate_hz = spec.interface.rate_hz
    rng = np.random.default_rng([spec.seed, PURPOSES.index(purpose), repeat])
    hz = acoustics.bins_for(count, rate_hz)
    room = np.zeros(count)
    for noise in spec.noises:
        drawn = acoustics.noise_pascals(noise, count, rate_hz, rng)
        if noise.when == "always" or purpose == "in-use":
            room += drawn
    near = np.zeros(count)
    if purpose in _PART:
        part, effort = _PART[purpose]
        voice = acoustics.talker_sound(part, rate_hz)
        voice = np.resize(voice, count) * acoustics.pascals(getattr(spec.talker, effort))
        response = acoustics.room_response(spec.room, spec.placement, spec.microphone.pattern, rate_hz)
        near = scipy.signal.oaconvolve(voice, response)[:count]
    far_db = acoustics.microphone_magnitude(spec.microphone, spec.placement, hz, rate_hz=rate_hz, near=False)
    near_db = acoustics.microphone_magnitude(spec.microphone, spec.placement, hz, rate_hz=rate_hz, near=True)
    heard = acoustics.through_magnitude(room, far_db) + acoustics.through_magnitude(near, near_db)
    heard = heard + acoustics.self_noise_pascals(spec.microphone.self_noise_dba, count, rate_hz, rng)
    volts = heard * spec.microphone.sensitivity_mv_pa / 1000.0
    # Equivalent input noise is stated over 20 Hz to 20 kHz.
    band = np.sqrt(max(1.0, rate_hz / 2.0 / 19_980.0))
    hiss = rng.standard_normal(count) * _DBU_VOLT * 10.0 ** (spec.interface.equivalent_input_noise_dbu / 20.0) * band
    return np.asarray(volts + hiss)


def convert(spec: WorldSpec, volts: Samples, gain_db: float, rng: np.random.Generator) -> Samples:
    """Preamp and converter: gain, converter noise, clipping at full scale, rounding with dither. Full scale is ±1."""
    interface = spec.interface
    # 0 dBFS (AES17) is a sine of max_input_dbu, whose peak is √2 times its RMS.
    full_scale = _DBU_VOLT * 10.0 ** (interface.max_input_dbu / 20.0) * np.sqrt(2.0)
    digital = volts * 10.0 ** (gain_db / 20.0) / full_scale
    digital = digital + rng.standard_normal(len(volts)) * 10.0 ** (interface.converter_noise_dbfs / 20.0) / np.sqrt(2.0)
    step = 2.0 ** (1 - interface.bits)
    dither = (rng.random(len(volts)) - rng.random(len(volts))) * step
    return np.asarray(np.clip(np.round((digital + dither) / step) * step, -1.0, 1.0 - step))


class SimulatedRig:
    """The rig behind the source port. The knob may be turned between takes and while live."""

    def __init__(self, spec: WorldSpec) -> None:
        self.spec = spec
        interface = spec.interface
        low, high = interface.gain_range_db
        self.knob = Knob(interface.gain_db, low, high, interface.gain_step_db)
        self.rate_hz = int(interface.rate_hz)

    def turn(self, gain_db: float) -> Knob:
        """Turn the preamp to the nearest step within its range."""
        knob = self.knob
        steps = round((min(max(gain_db, knob.low_db), knob.high_db) - knob.low_db) / knob.step_db)
        self.knob = Knob(knob.low_db + steps * knob.step_db, knob.low_db, knob.high_db, knob.step_db)
        return self.knob

    def take(self, purpose: str, *, seconds: float, repeat: int = 0) -> Samples:
        """A whole take ``(n,)`` at ``rate_hz``. The same spec, seed and repeat give the same samples."""
        count = round(seconds * self.rate_hz)
        volts = _capsule_volts(self.spec.model_dump_json(), purpose, count, repeat)
        rng = np.random.default_rng([self.spec.seed, 99, PURPOSES.index(purpose), repeat])
        return convert(self.spec, volts, self.knob.gain_db, rng)

    def open_take(self, purpose: str, *, seconds: float, repeat: int = 0) -> SoundStream:
        """A take as a stream of blocks."""
        return _Whole(self.take(purpose, seconds=seconds, repeat=repeat), self.rate_hz)

    def open_live(self) -> SoundStream:
        """Endless talk in this room, the knob followed as it turns."""
        return _Live(self)


class _Whole:
    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._samples = samples
        self._at = 0

    def read(self, count: int) -> Samples:
        block = self._samples[self._at : self._at + count]
        self._at += len(block)
        return block

    def close(self) -> None:
        self._samples = self._samples[:0]


class _Live:
    def __init__(self, rig: SimulatedRig) -> None:
        self.rate_hz = rig.rate_hz
        self._rig = rig
        self._volts = _capsule_volts(rig.spec.model_dump_json(), "talk", round(_LIVE_LOOP_S * rig.rate_hz), 0)
        self._at = 0
        self._rng = np.random.default_rng([rig.spec.seed, 7])

    def read(self, count: int) -> Samples:
        volts = np.take(self._volts, np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._volts)
        return convert(self._rig.spec, volts, self._rig.knob.gain_db, self._rng)

    def close(self) -> None:
        self._volts = self._volts[:1]
