"""How far a correction may go.

Source: practice: 2 to 3 dB, seldom over 5, and wide where it boosts.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Caps:
    """How far a correction may go: most boost and cut of the whole curve in dB, highest Q of each,
    and the steepest slope of the whole curve in dB per octave."""

    boost_db: float
    cut_db: float
    boost_q: float
    cut_q: float
    slope_db: float


# What is known by its likelihood only is corrected gently: practice moves 2 to 3 dB, seldom over 5,
# and wide where it boosts.
CAREFUL = Caps(boost_db=4.0, cut_db=6.0, boost_q=1.4, cut_q=3.0, slope_db=12.0)
# In a live room far from the microphone every narrow place of the spectrum is the room's, and
# another a hand's breadth away.
WIDE = Caps(boost_db=4.0, cut_db=6.0, boost_q=0.9, cut_q=0.9, slope_db=9.0)
# What a phone beside the microphone heard is known to a decibel and a half: as far as it goes, but
# no steeper than a phone tells.
LIKELY = Caps(boost_db=9.0, cut_db=12.0, boost_q=1.4, cut_q=3.0, slope_db=24.0)
# What a reference take tells is known whole.
KNOWN = Caps(boost_db=9.0, cut_db=12.0, boost_q=4.0, cut_q=4.0, slope_db=60.0)
