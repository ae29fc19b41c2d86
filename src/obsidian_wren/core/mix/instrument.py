"""The chain of a second microphone or an instrument: what lies under its lowest note goes, hum is
cut, its peaks are held.

An instrument is not steadied like a voice, and how loud it is heard belongs to each mix.

Source: practice: an instrument keeps its dynamics.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.spectrum import OCTAVE_RATIO, power_spectrum, third_octaves
from obsidian_wren.core.mix.hum_cuts import hum_cuts, steady_hum, told
from obsidian_wren.core.wording import _

LEAST_S = 6.0
CEILING_DBTP = -3.0
_USUAL_HZ = 40.0
_HIGHPASS_HZ = (20.0, 150.0)
_FRAME_S = 0.34
# A band carries the instrument where it comes and goes by so much, and stands no further under the
# strongest.
_COMES_AND_GOES_DB, _UNDER_STRONGEST_DB = 10.0, 25.0
# A band so far under its upper neighbour, or twice as far under the next, holds no more than the
# skirt of a note there.
_SKIRT_DB = 9.0
# Notes have neighbours within an octave; what lies further below, such as knocks of a table, is not
# played.
_GAP_BANDS = 3


@dataclass(frozen=True)
class InstrumentPlan:
    """The stages, the lowest third octave that is played in Hz (None where nothing tells it),
    and a sentence for each thing that is done."""

    specs: tuple[StageSpec, ...]
    lowest_hz: float | None
    because: tuple[str, ...]


def derive_instrument(samples: Samples, *, rate_hz: float) -> InstrumentPlan:
    """The stages for ``(n,)`` samples of someone playing; the usual ones where they last less
    than six seconds."""
    long_enough = len(samples) >= LEAST_S * rate_hz
    lowest = _lowest_played_hz(samples, rate_hz) if long_enough else None
    hum = steady_hum(samples, rate_hz=rate_hz) if long_enough else None
    if lowest is None:
        corner, why = _USUAL_HZ, _("Its lowest note cannot be told from what is played.")
    else:
        corner = float(np.clip(lowest * OCTAVE_RATIO**-0.5, *_HIGHPASS_HZ))
        why = _("Its lowest notes lie near {lowest:.0f} Hz.", lowest=lowest)
    specs: list[StageSpec] = [HighpassSpec(round(corner, 1), 2)]
    because = [
        _(
            "{why} A high-pass at {corner:.0f} Hz removes what is under them.",
            why=why,
            corner=corner,
        )
    ]
    if hum is not None and (cuts := hum_cuts(hum)):
        specs.append(EqualizerSpec(cuts))
        because.append(told(hum, cuts))
    specs.append(LimiterSpec(CEILING_DBTP, 100.0))
    because.append(
        _("A limiter keeps every peak under {ceiling_dbtp:.0f} dBTP.", ceiling_dbtp=CEILING_DBTP)
    )
    return InstrumentPlan(tuple(specs), lowest, tuple(because))


def _lowest_played_hz(samples: Samples, rate_hz: float) -> float | None:
    """The middle of the lowest third octave that comes and goes with what is played."""
    count = round(_FRAME_S * rate_hz)
    spectra = [
        power_spectrum(frame, rate_hz=rate_hz, frame_s=_FRAME_S)
        for frame in samples[: len(samples) // count * count].reshape(-1, count)
    ]
    bands = [third_octaves(spectrum) for spectrum in spectra]
    levels = np.maximum([[band.level_dbfs for band in row] for row in bands], power_db(1e-20))
    resting, played = np.percentile(levels, [10, 90], axis=0)
    carries = (played - resting >= _COMES_AND_GOES_DB) & (
        played >= played.max() - _UNDER_STRONGEST_DB
    )
    slope = _SKIRT_DB * np.arange(len(played))
    skirts = np.maximum.accumulate((played - slope)[::-1])[::-1] + slope
    carries &= played >= skirts - 1e-9
    strongest = lowest = int(played.argmax())
    if not carries[strongest]:
        return None
    for place in range(strongest, -1, -1):
        if carries[place]:
            lowest = place
        elif lowest - place > _GAP_BANDS:
            break
    return bands[0][lowest].centre_hz
