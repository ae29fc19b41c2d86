"""How long a take of each purpose lasts, and when talk is known well enough to end by itself.

Source: practice: rooms until slow noises came by, talk until level and peaks are known to half a
decibel (see ``steadiness``), lively talk to one after twenty seconds of speech, the passage until
the spectrum of a voice settles (Byrne and others 1994: 64 s for a population, 40 s for one talker),
short sounds until they are over.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from obsidian_wren.core.wording import _

# The lengths are shown before anything that computes is loaded.
if TYPE_CHECKING:
    from obsidian_wren.core.measure.steadiness import Steadiness

SECONDS: Mapping[str, float] = MappingProxyType(
    {
        "rest": 15.0,
        "in-use": 20.0,
        "muted": 8.0,
        "other-gain": 12.0,
        "talk": 30.0,
        "loud": 12.0,
        "soft": 15.0,
        "passage": 40.0,
        "dial": 5.0,
        "clap": 6.0,
        "sweep": 8.0,
        "reference": 40.0,
        "phone": 40.0,
        "check": 20.0,
        "both": 20.0,
        "beside": 20.0,
        "sentence": 8.0,
    }
)
# Talk that is not known by then is used with what is known of it: nobody talks on for long.
UNTIL_STEADY_S = 45.0
LONGEST_S = 300.0
_SHORTEST_SPOKEN_S = 10.0
# Lively talk is known to half a decibel after minutes only. By then it is known to one, and what
# lies under that decides nothing.
_LIVELY_SPOKEN_S, _LIVELY_DB = 20.0, 1.0
_LOOKS_EVERY_S = 1.0


def why_ended(steady: Steadiness | None, *, heard_s: float = 0.0) -> str | None:
    """Why talk ends by itself after ``heard_s`` seconds, as a sentence; None while it has to go
    on, and where nothing is known of it."""
    if steady is None:
        return None
    error = max(steady.active_error_db, steady.peak_error_db)
    known = steady.steady and steady.spoken_s >= _SHORTEST_SPOKEN_S
    if not known and (steady.spoken_s < _LIVELY_SPOKEN_S or error > _LIVELY_DB):
        if heard_s < UNTIL_STEADY_S - _LOOKS_EVERY_S:
            return None
        return _(
            "Ended after {heard_s:.0f} s with what is known: level and peaks have an"
            " uncertainty of ±{error:.1f} dB (90 %). A steadier level reduces it.",
            heard_s=heard_s,
            error=error,
        )
    return _(
        "Ended by itself after {spoken_s:.0f} s of speech: level and peaks have an"
        " uncertainty of ±{error:.1f} dB (90 %).",
        spoken_s=steady.spoken_s,
        error=error,
    )
