"""The ring of a room: decay time by octave, and how strong the ring is beside the direct sound.

After ISO 3382-1 and -2: an impulse response is integrated backwards, the decay from −5 to −25 dB
(T20) or −35 dB (T30) is fitted by a line and doubled or tripled to 60 dB; the floor must lie 10 dB
below the end of the range. A clap stands for the impulse; a sweep (Farina 2000) is folded back into
one. Without either, the falls of speech are looked at (``ring_of_speech``).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.room_modes import RoomMode, find_modes

OCTAVES_HZ = (250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
_DIRECT_S = 0.0025
_FLOOR_UNDER_DB = 10.0
_SMOOTH_S = 0.01
_CLAP_SHARE = 10.0 ** (-12.0 / 20.0)
_CLAPS_APART_S, _BEFORE_NEXT_S = 0.5, 0.05
_MIDDLE_HZ = (500.0, 2000.0)
_FROM_DB = -5.0
# Of seven talkers in 25 rooms and distances: what falls by less had never more than 3 dB of direct
# sound over the room; what is missed is mostly a room that is over in a third of a second.
_LIVE_FALL_DB, _LIVE_OVER_DB = 9.2, 3.3


@dataclass(frozen=True)
class OctaveDecay:
    """One octave: decay time to −60 dB in s, and which range it was fitted on."""

    centre_hz: float
    decay_s: float
    range: Literal["T20", "T30"]


@dataclass(frozen=True)
class Reverb:
    """Decay by octave, its mean from 500 Hz to 2 kHz, reverberant over direct power in dB (None
    where unknown), and how it was found; ``fall_db`` is by how much the fastest of speech falls in
    50 ms, where that was looked at; ``decay_error_s`` is the standard error of an estimate;
    ``modes`` are resonances that a clap or a sweep showed."""

    octaves: tuple[OctaveDecay, ...]
    decay_s: float | None
    ring_share_db: float | None
    method: Literal["clap", "sweep", "speech ends"]
    fall_db: float | None = None
    modes: tuple[RoomMode, ...] = ()
    decay_error_s: float | None = None

    @property
    def far_and_live(self) -> bool:
        """Whether the room is about as strong as the voice, or stronger, and lasts: speech cannot
        fall faster than the room lets it."""
        return (
            self.fall_db is not None
            and self.fall_db < _LIVE_FALL_DB
            and self.ring_share_db is not None
            and self.ring_share_db > -_LIVE_OVER_DB
        )


def ring_of_response(
    response: Samples, *, rate_hz: float, method: Literal["clap", "sweep"] = "clap"
) -> Reverb | None:
    """The ring from ``(n,)`` samples that hold an impulse, or several claps whose decays are
    averaged; None when no octave between 500 Hz and 2 kHz decays far enough over its floor."""
    tails = _tails(response, rate_hz)
    octaves = []
    for centre in OCTAVES_HZ:
        if centre * 1.5 > 0.5 * rate_hz:
            continue
        band = [centre / np.sqrt(2.0), min(centre * np.sqrt(2.0), 0.49 * rate_hz)]
        # Filtered backwards in time, so that the filter's own ringing is not taken for the room's
        # (ISO 3382-1, 5.3).
        sections = scipy.signal.butter(3, band, "bandpass", fs=rate_hz, output="sos")
        found = [
            _decay(np.asarray(scipy.signal.sosfilt(sections, tail[::-1])[::-1]), rate_hz)
            for tail in tails
        ]
        known = [entry for entry in found if entry is not None]
        if known:
            worst: Literal["T20", "T30"] = (
                "T20" if any(name == "T20" for _, name in known) else "T30"
            )
            octaves.append(
                OctaveDecay(centre, float(np.mean([seconds for seconds, _ in known])), worst)
            )
    middle = [o.decay_s for o in octaves if _MIDDLE_HZ[0] <= o.centre_hz <= _MIDDLE_HZ[1]]
    if not middle:
        return None
    share = power_db(float(np.mean([10.0 ** (_share(tail, rate_hz) / 10.0) for tail in tails])))
    modes = find_modes(max(tails, key=len), rate_hz=rate_hz)
    return Reverb(tuple(octaves), float(np.mean(middle)), share, method, modes=modes)


def _tails(response: Samples, rate_hz: float) -> list[Samples]:
    """From each clap to just before the next; claps are within 12 dB of the loudest and half a
    second apart."""
    frame = max(1, round(0.005 * rate_hz))
    peaks = np.abs(response[: len(response) // frame * frame]).reshape(-1, frame).max(axis=1)
    loud = np.flatnonzero(peaks > _CLAP_SHARE * peaks.max())
    starts = [int(loud[0])]
    for at in loud:
        if (at - starts[-1]) * frame > _CLAPS_APART_S * rate_hz:
            starts.append(int(at))
    edges = [max(0, start * frame - round(0.001 * rate_hz)) for start in starts] + [
        len(response) + round(_BEFORE_NEXT_S * rate_hz)
    ]
    tails = [
        response[a : b - round(_BEFORE_NEXT_S * rate_hz)] for a, b in itertools.pairwise(edges)
    ]
    return [tail for tail in tails if len(tail) > _CLAPS_APART_S * rate_hz] or [
        response[edges[0] :]
    ]


def _decay(band: Samples, rate_hz: float) -> tuple[float, Literal["T20", "T30"]] | None:
    energy = band**2
    frame = max(1, round(_SMOOTH_S * rate_hz))
    smooth = energy[: len(energy) // frame * frame].reshape(-1, frame).mean(axis=1)
    if len(smooth) < 20:
        return None
    floor = float(smooth[-max(2, len(smooth) // 10) :].mean())
    top = int(smooth.argmax())
    # The integration stops where the decay comes within 3 dB of the floor (ISO 3382-1, 5.3.3).
    under = np.flatnonzero(smooth[top:] < 2.0 * floor)
    end = (top + int(under[0]) if len(under) else len(smooth)) * frame
    room_db = power_db(float(smooth.max()) / max(floor, 1e-30))
    for lowest, name in ((-35.0, "T30"), (-25.0, "T20")):
        if room_db < -lowest + _FLOOR_UNDER_DB:
            continue
        tail = 0.0
        seconds = None
        # What lies beyond the end is added as the decay that was found would have it, then it is
        # fitted again.
        for _ in range(2):
            seconds = _slope(energy[:end], tail, lowest, rate_hz)
            if seconds is None:
                break
            tail = floor * seconds / (6.0 * np.log(10.0)) * rate_hz
        if seconds is not None:
            return seconds, name  # type: ignore[return-value]
    return None


def _slope(energy: Samples, tail: float, lowest_db: float, rate_hz: float) -> float | None:
    curve = np.cumsum(energy[::-1])[::-1] + tail
    if not len(curve) or curve[0] <= 0.0:
        return None
    level = power_db(curve / curve[0])
    inside = np.flatnonzero((level <= _FROM_DB) & (level >= lowest_db))
    if len(inside) < 8:
        return None
    slope = np.polyfit(inside / rate_hz, level[inside], 1)[0]
    return float(-60.0 / slope) if slope < 0.0 else None


def _share(tail: Samples, rate_hz: float) -> float:
    """Reverberant over direct power: what comes later than 2.5 ms after the first peak against
    what comes before."""
    peak = int(np.abs(tail).argmax())
    edge = peak + round(_DIRECT_S * rate_hz)
    floor = float(np.mean(tail[-len(tail) // 10 :] ** 2)) if len(tail) >= 10 else 0.0
    late = float(np.sum(tail[edge:] ** 2)) - floor * (len(tail) - edge)
    return power_db(max(late, 1e-20) / max(float(np.sum(tail[:edge] ** 2)), 1e-20))


def sweep_signal(
    *,
    rate_hz: float,
    seconds: float = 6.0,
    low_hz: float = 60.0,
    high_hz: float = 16_000.0,
    level: float = 0.5,
) -> Samples:
    """An exponential sine sweep, faded at both ends (Farina 2000).

    ``(n,)``, lasting ``seconds`` s, its amplitude ``level`` of full scale.
    """
    high_hz = min(high_hz, 0.45 * rate_hz)
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    growth = np.log(high_hz / low_hz)
    sweep = level * np.sin(
        2.0 * np.pi * low_hz * seconds / growth * (np.exp(t / seconds * growth) - 1.0)
    )
    fade = round(0.05 * rate_hz)
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    sweep[:fade] *= ramp
    sweep[-fade:] *= ramp[::-1]
    return np.asarray(sweep)


def response_from_sweep(heard: Samples, sweep: Samples, *, rate_hz: float) -> Samples:
    """The impulse response ``(n,)`` of what a sweep went through, by division of spectra;
    distortion falls before its peak and is cut."""
    size = 1 << int(np.ceil(np.log2(len(heard) + len(sweep))))
    reference = np.fft.rfft(sweep, size)
    power = np.abs(reference) ** 2
    response = np.fft.irfft(
        np.fft.rfft(heard, size) * np.conj(reference) / (power + 1e-4 * power.max()), size
    )
    start = int(np.abs(response).argmax())
    return np.asarray(np.roll(response, -start + round(0.002 * rate_hz))[: round(2.5 * rate_hz)])
