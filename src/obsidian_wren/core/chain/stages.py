"""The linear stages: high-pass, equalizer, gain. The limiter has a module of its own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand, band_section, highpass_sections, run_sections
from obsidian_wren.core.decibels import Samples, amplitude_from_db


class Stage(Protocol):
    """One processor: state inside, block in, block out, any block size the same output."""

    kind: str
    delay_samples: int

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        ...


class Sections:
    """Second-order sections in series, with their state."""

    delay_samples = 0

    def __init__(self, kind: str, sections: Samples) -> None:
        self.kind = kind
        self.sections = sections
        self._state = np.zeros((len(sections), 2))

    def process(self, block: Samples) -> Samples:
        """Filter ``(n,)`` samples."""
        out = np.empty_like(block)
        run_sections(self.sections, self._state, block, 1.0, out)
        return out


class Gain:
    """A plain gain in dB."""

    kind = "gain"
    delay_samples = 0

    def __init__(self, *, gain_db: float) -> None:
        self._factor = amplitude_from_db(gain_db)

    def process(self, block: Samples) -> Samples:
        """Scale ``(n,)`` samples."""
        return np.asarray(block * self._factor)


def highpass(*, frequency_hz: float, order: int, rate_hz: float) -> Sections:
    """Butterworth high-pass stage."""
    return Sections("highpass", highpass_sections(frequency_hz, order=order, rate_hz=rate_hz))


def equalizer(bands: Sequence[EqualizerBand], *, rate_hz: float) -> Sections:
    """Equalizer stage of bells and shelves; no bands pass the sound unchanged."""
    rows = [band_section(band, rate_hz=rate_hz) for band in bands]
    return Sections("equalizer", np.array(rows) if rows else np.zeros((0, 6)))
