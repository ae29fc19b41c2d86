"""Programs that listen: a call, a game chat, a stream, headphones, a second computer.

Each can be set wrong as people set them wrong.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.simulation import programs, sounds

_KEPT_S = 20.0
_PACKET_S = 0.02
_HEARD_BACK_DB = -6.0
_FAR = {"call": "editor", "game chat": "crew"}


class _Late:
    """Holds sound back by a fixed time."""

    def __init__(self, samples: int) -> None:
        self._waiting = np.zeros(samples)

    def through(self, block: Samples) -> Samples:
        waiting = np.concatenate([self._waiting, block])
        self._waiting = waiting[len(block) :]
        return waiting[: len(block)]


class _FarSide:
    """Someone far away: packets of 20 ms that come late by more or less; what comes too late to
    be played is lost and covered up."""

    def __init__(self, who: str, rate_hz: int, jitter_ms: float) -> None:
        self._sound = sounds.far_voice(who, rate_hz)
        self._packet = round(_PACKET_S * rate_hz)
        self._rng = np.random.default_rng([61, rate_hz])
        self._jitter_ms = jitter_ms
        self._at = 0
        self._ready = np.zeros(0)
        self._before = np.zeros(self._packet)

    def take(self, count: int) -> Samples:
        while len(self._ready) < count:
            packet = np.take(self._sound, np.arange(self._at, self._at + self._packet), mode="wrap")
            self._at = (self._at + self._packet) % len(self._sound)
            # The buffer for playing waits twice the jitter.
            lost = self._jitter_ms > 0.0 and abs(
                self._rng.normal(0.0, self._jitter_ms)
            ) > 2.0 * max(self._jitter_ms, 15.0)
            if lost:
                packet = self._before * np.linspace(1.0, 0.0, self._packet)
            self._before = packet
            self._ready = np.concatenate([self._ready, packet])
        out, self._ready = self._ready[:count], self._ready[count:]
        return out


class StandInProgram:
    """A program that hears by its own clock and rate, does with the voice what it is set to, and
    plays what comes from afar.

    It keeps what it heard, after its own processing, and what it gave back, twenty seconds of each.
    """

    by_its_clock = True
    listens = True
    gaps = 0
    delay_s = 0.0

    def __init__(self, kind: str, name: str, settings: ProgramSettings) -> None:
        self.kind = kind
        self.name = name
        self.picks: str | None = None
        self.settings = settings
        self._setup()

    def _setup(self) -> None:
        settings, rate = self.settings, self.settings.rate_hz
        self.rate_hz = rate
        # One that takes sound of one rate for another plays it at the wrong pitch.
        self.takes_hz = settings.takes_hz or rate
        self._heard, self._returned = (
            Ring(seconds=_KEPT_S, rate_hz=rate),
            Ring(seconds=_KEPT_S, rate_hz=rate),
        )
        self._late = _Late(round(settings.latency_ms / 1000.0 * rate))
        self._back = _Late(round(max(settings.latency_ms, 80.0) / 1000.0 * rate))
        self._fraction = {"hear": 0.0, "play": 0.0}
        self._steps: list[
            programs.NoiseRemoval | programs.AutoGain | programs.Activation | programs.NarrowBand
        ] = []
        if settings.noise_removal:
            self._steps.append(programs.NoiseRemoval(rate))
        if settings.auto_gain:
            self._steps.append(programs.AutoGain(rate))
        if settings.activation_dbfs is not None:
            self._steps.append(programs.Activation(settings.activation_dbfs, rate))
        if settings.narrow_band:
            self._steps.append(programs.NarrowBand(rate, settings.bits))
        self._echo = programs.EchoCancelling(rate) if settings.echo_cancelling else None
        far = _FAR.get(self.kind)
        self._far = (
            _FarSide(far, rate, settings.jitter_ms) if far is not None and settings.speaks else None
        )
        self._far_now = np.zeros(0)
        self._own_now = np.zeros(0)

    def set(self, settings: ProgramSettings) -> None:
        """Other settings; what was heard at another rate is gone."""
        if settings != self.settings:
            self.settings = settings
            self._setup()

    @property
    def probe(self) -> StandInProgram:
        """All that it hears can be known."""
        return self

    @property
    def returns(self) -> StandInProgram | None:
        """What it plays comes back."""
        return self

    def begin(self) -> None:
        """It hears always."""

    def end(self) -> None:
        """It hears always."""

    def close(self) -> None:
        """It goes on."""

    @property
    def gives_back(self) -> bool:
        """Whether anything comes back from it."""
        return self._far is not None or self.settings.hears_itself

    def wants(self, elapsed_s: float) -> int:
        """Samples that it takes in so much of our time, by its own clock."""
        return self._count("hear", elapsed_s, self.takes_hz)

    def _count(self, side: str, elapsed_s: float, rate_hz: int) -> int:
        wanted = elapsed_s * rate_hz * (1.0 + self.settings.drift_ppm * 1e-6) + self._fraction[side]
        whole = int(wanted + 1e-9)
        self._fraction[side] = wanted - whole
        return whole

    def hear(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples of what it picked, at the rate that it takes."""
        sound = np.ascontiguousarray(mono(block))
        settings = self.settings
        if settings.muted:
            sound = np.zeros(len(sound))
        if settings.upside_down:
            sound = -sound
        sound = self._late.through(sound)
        if self._echo is not None:
            sound = self._echo.process(sound, self._far_now)
        for step in self._steps:
            sound = step.process(sound)
        self._own_now = sound
        self._heard.push(sound)

    def play(self, elapsed_s: float) -> Samples:
        """The return from it in so much of our time, ``(n,)`` at its rate."""
        count = self._count("play", elapsed_s, self.rate_hz)
        out = self._far.take(count) if self._far is not None else np.zeros(count)
        self._far_now = out
        if self.settings.hears_itself:
            own = np.resize(self._own_now, count) if len(self._own_now) else np.zeros(count)
            out = out + self._back.through(own) * amplitude_from_db(_HEARD_BACK_DB)
        self._returned.push(out)
        return out

    @property
    def position(self) -> int:
        """Samples heard since the beginning."""
        return self._heard.position

    def heard_since(self, position: int) -> Samples:
        """What was heard from a position on, as far as it is kept."""
        return self._heard.since(position)

    def arrived_s(self, position: int) -> float | None:
        """Samples are counted here; nothing takes time."""
        return None

    @property
    def returned_position(self) -> int:
        """Samples given back since the beginning."""
        return self._returned.position

    def returned_since(self, position: int) -> Samples:
        """What was given back from a position on, as far as it is kept."""
        return self._returned.since(position)
