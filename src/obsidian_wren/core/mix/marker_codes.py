"""The codes of a marker as they are sent.

Source: ``marker.py`` makes them and finds them again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from obsidian_wren.core.decibels import Samples

MARKER_S = 2.0


@dataclass(frozen=True)
class MarkerCodes:
    """``(n,)`` samples at the rate of what is live: what goes beside the raw voice, into the chain,
    into the mix of each listener by its key, and onto the return from each by the same."""

    raw: Samples
    treated: Samples
    feeds: Mapping[str, Samples]
    returns: Mapping[str, Samples] = field(default_factory=dict)
