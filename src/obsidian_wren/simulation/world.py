"""A simulated rig: takes as files, as paced streams, and live, all from one spec and the
position of its controls."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.world import Controls, Knob, SoundStream
from obsidian_wren.simulation import acoustics, noises
from obsidian_wren.simulation.computer_path import (
    _DBU_VOLT,
    along,
    convert,
    laid_out,
    through_computer,
)
from obsidian_wren.simulation.loudspeaker import Loudspeaker
from obsidian_wren.simulation.spec import WorldSpec

PURPOSES = (
    "rest",
    "in-use",
    "talk",
    "loud",
    "soft",
    "passage",
    "muted",
    "other-gain",
    "dial",
    "clap",
    "sweep",
    "reference",
    "check",
    "both",
    "sentence",
)
_PART = {
    "talk": ("talk", "normal_db_spl"),
    "passage": ("passage", "normal_db_spl"),
    "loud": ("loud", "loud_db_spl"),
    "soft": ("soft", "soft_db_spl"),
    "reference": ("passage", "normal_db_spl"),
    "check": ("passage", "normal_db_spl"),
    "both": ("passage", "normal_db_spl"),
    "sentence": ("talk", "normal_db_spl"),
}
# So long nobody talks at the start of a check, and of two microphones.
_QUIET_FIRST_S = {"check": 8.0, "both": 8.0}
# The noises of a second microphone are its own.
_BESIDE_SEED = 7919
_LIVE_LOOP_S = 40.0
_ROOM_LOOP_S = 12.0
# What a phone beside the microphone plays while a dial is learned.
_STEADY_DB_SPL = 70.0
# A clap's first wave, and a sweep, over the RMS of normal talk.
_CLAP_OVER_TALK_DB, _SWEEP_OVER_TALK_DB = 20.0, 9.0
_PINK = ((20.0, 0.0), (20_000.0, -30.0))


@lru_cache(maxsize=16)
def _capsule_volts(
    spec_json: str, purpose: str, count: int, repeat: int, off: frozenset[str]
) -> Samples:
    """Voltage at the preamp's input, ``(count,)``. Cached, since turning a knob keeps it."""
    spec = WorldSpec.model_validate_json(spec_json)
    rate_hz = spec.interface.rate_hz
    rng = np.random.default_rng([spec.seed, PURPOSES.index(purpose), repeat])
    hz = acoustics.bins_for(count, rate_hz)
    room, room_bins = np.zeros(count), np.zeros(len(hz), dtype=complex)
    for noise in spec.noises:
        drawn, bins = noises.noise_pascals(noise, count, rate_hz, rng)
        if (noise.when == "always" or purpose == "in-use") and noise.name not in off:
            room = room if drawn is None else room + drawn
            room_bins = room_bins if bins is None else room_bins + bins
    near = np.zeros(count)
    before = min(count, round(_QUIET_FIRST_S.get(purpose, 0.0) * rate_hz))
    if purpose in _PART:
        part, effort = _PART[purpose]
        voice = acoustics.talker_sound(part, rate_hz)
        talk = np.resize(voice, max(0, count - before))
        near[before:] = acoustics.spoken(talk, spec.talker, rate_hz) * acoustics.pascals(
            getattr(spec.talker, effort)
        )
    elif purpose in ("clap", "sweep"):
        sound = (
            acoustics.claps(count, rate_hz)
            if purpose == "clap"
            else acoustics.sweep_in(count, rate_hz)
        )
        over = _CLAP_OVER_TALK_DB if purpose == "clap" else _SWEEP_OVER_TALK_DB
        near = sound * acoustics.pascals(spec.talker.normal_db_spl + over)
    if near.any():
        response = acoustics.room_response(
            spec.room, spec.placement, spec.microphone.pattern, rate_hz
        )
        near = scipy.signal.oaconvolve(near, response)[:count]
    if purpose in _PART:
        near[before:] += acoustics.breath(spec.talker, spec.placement, count - before, rate_hz)
    if purpose == "dial":
        room_bins = room_bins + acoustics.shaped_spectrum(hz, rng, _PINK) * acoustics.pascals(
            _STEADY_DB_SPL
        )
    if room.any():
        room_bins = room_bins + acoustics.in_frequency(room, len(hz))
    far = acoustics.microphone_magnitude(
        spec.microphone, spec.placement, len(hz), rate_hz=rate_hz, near=False
    )
    heard_bins = room_bins * far
    if near.any():
        near_magnitude = acoustics.microphone_magnitude(
            spec.microphone, spec.placement, len(hz), rate_hz=rate_hz, near=True
        )
        heard_bins += acoustics.in_frequency(near, len(hz)) * near_magnitude
    heard = acoustics.in_time(heard_bins, count) + noises.self_noise_pascals(
        spec.microphone.self_noise_dba, count, rate_hz, rng
    )
    volts = heard * spec.microphone.sensitivity_mv_pa / 1000.0
    if purpose == "muted":
        volts = volts * 0.0
    # Equivalent input noise is stated over 20 Hz to 20 kHz.
    band = np.sqrt(max(1.0, rate_hz / 2.0 / 19_980.0))
    hiss = (
        rng.standard_normal(count)
        * _DBU_VOLT
        * 10.0 ** (spec.interface.equivalent_input_noise_dbu / 20.0)
        * band
    )
    return np.asarray(volts + hiss)


class SimulatedRig:
    """The rig behind the source port. Its controls may be turned between takes and while live."""

    def __init__(self, spec: WorldSpec) -> None:
        self.spec = spec
        self.controls = Controls(gain_db=spec.interface.gain_db)
        self.rate_hz = int(spec.interface.rate_hz)

    @property
    def knob(self) -> Knob:
        """The preamp's position, range and step, dB."""
        interface = self.spec.interface
        return Knob(self.gain_db, *interface.gain_range_db, interface.gain_step_db)

    @property
    def gain_db(self) -> float:
        """Gain before the converter without the pad: by the knob in dB, or by the number of the
        dial."""
        return self._gain_db(self.controls)

    def _gain_db(self, controls: Controls) -> float:
        if controls.dial is not None:
            return along(self.spec.interface.dial_db, controls.dial)
        return self.spec.interface.gain_db if controls.gain_db is None else controls.gain_db

    def set(self, controls: Controls) -> None:
        """Put every control where it is said to stand; a knob in dB goes to the nearest step
        within its range."""
        self.controls = controls
        if controls.gain_db is not None:
            self.turn(controls.gain_db)

    def turn(self, gain_db: float) -> Knob:
        """Turn the preamp to the nearest step within its range."""
        self.controls = replace(self.controls, gain_db=self.knob.nearest_db(gain_db))
        return self.knob

    def before_converter_db(self, controls: Controls) -> float:
        """The gain before the converter, pad and all."""
        return self._gain_db(controls) - (self.spec.interface.pad_db if controls.pad_on else 0.0)

    def take(self, purpose: str, *, seconds: float, repeat: int = 0) -> Samples:
        """The microphone's channel of a whole take ``(n,)``.

        The same spec, controls, seed and repeat give the same samples.
        """
        samples, _ = self._take(purpose, seconds, repeat, self.controls)
        return samples

    def _take(
        self, purpose: str, seconds: float, repeat: int, controls: Controls
    ) -> tuple[Samples, np.random.Generator]:
        count = round(seconds * self.rate_hz)
        volts = _capsule_volts(
            self.spec.model_dump_json(), purpose, count, repeat, controls.things_off
        )
        rng = np.random.default_rng([self.spec.seed, 99, PURPOSES.index(purpose), repeat])
        samples = convert(self.spec, volts, self.before_converter_db(controls), rng)
        return through_computer(self.spec, samples, controls, rng), rng

    def open_take(
        self, purpose: str, *, seconds: float, repeat: int = 0, controls: Controls | None = None
    ) -> SoundStream:
        """A take as a stream of blocks, with the channels that the device gives."""
        samples, rng = self._take(purpose, seconds, repeat, controls or self.controls)
        if purpose == "both" and self.spec.beside is not None:
            beside = self._beside(purpose, seconds, repeat)
            return _WholeWorld(np.column_stack([samples, beside]), self.rate_hz)
        return _WholeWorld(laid_out(self.spec, samples, rng), self.rate_hz)

    def _beside(self, purpose: str, seconds: float, repeat: int) -> Samples:
        """What the second microphone of the interface hears of the same voice ``(n,)``."""
        beside = self.spec.beside
        assert beside is not None
        interface = self.spec.interface.model_copy(update={"gain_db": beside.gain_db})
        spec = self.spec.model_copy(
            update={
                "microphone": beside.microphone,
                "placement": beside.placement,
                "interface": interface,
                "seed": self.spec.seed + _BESIDE_SEED,
                "beside": None,
            }
        )
        return SimulatedRig(spec).take(purpose, seconds=seconds, repeat=repeat)

    def open_live(self, purpose: str = "talk") -> SoundStream:
        """Endless sound of this room, ``talk`` or ``rest``, every control followed as it turns."""
        return LiveRig(self, purpose)


class _WholeWorld:
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


class LiveRig:
    """Endless sound of a rig."""

    def __init__(self, rig: SimulatedRig, purpose: str) -> None:
        self.rate_hz = rig.rate_hz
        self._rig = rig
        self._purpose = purpose
        self._seconds = _LIVE_LOOP_S if purpose in _PART else _ROOM_LOOP_S
        self._at = 0
        self._rng = np.random.default_rng([rig.spec.seed, 7])
        self._off: frozenset[str] | None = None
        self._volts = self._loop()
        loudspeaker = rig.spec.loudspeaker
        self._loudspeaker = None if loudspeaker is None else Loudspeaker(rig.spec, loudspeaker)

    def _loop(self) -> Samples:
        off = self._rig.controls.things_off
        if off != self._off:
            self._off = off
            count = round(self._seconds * self.rate_hz)
            self._volts = _capsule_volts(
                self._rig.spec.model_dump_json(), self._purpose, count, 0, off
            )
        return self._volts

    def read(self, count: int) -> Samples:
        """The next ``(count,)`` samples."""
        volts = self.volts(count)
        rig = self._rig
        if self._loudspeaker is not None:
            volts = volts + self._loudspeaker.reaches(count) * (
                rig.spec.microphone.sensitivity_mv_pa / 1000.0
            )
        samples = convert(rig.spec, volts, rig.before_converter_db(rig.controls), self._rng)
        return through_computer(
            rig.spec, samples, replace(rig.controls, enhancements=False), self._rng
        )

    @property
    def loop_samples(self) -> int:
        """After so many samples it begins anew."""
        return len(self._volts)

    def volts(self, count: int) -> Samples:
        """The next ``(count,)`` samples of the voltage at the preamp's input."""
        volts = np.take(self._loop(), np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._volts)
        return volts

    def play(self, block: Samples) -> None:
        """What the computer plays meanwhile, ``(n,)``: heard where a loudspeaker stands."""
        if self._loudspeaker is not None:
            self._loudspeaker.play(block)

    def close(self) -> None:
        """Nothing more is heard."""
        self._volts = self._volts[:1]
