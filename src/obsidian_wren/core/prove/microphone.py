"""What one microphone makes of a voice and a room, at equal voice level, so that two can be
weighed against each other.

Source: levels by AES17, active level by ITU-T P.56, loudness of sibilants by ITU-R BS.1770-5.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.plosives import find_plosives
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.measure.sibilants import find_sibilants
from obsidian_wren.core.measure.weighting import a_weighting_db
from obsidian_wren.core.prove.sounding import Sounding, heard_for_checks

# Where a microphone's own noise stands over a room's.
_HISS_FROM_HZ = 5000.0


@dataclass(frozen=True)
class PolarMicrophone:
    """One microphone before a voice, dB.

    ``noise_db``: the noise floor, A-weighted, against the voice (−42: 42 dB under it); ``hiss_db``
    the same from 5 kHz on; ``late_db``: how far speech falls within a tenth of a second (higher:
    more of the room); ``plosives_db``: bursts of breath over the voice, ``sibilance_db``: sibilants
    over the voice beside them, None where there were none; ``spare_db``: from normal peaks to full
    scale, or to where it clips. ``flat_tops``: clipped places.
    """

    sounding: Sounding
    noise_db: float
    hiss_db: float
    late_db: float | None
    plosives_db: float | None
    sibilance_db: float | None
    spare_db: float
    flat_tops: int


def heard_through(quiet: Samples, talk: Samples, reading: TalkReading) -> PolarMicrophone:
    """A microphone by a room ``(n,)`` and a talk ``(m,)`` at the talk's rate, with the reading of
    the talk; levels in dB."""
    sounding = heard_for_checks(quiet, talk, reading)
    plosives = find_plosives(talk, rate_hz=reading.rate_hz)
    sibilants = find_sibilants(talk, rate_hz=reading.rate_hz)
    top = 0.0 if sounding.flat_level_dbfs is None else sounding.flat_level_dbfs
    return PolarMicrophone(
        sounding=sounding,
        noise_db=sounding.floor_dbfs_a - sounding.active_level_dbfs,
        hiss_db=_hiss_dbfs_a(sounding) - sounding.active_level_dbfs,
        late_db=sounding.late_db,
        plosives_db=float(np.median([one.level_dbfs for one in plosives]))
        - sounding.active_level_dbfs
        if plosives
        else None,
        sibilance_db=float(np.median([one.over_neighbours_db for one in sibilants]))
        if sibilants
        else None,
        spare_db=top - sounding.peaks_dbfs,
        flat_tops=sounding.flat_tops,
    )


def _hiss_dbfs_a(sounding: Sounding) -> float:
    hz = sounding.noise_hz
    high = hz >= _HISS_FROM_HZ
    if not high.any():
        return -160.0
    weighted = sounding.noise_db[high] + a_weighting_db(hz[high])
    return float(power_db(float(np.sum(10.0 ** (weighted / 10.0)))))
