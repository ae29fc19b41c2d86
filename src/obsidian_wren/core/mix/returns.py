"""The return from a listener, treated before it reaches an ear or a recording: loudness,
hum, harshness, and a limiter that saves ears.

Source: ITU-R BS.1770-4 for loudness; Byrne and others (1994) for average speech.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.tone_target import by_pitch
from obsidian_wren.core.measure.hum import Hum
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.mix.hum_cuts import hum_cuts, steady_hum, told
from obsidian_wren.core.mix.return_plan import (
    RETURN_CEILING_DBTP,
    RETURN_LUFS,
    SAFE,
    ReturnPlan,
    ReturnReading,
)
from obsidian_wren.core.wording import _

LEAST_S = 6.0
_MOST_GAIN_DB = 18.0
_NEAR_LU = 0.1
_HARSH_HZ, _HARSH_Q = (2000.0, 5000.0), 0.9
_HARSH_FROM_DB, _MOST_HARSH_DB = 2.0, 6.0
_HIGHPASS_HZ = 80.0
_BODY_FROM_HZ = 300.0


def read_return(samples: Samples, *, rate_hz: float) -> ReturnReading:
    """Measure ``(n,)`` samples of the return."""
    return _reading(samples, steady_hum(samples, rate_hz=rate_hz), rate_hz)


def _reading(samples: Samples, hum: Hum | None, rate_hz: float) -> ReturnReading:
    lufs = integrated_lufs(samples, rate_hz=rate_hz)
    level = hum.level_dbfs if hum is not None else None
    return ReturnReading(
        lufs if np.isfinite(lufs) else None,
        true_peak_dbtp(samples),
        level,
        _harshness(samples, rate_hz),
    )


def _harshness(samples: Samples, rate_hz: float) -> float | None:
    reading = read_talk(samples, rate_hz=rate_hz)
    if reading.pitch_hz is None:
        return None
    apart = reading.voice.points_db() - by_pitch(reading.pitch_hz).levels_db
    known = POINT_HZ < 0.9 * reading.voice.top_hz
    body = (POINT_HZ >= _BODY_FROM_HZ) & (POINT_HZ < _HARSH_HZ[0]) & known
    harsh = (POINT_HZ >= _HARSH_HZ[0]) & (POINT_HZ <= _HARSH_HZ[1]) & known
    return float(np.mean(apart[harsh]) - np.mean(apart[body])) if harsh.any() else None


def derive_return(
    samples: Samples, *, rate_hz: float, aim_lufs: float = RETURN_LUFS
) -> ReturnPlan | None:
    """The stages for ``(n,)`` samples that came back; None while less than six seconds, or
    nothing but silence, came."""
    if len(samples) < LEAST_S * rate_hz:
        return None
    hum = steady_hum(samples, rate_hz=rate_hz)
    before = _reading(samples, hum, rate_hz)
    if before.lufs is None:
        return None
    specs: list[StageSpec] = [HighpassSpec(_HIGHPASS_HZ, 2)]
    because = [
        _(
            "A high-pass at {highpass_hz:.0f} Hz removes what is under any voice.",
            highpass_hz=_HIGHPASS_HZ,
        )
    ]
    bands: list[EqualizerBand] = []
    if hum is not None and (cuts := hum_cuts(hum)):
        bands += cuts
        because.append(told(hum, cuts))
    if before.harsh_db is not None and before.harsh_db > _HARSH_FROM_DB:
        cut = min(before.harsh_db - _HARSH_FROM_DB / 2.0, _MOST_HARSH_DB)
        bands.append(
            EqualizerBand("peak", float(np.sqrt(_HARSH_HZ[0] * _HARSH_HZ[1])), -cut, _HARSH_Q)
        )
        because.append(
            _(
                "2 to 5 kHz are {harsh_db:.0f} dB over average speech: a broad cut of {cut:.0f}"
                " dB.",
                harsh_db=before.harsh_db,
                cut=cut,
            )
        )
    if bands:
        specs.append(EqualizerSpec(tuple(bands)))
    toned = render(specs, samples, rate_hz=int(rate_hz))
    gain = _gain_to(toned, aim_lufs, rate_hz)
    word = _("up") if gain > 0 else _("down")
    because.append(
        _(
            "It is at {lufs:.1f} LUFS: {gain:.1f} dB {word}, to {aim_lufs:.0f}.",
            lufs=before.lufs,
            gain=abs(gain),
            word=word,
            aim_lufs=aim_lufs,
        )
    )
    because.append(
        _(
            "A limiter keeps every peak under {return_ceiling_dbtp:.0f} dBTP.",
            return_ceiling_dbtp=RETURN_CEILING_DBTP,
        )
    )
    specs += [GainSpec(round(gain, 2)), *SAFE]
    after = read_return(render(specs, samples, rate_hz=int(rate_hz)), rate_hz=rate_hz)
    return ReturnPlan(tuple(specs), before, after, tuple(because))


def _gain_to(samples: Samples, aim_lufs: float, rate_hz: float) -> float:
    """The gain after which the limited sound has the loudness that is aimed at, dB; the limiter
    takes some of it back."""
    gain = 0.0
    for _try in range(8):
        here = integrated_lufs(
            render((GainSpec(gain), *SAFE), samples, rate_hz=int(rate_hz)), rate_hz=rate_hz
        )
        if not np.isfinite(here) or abs(aim_lufs - here) < _NEAR_LU:
            break
        gain = float(np.clip(gain + aim_lufs - here, -_MOST_GAIN_DB, _MOST_GAIN_DB))
    return gain
