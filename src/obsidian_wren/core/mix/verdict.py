"""What a proof by sound means: what reached a listener, in a sentence, and what to change where.

Source: practice: what to change first, for each way in which a marker fails.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from obsidian_wren.core.wording import _

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
    the return from it. ``hears_itself_db``: how loud what it sends gets back to it, dB against
    that. ``sounds``: whether it heard anything at all. ``rate_ppm``: by how much
    its clock is off. ``gaps``: pieces of the code were missing or came twice; ``lost``: so many
    are known to have gone missing on this computer that a code may not be found for that.
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
    hears_itself_db: float | None = None
    sounds: bool = True
    rate_ppm: float | None = None
    again: Reprocessing | None = None
    gaps: bool = False
    lost: bool = False


def judge(found: Arrived, *, listener: str) -> tuple[Verdict, ...]:
    """Everything that a proof tells of one listener, the weightiest first."""
    first = _arrival(found, listener)
    # Where the wrong thing arrives, what else was done to it is of no use to anybody.
    if first.mark == "fault" and first.code != "late":
        return (first, *_returned(found, listener), *_hears_itself(found, listener))
    return (
        first,
        *_returned(found, listener),
        *_hears_itself(found, listener),
        *_shape(found, listener),
        *_again(found, listener),
    )


def _pick(listener: str, found: Arrived) -> str:
    if found.own_feed is None:
        return _("Check what {listener} is set to hear.", listener=listener)
    return _(
        "In {listener}, choose “{own_feed}” as the microphone.",
        listener=listener,
        own_feed=found.own_feed,
    )


def _arrival(found: Arrived, listener: str) -> Verdict:
    when = "" if found.delay_ms is None else _(", {delay_ms:.0f} ms", delay_ms=found.delay_ms)
    if found.speed != 1.0:
        off = (found.speed - 1.0) * 100.0
        return Verdict(
            "wrong pitch",
            "fault",
            (
                _("Plays {off:.0f} % too high", off=abs(off))
                if off > 0
                else _("Plays {off:.0f} % too low", off=abs(off))
            ),
            _(
                "{listener} assumes the wrong sample rate. Set its rate to that of the feed.",
                listener=listener,
            ),
        )
    if found.raw is not None and found.treated is not None:
        return Verdict(
            "both",
            "fault",
            _("Raw and treated voice both arrive{when}", when=when),
            _(
                "In {listener}, switch one of the two inputs off: together they sound hollow.",
                listener=listener,
            ),
        )
    if found.raw is not None:
        return Verdict(
            "raw", "fault", _("Raw voice arrives{when}", when=when), _pick(listener, found)
        )
    if found.treated is None:
        if found.sounds and found.lost:
            return Verdict(
                "too many gaps",
                "fault",
                _("Too much of the sound was lost to say what arrives"),
                _(
                    "Close programs that keep this computer busy, and send the marker again. If"
                    " that does not help, check what {listener} is set to hear.",
                    listener=listener,
                ),
            )
        if found.sounds:
            return Verdict(
                "neither",
                "fault",
                _("Sound arrives, but not your voice"),
                _pick(listener, found),
            )
        advice = _pick(listener, found)
        return Verdict(
            "nothing",
            "fault",
            _("Nothing arrives"),
            _(
                "{advice}, and see that it is neither muted nor waiting for more level.",
                advice=advice[:-1],
            ),
        )
    if found.feed is not None and found.own_feed is not None and found.feed != found.own_feed:
        return Verdict(
            "wrong feed",
            "fault",
            _("Gets “{feed}”, the mix for another listener", feed=found.feed),
            _pick(listener, found),
        )
    if found.other_feed is not None:
        return Verdict(
            "two feeds",
            "fault",
            _("Gets “{other_feed}” as well: your voice arrives twice", other_feed=found.other_feed),
            _(
                "In {listener}, switch the second input off: together they sound hollow.",
                listener=listener,
            ),
        )
    if found.delay_ms is not None and found.delay_ms > LATE_MS:
        return Verdict(
            "late",
            "fault",
            _("Treated voice arrives late{when}", when=when),
            _(
                "Lower the buffer in {listener}: over {late_ms:.0f} ms people talk over each"
                " other.",
                listener=listener,
                late_ms=LATE_MS,
            ),
        )
    return Verdict("treated", "good", _("Treated voice arrives{when}", when=when))


def _hears_itself(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    if found.hears_itself_db is None:
        return ()
    return (
        Verdict(
            "hears itself",
            "fault",
            _(
                "Others hear themselves, {softer_db:.0f} dB softer than they send",
                softer_db=max(-found.hears_itself_db, 0.0),
            ),
            _(
                "Your loudspeaker reaches your microphone. Use headphones with {listener}, or"
                " switch on “What the loudspeaker plays” in Delay and load.",
                listener=listener,
            ),
        ),
    )


def _returned(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    if found.returned_ms is None:
        return ()
    return (
        Verdict(
            "returns to sender",
            "fault",
            _(
                "Sends your voice back to you, {returned_ms:.0f} ms later",
                returned_ms=found.returned_ms,
            ),
            _(
                "In {listener}, switch off hearing yourself. Its return is never sent back to"
                " it, so nothing howls meanwhile.",
                listener=listener,
            ),
        ),
    )


def _shape(found: Arrived, listener: str) -> tuple[Verdict, ...]:
    verdicts = []
    if found.gaps:
        verdicts.append(
            Verdict(
                "gaps",
                "note",
                _("Parts of it are missing"),
                _(
                    "Send the marker again. If parts are still missing, raise the buffer in"
                    " {listener} and close programs that keep this computer busy.",
                    listener=listener,
                ),
            )
        )
    if found.echo_ms is not None:
        verdicts.append(
            Verdict(
                "twice",
                "fault",
                _("Arrives twice, {echo_ms:.0f} ms apart", echo_ms=found.echo_ms),
                _(
                    "{listener} gets one voice by two routes. Look for a second input in it, or"
                    " a program that passes on what it plays.",
                    listener=listener,
                ),
            )
        )
    if found.treated is not None and found.treated.inverted:
        verdicts.append(
            Verdict(
                "upside down",
                "note",
                _("Arrives inverted"),
                _("Alone, nobody hears that; mixed with the raw voice it sounds thin."),
            )
        )
    if found.rate_ppm is not None and abs(found.rate_ppm) > _CLOCK_PPM:
        verdicts.append(
            Verdict(
                "clock",
                "fault",
                _("Its clock is off by {rate_ppm:.1f} %", rate_ppm=abs(found.rate_ppm) / 1e4),
                _(
                    "{listener} drops or repeats sound to keep up. Set its rate to that of the"
                    " feed.",
                    listener=listener,
                ),
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
                _("{share} % of the words do not arrive", share=share),
                _(
                    "Lower the activation threshold in {listener}, or switch it off: your gate"
                    " already does this.",
                    listener=listener,
                ),
            )
        )
    elif again.removes_noise:
        verdicts.append(
            Verdict(
                "twice cleaned",
                "fault",
                _("Something cleans the voice a second time"),
                _(
                    "Switch off noise removal in {listener}: yours is measured in this room, and"
                    " two of them make words hollow.",
                    listener=listener,
                ),
            )
        )
    if again.rides_gain:
        verdicts.append(
            Verdict(
                "auto gain",
                "fault",
                _(
                    "Something changes the level of the voice by {wander_db:.0f} dB",
                    wander_db=again.wander_db,
                ),
                _(
                    "Switch off auto gain in {listener}: the voice is steady already.",
                    listener=listener,
                ),
            )
        )
    elif again.gain_db is not None and abs(again.gain_db) > _TURNED_DB:
        up, size = again.gain_db > 0, abs(again.gain_db)
        verdicts.append(
            Verdict(
                "turned up" if up else "turned down",
                "fault",
                _("Something raises the voice by {size:.0f} dB", size=size)
                if up
                else _("Something lowers the voice by {size:.0f} dB", size=size),
                _(
                    "Look for a microphone level, auto gain or echo cancelling in {listener}:"
                    " the mix already has the loudness it needs.",
                    listener=listener,
                ),
            )
        )
    if again.reaches_hz is not None and again.reaches_hz < _NARROW_HZ:
        verdicts.append(
            Verdict(
                "narrow",
                "note",
                _(
                    "Carries the voice up to {reaches_hz:.1f} kHz",
                    reaches_hz=again.reaches_hz / 1000.0,
                ),
                _("If {listener} offers a better connection, use it.", listener=listener),
            )
        )
    return tuple(verdicts)
