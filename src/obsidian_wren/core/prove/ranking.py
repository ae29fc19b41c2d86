"""Which of two microphones serves listeners better here, and what decides it.

Only what listeners hear counts: noise from where it is no longer quiet behind the voice, the room,
bursts of breath and sibilants from where they stand out, clipping. Tone does not count, since the
equalizer corrects either.

Source: the aims of this program for a treated voice: −18 LUFS over −60 dBFS(A); practice for what
stands out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.prove.microphone import PolarMicrophone
from obsidian_wren.core.prove.relative import Relative

Code = Literal["noise", "hiss", "room", "plosives", "sibilance", "clipping", "tone", "low_end"]
Better = Literal["first", "second"]
# So far under the voice noise is quiet; breath and sibilants beside it do not stand out.
_QUIET_DB, _BREATH_DB, _SIBILANT_DB = -42.0, -12.0, 3.0
_CLIPPING_DB, _HALF = 6.0, 0.5
_DECIDES_DB = 1.5
# Less than that differs from one take to the next.
_LEAST = {"noise": 1.0, "hiss": 2.0, "room": 0.9, "plosives": 2.0, "sibilance": 1.0}
_LOW_HZ, _TONE_DB = 210.0, 1.5
_SURE_DB = 1.5


@dataclass(frozen=True)
class Difference:
    """One thing in which both differ: what each has, in ``unit``, and ``weighs_db``, how many dB
    of what listeners hear it is worth (over 0: the second is better). ``hz``: where, of a tone;
    ``under_db``: how far the stronger hiss lies under all of its microphone's noise."""

    code: Code
    first: float | None
    second: float | None
    unit: str
    weighs_db: float
    hz: float | None = None
    under_db: float | None = None


@dataclass(frozen=True)
class Ranking:
    """The better one, None where nothing decides; the differences, what decides first."""

    better: Better | None
    differences: tuple[Difference, ...]


def rank(first: PolarMicrophone, second: PolarMicrophone, relative: Relative) -> Ranking:
    """Weigh two microphones, dB."""
    found = [
        _counted("noise", first.noise_db, second.noise_db, quiet=_QUIET_DB, weight=1.0),
        _counted("room", first.late_db, second.late_db, quiet=-np.inf, weight=1.0),
        _counted("plosives", first.plosives_db, second.plosives_db, quiet=_BREATH_DB, weight=_HALF),
        _counted(
            "sibilance", first.sibilance_db, second.sibilance_db, quiet=_SIBILANT_DB, weight=_HALF
        ),
        _hiss(first, second),
    ]
    clipped = [min(one.flat_tops, 1) * _CLIPPING_DB for one in (first, second)]
    if any(clipped):
        found.append(
            Difference(
                "clipping", first.flat_tops, second.flat_tops, "places", clipped[0] - clipped[1]
            )
        )
    differences = [one for one in found if one is not None] + _tones(relative)
    differences.sort(key=lambda one: -abs(one.weighs_db))
    total = sum(one.weighs_db for one in differences)
    better: Better | None = None
    if abs(total) >= _DECIDES_DB:
        better = "second" if total > 0.0 else "first"
    return Ranking(better, tuple(differences))


def _counted(
    code: Code, first: float | None, second: float | None, *, quiet: float, weight: float
) -> Difference | None:
    """What stands over where it is quiet counts; None of what neither has, or both alike."""
    if first is None and second is None:
        return None
    if first is None or second is None:
        # One had none in the same sentence: it stands where it does not count.
        if not np.isfinite(quiet):
            return None
        there = quiet if first is None else first
        here = quiet if second is None else second
    else:
        there, here = first, second
    if abs(there - here) < _LEAST[code]:
        return None
    weighs = (max(there, quiet) - max(here, quiet)) * weight
    return Difference(code, first, second, "dB", weighs)


def _hiss(first: PolarMicrophone, second: PolarMicrophone) -> Difference | None:
    """Hiss counts as a part of the noise only; alone it is told, not weighed."""
    if abs(first.hiss_db - second.hiss_db) < _LEAST["hiss"]:
        return None
    stronger = max((first, second), key=lambda one: one.hiss_db)
    return Difference(
        "hiss",
        first.hiss_db,
        second.hiss_db,
        "dB",
        0.0,
        under_db=stronger.noise_db - stronger.hiss_db,
    )


def _tones(relative: Relative) -> list[Difference]:
    """Where the second differs most in tone, and how much more low end it has."""
    sure = relative.error_db < _SURE_DB
    found = []
    low = sure & (relative.hz < _LOW_HZ)
    if low.any():
        more = float(np.mean(relative.db[low]))
        if abs(more) >= _TONE_DB:
            found.append(Difference("low_end", None, more, "dB", 0.0, float(relative.hz[low][0])))
    over = sure & (relative.hz >= _LOW_HZ)
    if over.any():
        k = int(np.argmax(np.where(over, np.abs(relative.db), -1.0)))
        if abs(relative.db[k]) >= _TONE_DB:
            found.append(
                Difference("tone", None, float(relative.db[k]), "dB", 0.0, float(relative.hz[k]))
            )
    return found
