"""What moves, taken down by a mask that was learned: keys, knocks, pets, music, the street. 32 ms
of delay.

The recurrent mask (``recurrent_mask``) looks at what lies under 8 kHz; over that the gain follows
what it leaves of the bands right below, so that an s stays an s. Where little of what it takes
stands beside the voice, the voice passes as it came: what is taken is held against what stays, over
half a second, and the stage comes in over 4 dB and goes out within 50 ms. Behind a word the voice
is forgotten within 0.2 s.

Source: see ``recurrent_mask`` for the mask; practice for when it comes in.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
import numpy.typing as npt
import scipy

from obsidian_wren.core.chain.recurrent_mask import RecurrentMask, Single
from obsidian_wren.core.chain.short_time import ShortTime, Spectra
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_from_db, power_from_db
from obsidian_wren.core.kernel import kernel

DELAY_S = 0.032
# The frame of the mask at 16 kHz.
_MASK_FRAME = 512
# Over the mask the gain is that of the bands from here on.
_UPPER_HZ = 5_000.0
# What stays is forgotten sooner, or the room would come back in every pause.
_FOLLOW_S, _FALL_S, _OUT_S = 0.5, 0.2, 0.05


@kernel(
    "void(c16[:, ::1], f4[:, :, ::1], f8[::1], i8, f8, f8, f8, f8, f8, f8, f8)",
    fastmath=True,
    error_model="numpy",
)
def _take_down(
    spectra: Spectra,
    masks: Single,
    averages: Samples,
    upper: int,
    floor: float,
    quiet: float,
    under: float,
    follow: float,
    falls: float,
    fades: float,
    full: float,
) -> None:
    """``averages``: powers of what is taken and of what stays, followed; how far the stage is
    in. ``quiet`` and ``full`` are powers of a frame's bins: what is left alone, full scale."""
    frames, bins = spectra.shape
    whole = min(bins, masks.shape[2])
    for j in range(frames):
        frame, real, imaginary = spectra[j], masks[0, j], masks[1, j]
        taken, stays, was, left = 0.0, 0.0, 0.0, 0.0
        for k in range(2, whole):
            power = frame[k].real ** 2 + frame[k].imag ** 2
            size = min(real[k] ** 2 + imaginary[k] ** 2, 1.0)
            taken += power * ((1.0 - real[k]) ** 2 + imaginary[k] ** 2)
            stays += power * size
            if k >= upper:
                was += power
                left += power * size
        averages[0] += (max(taken - quiet, 0.0) - averages[0]) * follow
        averages[1] += (stays - averages[1]) * (follow if stays > averages[1] else falls)
        over = 10.0 * math.log10(
            (averages[0] + 1e-30 * full) / (averages[1] * under + quiet + 1e-24 * full)
        )
        averages[2] = max(min(max(over / 4.0, 0.0), 1.0), averages[2] - fades)
        share = averages[2]
        if share <= 0.0:
            continue
        above = max(math.sqrt(left / (was + 1e-24 * full)), floor)
        for k in range(whole):
            size = math.sqrt(real[k] ** 2 + imaginary[k] ** 2)
            up = floor / max(size, 1e-6) if size < floor else 1.0
            frame[k] *= (1.0 - share) + share * up * complex(real[k], imaginary[k])
        for k in range(whole, bins):
            frame[k] *= (1.0 - share) + share * above


class Learned:
    """Runs a :class:`LearnedSpec` at a rate."""

    kind = "learned"

    def __init__(self, spec: LearnedSpec, *, rate_hz: float) -> None:
        self.gain_db = None
        self._frames = ShortTime(rate_hz=rate_hz, delay_s=DELAY_S, short=True)
        self.delay_samples = self._frames.delay_samples
        self._mask = RecurrentMask()
        self._averages = np.zeros(3)
        length, hop_s = self._frames.length, self._frames.hop / rate_hz
        full = _full_scale(self._frames)
        self._scale = _MASK_FRAME / length
        self._settings = (
            round(_UPPER_HZ * length / rate_hz),
            amplitude_from_db(-spec.range_db),
            full * power_from_db(spec.quiet_dbfs),
            power_from_db(-spec.under_voice_db),
            *_shares(hop_s),
            hop_s / _OUT_S,
            full,
        )

    @property
    def state(self) -> tuple[npt.NDArray[Any], ...]:
        """Frames under way, what the mask remembers, and the powers that decide.

        ``(n,)``, ``(blocks, frames, channels, bands)``, ``(blocks, n)``, ``(paths, channels,
        bands)`` and ``(3,)``.
        """
        return (*self._frames.state, *self._mask.state, self._averages)

    def process(self, block: Samples) -> Samples:
        """Take down what moves in ``(n,)`` samples; the output lags by ``delay_samples``."""
        return self._frames.process(block, self._weigh)

    def _weigh(self, spectra: Spectra) -> None:
        masks = self._mask.masks(spectra, scale=self._scale)
        _take_down(spectra, masks, self._averages, *self._settings)


@dataclass(frozen=True)
class LearnedSpec(Numbers):
    """Lowered by ``range_db`` at most; what it takes counts from ``quiet_dbfs`` on, and where it
    stands no further under the voice than ``under_voice_db``."""

    kind: ClassVar[str] = "learned"
    range_db: float
    quiet_dbfs: float
    under_voice_db: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Learned:
        """The stage at a rate."""
        return Learned(self, rate_hz=rate_hz)


def _full_scale(frames: ShortTime) -> float:
    """A sine of full scale, in the powers of a frame's bins together."""
    return frames.length * float(frames.window @ frames.window) / 4.0


def _shares(step_s: float) -> tuple[float, float]:
    """How much of a step in what is taken, and of a fall in what stays, is followed at once."""
    return 1.0 - math.exp(-step_s / _FOLLOW_S), 1.0 - math.exp(-step_s / _FALL_S)


def followed(taken: Samples, kept: Samples, *, step_s: float) -> tuple[Samples, Samples]:
    """Powers ``(frames,)`` of what is taken and of what stays, as they are followed for when the
    stage comes in."""
    follow, falls = _shares(step_s)
    stays, level = np.empty(len(kept)), 0.0
    for at, power in enumerate(kept):
        level += (power - level) * (follow if power > level else falls)
        stays[at] = level
    return np.asarray(scipy.signal.lfilter([follow], [1.0, follow - 1.0], taken)), stays


def taken_and_kept(samples: Samples, *, rate_hz: float) -> tuple[Samples, Samples, float]:
    """What the mask would take of ``(n,)`` samples and what it would keep, mean squares of each
    frame on the scale of AES17 ``(frames,)``, and the seconds from frame to frame."""
    frames = ShortTime(rate_hz=rate_hz, delay_s=DELAY_S, short=True)
    mask, scale = RecurrentMask(), _MASK_FRAME / frames.length
    full = _full_scale(frames)
    taken, kept = [np.empty(0)], [np.empty(0)]

    def look(spectra: Spectra) -> None:
        masks = mask.masks(spectra, scale=scale)[..., 2 : spectra.shape[1]]
        power = np.abs(spectra[:, 2 : 2 + masks.shape[2]]) ** 2 / full
        taken.append(np.sum(power * ((1.0 - masks[0]) ** 2 + masks[1] ** 2), axis=1))
        kept.append(np.sum(power * np.minimum(masks[0] ** 2 + masks[1] ** 2, 1.0), axis=1))

    frames.process(samples, look)
    return np.concatenate(taken), np.concatenate(kept), frames.hop / rate_hz
