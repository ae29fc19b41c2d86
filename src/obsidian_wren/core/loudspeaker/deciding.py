"""Whether what a loudspeaker plays is taken out of the microphone.

Kept apart from what computes it, so that showing it loads little.

Source: practice: headphones leave nothing to take out, and what is not known cannot be.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from obsidian_wren.core.derive.sound_device import SoundDevice
from obsidian_wren.core.derive.verdicts import Fact
from obsidian_wren.core.numerals import plain, with_sign
from obsidian_wren.core.wording import _

# What it costs in delay: a block, the clock, and the mask.
_BLOCK_S, _CLOCK_SAMPLES, _MASK_S = 0.01, 44, 0.012
# So little of a clock is not told from none.
_CLOCK_PPM = 3.0
# So far down nobody far away hears it behind a voice.
_ENOUGH_DB = 20.0
KnownFrom = Literal["", "computer", "returns"]


@dataclass(frozen=True)
class LoudspeakerSwitch:
    """Whether it is taken out, derived, pinned by a person, because; and from what it is known,
    nothing where it is not taken out."""

    on: bool
    derived: bool
    pinned: bool
    because: str
    known_from: KnownFrom


def removal_delay_ms(rate_hz: float) -> float:
    """What taking it out costs in delay at a rate, ms."""
    mask = 2 * max(1, round(0.5 * _MASK_S * rate_hz))
    return 1000.0 * (round(_BLOCK_S * rate_hz) + _CLOCK_SAMPLES + mask) / rate_hz


def decide(
    outputs: Sequence[SoundDevice],
    *,
    known_from: KnownFrom,
    wanted: bool | None,
    stands_in_room: bool = True,
) -> LoudspeakerSwitch:
    """The rule, by the devices of the computer, and by what a person wants, None for nothing;
    ``stands_in_room``: what is played by a loudspeaker can reach the microphone."""
    plays = next(
        (d for d in outputs if d.present and d.direction == "output" and d.is_default), None
    )
    loud = plays is not None and plays.kind == "loudspeakers" and stands_in_room
    derived = loud and bool(known_from)
    on = (derived if wanted is None else wanted) and bool(known_from)
    return LoudspeakerSwitch(
        on,
        derived,
        wanted is not None,
        _because(plays, loud=loud, known=bool(known_from)),
        known_from if on else "",
    )


def loudspeaker_facts(
    *, late_ms: float | None, lowered_db: float | None, drift_ppm: float, delay_ms: float
) -> tuple[Fact, ...]:
    """What is said of what is taken out, a line each: how late it arrives, ms, by how much it is
    lowered, dB, how far its clock is off, parts in a million, what it costs, ms."""
    delay = Fact(
        _("Delay"),
        with_sign(delay_ms, "ms", 0),
        "none",
        _("Of every feed, while it is being removed."),
    )
    if late_ms is None or lowered_db is None:
        return (
            Fact(
                _("Loudspeaker"),
                _("not found"),
                "none",
                _("Nothing that plays has been found in the microphone so far."),
            ),
            delay,
        )
    return (
        Fact(
            _("Loudspeaker"),
            with_sign(-lowered_db, "dB", 0),
            "good" if lowered_db >= _ENOUGH_DB else "none",
            _where(late_ms, drift_ppm),
        ),
        delay,
    )


def _where(late_ms: float, drift_ppm: float) -> str:
    late = _(
        "Where it is most of what the microphone hears. It arrives {late_ms:.0f} ms after it is"
        " played.",
        late_ms=late_ms,
    )
    if abs(drift_ppm) < _CLOCK_PPM:
        return late
    return _(
        "{late} Its clock is off by {drift_ppm} parts in a million.",
        late=late,
        drift_ppm=plain(drift_ppm, 0),
    )


def _because(plays: SoundDevice | None, *, loud: bool, known: bool) -> str:
    if not known:
        return _("Nothing is known here of what your loudspeaker plays, so it cannot be removed.")
    if plays is None:
        return _("No output of this computer is known.")
    if loud:
        return _(
            "{title} plays while the microphone is open. Headphones are better: nothing then"
            " has to be removed, and your voice has less delay.",
            title=plays.title,
        )
    return _("{title} plays, and none of it reaches the microphone.", title=plays.title)
