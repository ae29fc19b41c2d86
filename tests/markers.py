"""Which of the two codes of a marker arrived, and how."""

from collections import namedtuple

from obsidian_wren.core.mix.marker import MarkerSearch
from signals import RATE

Arrived = namedtuple("Arrived", "which raw treated")


def arrived(heard, sent_level_dbfs):
    """The raw and the treated code in what was heard since the marker was sent, and in one word
    which of them are there."""
    search = MarkerSearch(heard, rate_hz=RATE)
    raw, treated = (
        search.find(path, sent_level_dbfs=sent_level_dbfs) for path in ("raw", "treated")
    )
    which = {
        (True, True): "both",
        (True, False): "raw",
        (False, True): "treated",
        (False, False): "neither",
    }
    return Arrived(which[raw is not None, treated is not None], raw, treated)
