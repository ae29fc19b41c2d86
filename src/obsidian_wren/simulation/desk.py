"""Two simulated people at one desk: each talks into a rig of their own, and is heard in the other's
through the room. They take turns."""

from __future__ import annotations

from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.simulation.world import LiveRig, SimulatedRig

Who = Literal["voice", "person", "both"]
# How loud each is in the other's microphone, against their own there, and what the room adds.
_SPILL_DB, _DECAY_S, _ROOM_SHARE = -14.0, 0.3, 0.02
_WAY_S = 0.003
_TURN_S, _FADE_S = 5.0, 0.02


class Desk:
    """Two rigs by one clock. ``who``: who of them talks; both do it in turns of five seconds."""

    def __init__(self, first: SimulatedRig, second: SimulatedRig) -> None:
        rigs = first, second
        self.who: Who = "both"
        self.rate_hz = rigs[0].rate_hz
        self._talks = [_at_rate(rig, self.rate_hz) for rig in rigs]
        # Volts at one preamp are others at the other: what reaches the converter is compared.
        gains_db = [rig.before_converter_db(rig.controls) for rig in rigs]
        self._reaches = [
            _through_room(talk, seed, self.rate_hz) * 10.0 ** ((_SPILL_DB + gain - other) / 20.0)
            for seed, (talk, gain, other) in enumerate(
                zip(self._talks, gains_db, gains_db[::-1], strict=True)
            )
        ]
        self.streams = _Side(first, self, 0), _Side(second, self, 1)

    def heard(self, place: int, at: int, count: int, shares: Samples) -> Samples:
        """What is said ``(count,)`` in one microphone from a sample on; ``shares`` ``(2, count)``
        of who talks."""
        own, other = self._talks[place], self._reaches[1 - place]
        where = np.arange(at, at + count)
        return np.asarray(
            shares[place] * np.take(own, where, mode="wrap")
            + shares[1 - place] * np.take(other, where, mode="wrap")
        )

    def talks(self, place: int, at: int) -> bool:
        """Whether it is one's turn at a sample."""
        if self.who != "both":
            return place == ("voice", "person").index(self.who)
        return place == int(at / (_TURN_S * self.rate_hz)) % 2


class _Side(LiveRig):
    """One of the two: the room at rest, and what is said at the desk."""

    def __init__(self, rig: SimulatedRig, desk: Desk, place: int) -> None:
        super().__init__(rig, "rest")
        self._desk, self._place, self._done = desk, place, 0
        self.rate_hz = desk.rate_hz
        self._shares = np.zeros(2)

    def volts(self, count: int) -> Samples:
        """The next ``(count,)`` samples of the voltage at the preamp's input."""
        moved = np.arange(1, count + 1) / (_FADE_S * self.rate_hz)
        shares = np.empty((2, count))
        for place, share in enumerate(self._shares):
            way = moved if self._desk.talks(place, self._done) else -moved
            shares[place] = np.clip(share + way, 0.0, 1.0)
        self._shares = shares[:, -1]
        said = self._desk.heard(self._place, self._done, count, shares)
        self._done += count
        return super().volts(count) + said


def _at_rate(rig: SimulatedRig, rate_hz: int) -> Samples:
    """A loop of somebody's talk, volts at their preamp's input, at another rate."""
    live = LiveRig(rig, "talk")
    loop = live.volts(live.loop_samples)
    if rig.rate_hz == rate_hz:
        return loop
    count = round(len(loop) * rate_hz / rig.rate_hz)
    return np.asarray(scipy.signal.resample(loop, count))


def _through_room(loop: Samples, seed: int, rate_hz: int) -> Samples:
    """A loop at the other microphone: a first wave, and a room that falls by 60 dB."""
    rng = np.random.default_rng([seed, 61])
    at_s = np.arange(round(_DECAY_S * rate_hz)) / rate_hz
    way = _ROOM_SHARE * rng.standard_normal(len(at_s)) * 10.0 ** (-3.0 * at_s / _DECAY_S)
    way[0] = 1.0
    way /= np.sqrt(np.sum(way**2))
    late = np.concatenate([np.zeros(round(_WAY_S * rate_hz)), way])
    # Round and round, as the loop goes.
    size = len(loop)
    return np.asarray(np.fft.irfft(np.fft.rfft(loop) * np.fft.rfft(late, size), size))
