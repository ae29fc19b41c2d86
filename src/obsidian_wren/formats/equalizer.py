"""The equalizer for other programs: biquad coefficients as CSV, or a minimum-phase impulse response
as WAV.

Bells and shelves of the cookbook are minimum-phase themselves, so their own answer to one impulse
is the minimum-phase response.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

import numpy as np
import soundfile

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand, band_section

_COLUMNS = ("shape", "frequency_hz", "gain_db", "q", "rate_hz", "b0", "b1", "b2", "a0", "a1", "a2")
_LENGTH_S = 0.35


def biquads_csv(bands: Sequence[EqualizerBand], *, rate_hz: int) -> str:
    """One row a band: what it is, then its second-order section at a rate, a0 being 1."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(_COLUMNS)
    for band in bands:
        section = band_section(band, rate_hz=rate_hz)
        rows.writerow(
            [
                band.shape,
                band.frequency_hz,
                band.gain_db,
                band.q,
                rate_hz,
                *(repr(float(v)) for v in section),
            ]
        )
    return out.getvalue()


def impulse_wav(bands: Sequence[EqualizerBand], *, rate_hz: int) -> bytes:
    """A WAV of 32-bit floats, one channel, whose first sample is the impulse's."""
    impulse = np.zeros(1 << int(np.ceil(np.log2(_LENGTH_S * rate_hz))))
    impulse[0] = 1.0
    answer = EqualizerSpec(tuple(bands)).build(rate_hz=rate_hz).process(impulse)
    out = io.BytesIO()
    soundfile.write(out, answer, rate_hz, format="WAV", subtype="FLOAT")
    return out.getvalue()
