"""What a mix will sound like: its loudness and peaks, from the sounds that go into it.

Source: ITU-R BS.1770-4 for loudness and true peak.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.chain.limiters import Limiters
from obsidian_wren.core.decibels import Samples, amplitude_from_db, power_from_db
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import hop_energies, integrated_lufs, lufs_of_hops
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked
from obsidian_wren.core.mix.engine import OVER, RELEASE_S, MixSend
from obsidian_wren.core.mix.plan import MixPlan

_NEAR_LU = 0.1
_SURELY_UNDER_DB = 0.3
# Depths of ducking that are asked for one after another; each takes as much as a sound.
_DEPTHS_HELD = 2


@dataclass(frozen=True)
class Outcome:
    """What a listener would hear of some material: loudness in LUFS, true peak in dBTP, and by
    how many LU the voice stands over the rest while it speaks (None without a rest)."""

    lufs: float | None
    true_peak_dbtp: float
    voice_over_lu: float | None


class Prediction:
    """Material to foresee mixes with: takes and samples of every signal, ``(n,)`` or ``(n, 2)``
    each. What all mixes share is worked out once; signals that the material lacks count as
    silent."""

    def __init__(
        self, material: Mapping[str, Samples], *, ducking: Ducking, rate_hz: float
    ) -> None:
        self._rate_hz = rate_hz
        count = max((len(block) for block in material.values()), default=0)
        voice = np.zeros(count)
        spoken = [mono(material[name]) for name in OVER if name in material]
        for one in spoken:
            voice[: len(one)] += one
        shares = Ducker(ducking, rate_hz=rate_hz).shares(voice)
        self._whole = _Beside(material, shares)
        # What the voice stands over is measured where it speaks.
        self._spoken = _Beside(material, shares, _speaking(voice, rate_hz)) if spoken else None

    def outcome(self, plan: MixPlan) -> Outcome:
        """What comes out of a mix of the material."""
        return self._outcome(
            plan, *_Sum.of(self._whole, plan, self._rate_hz).after(0.0, plan.ceiling_dbtp)
        )

    def _outcome(self, plan: MixPlan, lufs: float, peak: float) -> Outcome:
        return Outcome(lufs if np.isfinite(lufs) else None, peak, self.voice_over(plan))

    def landed(self, plan: MixPlan) -> tuple[float, Outcome]:
        """The dB on the whole that bring a mix to its loudness, and what comes out then.

        The limiter bends the way, so it is gone in steps.
        """
        mixed = _Sum.of(self._whole, plan, self._rate_hz)
        trim = 0.0
        lufs, peak = mixed.after(trim, plan.ceiling_dbtp)
        for _ in range(4):
            if not np.isfinite(lufs) or abs(plan.aim_lufs - lufs) < _NEAR_LU:
                break
            trim += plan.aim_lufs - lufs
            lufs, peak = mixed.after(trim, plan.ceiling_dbtp)
        return trim, self._outcome(plan, lufs, peak)

    def voice_over(self, plan: MixPlan) -> float | None:
        """By how many LU the voice stands, while it speaks, over all that drops under it; None
        without either."""
        sends = plan.mix().sends
        voice = [send for send in sends if send.signal in OVER]
        bed = [send for send in sends if send.signal not in OVER and send.duck_db > 0.0]
        if not voice or not bed or self._spoken is None:
            return None
        over, under = (
            integrated_lufs(self._spoken.sum(part, plan.channels).T, rate_hz=self._rate_hz)
            for part in (voice, bed)
        )
        return over - under if np.isfinite([over, under]).all() else None


def _speaking(voice: Samples, rate_hz: float) -> npt.NDArray[np.bool_]:
    """Which of ``(n,)`` samples lie in frames that are louder than 15 dB under their mean."""
    frames = round(0.05 * rate_hz)
    count = len(voice) // frames
    energy = (voice[: count * frames] ** 2).reshape(count, frames).mean(axis=1)
    chosen = np.zeros(len(voice), dtype=bool)
    chosen[: count * frames] = (
        np.repeat(energy > 10.0 ** (-1.5) * energy.mean(), frames) if count else False
    )
    return chosen


class _Beside:
    """Signals beside each other, ``(channels, n)`` each in single precision, since they are held,
    and how far what drops under the voice is down at each sample; all of it, or what is chosen."""

    def __init__(
        self,
        material: Mapping[str, Samples],
        shares: Samples,
        chosen: npt.NDArray[np.bool_] | None = None,
    ) -> None:
        self._shares = shares if chosen is None else shares[chosen]
        self._sounds: dict[str, npt.NDArray[np.float32]] = {}
        for name, block in material.items():
            wide = np.atleast_2d(block.T)
            self._sounds[name] = np.ascontiguousarray(
                wide if chosen is None else wide[:, chosen[: wide.shape[1]]], np.float32
            )
        self._gains: dict[float, Samples] = {}

    def sum(self, sends: Sequence[MixSend], channels: int) -> Samples:
        """The sum ``(channels, n)``."""
        total = np.zeros((channels, len(self._shares)))
        for send in sends:
            if send.signal not in self._sounds:
                continue
            sound = self._sounds[send.signal]
            if len(sound) > channels:
                sound = sound.mean(axis=0, keepdims=True)
            count = sound.shape[1]
            gain = amplitude_from_db(send.gain_db)
            total[:, :count] += sound * (
                gain * self._gain(send.duck_db)[:count] if send.duck_db else gain
            )
        return total

    def _gain(self, depth_db: float) -> Samples:
        if depth_db not in self._gains:
            if len(self._gains) == _DEPTHS_HELD:
                del self._gains[next(iter(self._gains))]
            self._gains[depth_db] = ducked(self._shares, depth_db)
        return self._gains[depth_db]


@dataclass(frozen=True)
class _Sum:
    """A mix before its limiter:

    ``(channels, n)``, its true peak in dBTP and the K-weighted energy of its hops.
    """

    samples: Samples
    peak_dbtp: float
    energies: Samples
    rate_hz: float

    @classmethod
    def of(cls, signals: _Beside, plan: MixPlan, rate_hz: float) -> _Sum:
        samples = signals.sum(plan.mix().sends, plan.channels)
        peak = max((true_peak_dbtp(channel) for channel in samples), default=-np.inf)
        return cls(samples, peak, hop_energies(samples.T, rate_hz=rate_hz), rate_hz)

    def after(self, trim_db: float, ceiling_dbtp: float) -> tuple[float, float]:
        """Loudness in LUFS and true peak in dBTP behind a trim and a limiter."""
        if self.peak_dbtp + trim_db < ceiling_dbtp - _SURELY_UNDER_DB:
            # The limiter only delays this.
            return lufs_of_hops(self.energies * power_from_db(trim_db)), self.peak_dbtp + trim_db
        limiters = Limiters(
            channels=[len(self.samples)],
            ceilings_dbtp=[ceiling_dbtp],
            release_s=RELEASE_S,
            rate_hz=self.rate_hz,
        )
        heard = limiters.process(self.samples[None] * amplitude_from_db(trim_db))[0]
        return integrated_lufs(heard, rate_hz=self.rate_hz), max(
            true_peak_dbtp(np.ascontiguousarray(channel)) for channel in heard.T
        )
