"""What a proof by sound means: what reached a listener, in a sentence, and what to change where.

Source: practice: what to change first, for each way in which a marker fails.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    from obsidian_wren.core.mix.marker import Found
    from obsidian_wren.core.mix.reprocessing import Reprocessing

Mark = Literal["good", "fault", "note"]
# Talking over each other begins to hurt from about here (ITU-T G.114 recommends under 150 ms for
# the whole way).
LATE_MS = 150.0
# Clocks of sound devices keep within a tenth of this.
_CLOCK_PPM = 1000.0
# Speech is understood without its upper end (ITU-T G.711 ends at 3.4 kHz), but nobody sounds close.
_NARROW_HZ = 4500.0
# More than any listener's own meter would explain.
_TURNED_DB = 6.0


@dataclass(frozen=True)
class Verdict:
    """A finding under a code that does not change: whether it is good, a fault or only worth
    knowing; the sentence; what to change."""

    code: str
    mark: Mark
    sentence: str
    advice: str | None = None


@dataclass(frozen=True)
class Arrived:
    """What the proof found at a listener.

    ``feed`` is the feed whose code was found, ``own_feed`` the one meant for it (None for one that
    gets a mix directly). ``speed`` is 1 at the right pitch. ``echo_ms``: a second arrival;
    ``other_feed``: one that arrives beside the first. ``returned_ms``: the listener's own code in
    the return from it. ``sounds``: whether it heard anything at all. ``rate_ppm``: by how much
    its clock is off. ``gaps``: pieces of the code were missing or came twice.
    """

    raw: Found | None
    treated: Found | None
    feed: str | None
    own_feed: str | None
    delay_ms: float | None
    speed: float = 1.0
    echo_ms: float | None = None
    other_feed: str | None = None
    returned_ms: float | None = None
    sounds: bool = True
    rate_ppm: float | None = None
    again: Reprocessing | None = None
    gaps: bool = False


def judge(found: Arrived, *, listener: str) -> tuple[Verdict, ...]:
    """Everything that a proof tells of one listener, the weightiest first."""
    first = _arrival(found, listener)
    # Where the wrong thing arrives, what else was done to it is of no use to anybody.
    if first.mark == "fault" and first.code != "late":
        return (first, *_returned(found, listener))
    return (first, *_returned(found, listener), *_shape(found, listener), *_again(found, listener))


def _pick(listener: str, found: Arrived) -> str:
    if found.own_feed is None:
        return f"Check what {listener} is set to hear."
    return f"In {listener}, pick “{found.own_feed}” as the microphone."


def _arrival(found: Arrived, listener: str) -> Verdict:
    when = "" if found.delay_ms is None else f", {found.delay_ms:.0f} ms"
    if found.speed != 1.0:
        off = (found.speed - 1.0) * 100.0
        return Verdict(
            "wrong pitch",
            "fault",
            f"Plays {abs(off):.0f} % too {'high' if off > 0 else 'low'}",
            f"{listener} takes sound of one rate for another. Set its rate to that of the feed.",
        )
    if found.raw is not None and found.treated is not None:
        return Verdict(
            "both",
            "fault",
            f"Raw and treated voice both arrive{when}",
            f"In {listener}, switch one of the two inputs off: together they sound hollow.",
        )
    if found.raw is not None:
        return Verdict("raw", "fault", f"Raw voice arrives{when}", _pick(listener, found))
    if found.treated is None:
        if found.sounds:
            return Verdict(
                "neither", "fault", "Sound arrives, but not your voice", _pick(listener, found)
            )
        advice = _pick(listener, found)
        return Verdict(
            "nothing",
            "fault",
            "Nothing arrives",
            f"{advice[:-1]}, and see that it is neither muted nor waiting for more level.",
        )
    if found.feed is not None and found.own_feed is not None and found.feed != found.own_feed:
        return Verdict(
            "wrong feed",
            "fault",
            f"Gets “{found.feed}”, the mix for another listener",
            _pick(listener, found),
        )
    if found.other_feed is not None:
        return Verdict(
            "two feeds",
            "fault",
            f"Gets “{found.other_feed}” as well: your voice comes twice",
            f"In {listener}, switch the second input off: together they sound hollow.",
        )
    if found.delay_ms is not None and found.delay_ms > LATE_MS:
        return Verdict(
            "late",
            "fault",
            f"Treated voice arrives late{when}",
            f"Lower the buffer in {listener}: over {LATE_MS:.0f} ms people talk over each other.",
        )
    return Verdict("treated", "good", f"Treated voice arrives{when}")


def _returned(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    if found.returned_ms is None:
        return ()
    return (
        Verdict(
            "returns to sender",
            "fault",
            f"Sends your voice back to you, {found.returned_ms:.0f} ms later",
            f"In {listener}, switch off hearing yourself. Its return is never sent on to it, so"
            " nothing howls meanwhile.",
        ),
    )


def _shape(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    verdicts = []
    if found.gaps:
        verdicts.append(
            Verdict(
                "gaps",
                "note",
                "Pieces of it are missing",
                f"Send the marker again. If they go on missing, raise the buffer in {listener} and"
                " close what keeps this computer busy.",
            )
        )
    if found.echo_ms is not None:
        verdicts.append(
            Verdict(
                "twice",
                "fault",
                f"Arrives twice, {found.echo_ms:.0f} ms apart",
                f"{listener} gets one voice by two ways. Look for a second input of it, or a"
                " program that passes on what it plays.",
            )
        )
    if found.treated is not None and found.treated.inverted:
        verdicts.append(
            Verdict(
                "upside down",
                "note",
                "Arrives upside down",
                "Nobody hears that alone; mixed with the raw voice it sounds thin.",
            )
        )
    if found.rate_ppm is not None and abs(found.rate_ppm) > _CLOCK_PPM:
        verdicts.append(
            Verdict(
                "clock",
                "fault",
                f"Its clock is off by {abs(found.rate_ppm) / 1e4:.1f} %",
                f"{listener} drops or repeats sound to keep up. Set its rate to that of the feed.",
            )
        )
    return tuple(verdicts)


def _again(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    again = found.again
    if again is None:
        return ()
    verdicts = []
    if again.cuts_words:
        share = round(100.0 * (again.cut_share or 0.0))
        verdicts.append(
            Verdict(
                "cuts words",
                "fault",
                f"{share} % of the words do not come through",
                f"Lower the activation threshold in {listener}, or switch it off: your gate already"
                " does this.",
            )
        )
    elif again.removes_noise:
        verdicts.append(
            Verdict(
                "twice cleaned",
                "fault",
                "Something cleans the voice a second time",
                f"Switch off noise removal in {listener}: yours is measured in this room, and two"
                " of them make words hollow.",
            )
        )
    if again.rides_gain:
        verdicts.append(
            Verdict(
                "auto gain",
                "fault",
                f"Something turns the voice up and down by {again.wander_db:.0f} dB",
                f"Switch off auto gain in {listener}: the voice is steady already.",
            )
        )
    elif again.gain_db is not None and abs(again.gain_db) > _TURNED_DB:
        way = "up" if again.gain_db > 0 else "down"
        verdicts.append(
            Verdict(
                f"turned {way}",
                "fault",
                f"Something turns the voice {way} by {abs(again.gain_db):.0f} dB",
                f"Look for a microphone level, auto gain or echo cancelling in {listener}: the mix"
                " comes at the loudness that it needs.",
            )
        )
    if again.reaches_hz is not None and again.reaches_hz < _NARROW_HZ:
        verdicts.append(
            Verdict(
                "narrow",
                "note",
                f"Carries the voice up to {again.reaches_hz / 1000.0:.1f} kHz",
                f"If {listener} offers a better connection, take it.",
            )
        )
    return tuple(verdicts)
