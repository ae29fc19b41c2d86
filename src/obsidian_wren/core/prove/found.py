"""What a check found, as it is told and kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class ToldCause:
    """Why something moved: the share of the change, 0 to 1; its number now with its standard error,
    and ``then`` where it had one, in ``unit``; what is said, and what to do."""

    code: str
    share: float
    estimate: float | None
    error: float | None
    then: float | None
    unit: str
    sentence: str
    action: str


@dataclass(frozen=True)
class CheckReading:
    """One reading then and now, in ``unit``; ``spread``: what it may differ by with nothing
    changed; ``moved``: whether it differs by more."""

    then: float | None
    now: float | None
    unit: str
    spread: float | None
    moved: bool


@dataclass(frozen=True)
class DriftBand:
    """One third octave of the voice: what changed, what may differ anyway, what the causes do, and
    the room there, dB."""

    hz: float
    change_db: float | None
    spread_db: float | None
    explained_db: float | None
    room_db: float | None


@dataclass(frozen=True)
class FoundDrift:
    """Whether anything moved, every reading by its name, and why, the strongest cause first."""

    drifted: bool
    readings: Mapping[str, CheckReading]
    causes: tuple[ToldCause, ...]


@dataclass(frozen=True)
class FoundCheck(FoundDrift):
    """The same of a check against the takes of ``against``, with its bands; ``same_sound``: the
    very same sound was played."""

    bands: tuple[DriftBand, ...]
    against: str
    # Older checks do not say.
    same_sound: bool = False
