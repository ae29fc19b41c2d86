"""What is wrong with a listener before a sound is made: names, rates, processing that is done
twice, thresholds against this voice.

Source: practice: what other programs do to a voice that is treated already.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.core.numerals import with_unit
from obsidian_wren.core.wording import _

# Nobody minds one word in a hundred that a program opens on late.
_OPEN_SHARE = 0.99


@dataclass(frozen=True)
class ListenerFacts:
    """What is known of a listener's own settings; None where it is not known.

    ``own_feed`` is the feed that is made for it, ``feeds`` maps every feed to the listener that it
    is made for. ``chain_cleans`` and ``chain_steadies``: whether the voice's chain does so already.
    ``hears_speakers``: whether what it plays reaches the microphone.
    """

    name: str
    picks: str | None
    own_feed: str
    raw_name: str
    feeds: dict[str, str]
    mix_rate_hz: int
    also: str | None = None
    rate_hz: int | None = None
    muted: bool | None = None
    noise_removal: bool | None = None
    auto_gain: bool | None = None
    echo_cancelling: bool | None = None
    activation_dbfs: float | None = None
    hears_itself: bool | None = None
    chain_cleans: bool = True
    hears_speakers: bool = False


def opening_share(word_levels: Samples, *, threshold_dbfs: float) -> float | None:
    """The share of words that open an activation threshold; None without words.

    Levels ``(n,)``, dBFS.
    """
    return float(np.mean(word_levels >= threshold_dbfs)) if len(word_levels) else None


def audit_listener(facts: ListenerFacts, word_levels: Samples | None) -> tuple[Verdict, ...]:
    """Everything that can be told in silence.

    ``word_levels`` are those of the voice as the listener's feed carries it. They are ``(n,)``,
    dBFS.
    """
    return (*_picked(facts), *_rate(facts), *_twice(facts), *_threshold(facts, word_levels))


def _picked(facts: ListenerFacts) -> tuple[Verdict, ...]:
    advice = _(
        "In {name}, choose “{own_feed}” as the microphone.",
        name=facts.name,
        own_feed=facts.own_feed,
    )
    if facts.muted:
        return (
            Verdict(
                "muted",
                "fault",
                _("Is muted"),
                _("Switch the microphone on in {name}.", name=facts.name),
            ),
        )
    if facts.picks is None:
        return (Verdict("picks nothing", "fault", _("Listens to nothing"), advice),)
    if facts.picks == facts.raw_name:
        return (Verdict("picks raw", "fault", _("Listens to the raw microphone"), advice),)
    if facts.picks != facts.own_feed:
        other = facts.feeds.get(facts.picks)
        sentence = (
            _("Listens to the feed for {other}", other=other)
            if other
            else _("Listens to “{picks}”, which is not there", picks=facts.picks)
        )
        return (Verdict("picks another", "fault", sentence, advice),)
    if facts.also is not None:
        second = _("Listens to “{also}” as well: your voice arrives twice", also=facts.also)
        return (
            Verdict(
                "two inputs",
                "fault",
                second,
                _("In {name}, switch the second input off.", name=facts.name),
            ),
        )
    return (
        Verdict("picks its feed", "good", _("Listens to “{own_feed}”", own_feed=facts.own_feed)),
    )


def _rate(facts: ListenerFacts) -> tuple[Verdict, ...]:
    if facts.rate_hz is None:
        return ()
    here, mix = facts.rate_hz / 1000.0, facts.mix_rate_hz / 1000.0
    if facts.rate_hz == facts.mix_rate_hz:
        return (Verdict("one rate", "good", _("{mix:g} kHz throughout", mix=mix)),)
    if facts.rate_hz > facts.mix_rate_hz:
        return (
            Verdict(
                "other rate",
                "note",
                _(
                    "Runs at {here:g} kHz, the feed at {mix:g}: converted on the way",
                    here=here,
                    mix=mix,
                ),
            ),
        )
    upper = 0.45 * here
    return (
        Verdict(
            "other rate",
            "note",
            _(
                "Runs at {here:g} kHz: it carries the voice up to {upper:.0f} kHz",
                here=here,
                upper=upper,
            ),
        ),
    )


def _twice(facts: ListenerFacts) -> tuple[Verdict, ...]:
    found = []
    if facts.noise_removal and facts.chain_cleans:
        found.append(
            Verdict(
                "twice cleaned",
                "fault",
                _("Its own noise removal is on: the voice is cleaned twice"),
                _("Switch it off in {name}: yours is measured in this room.", name=facts.name),
            )
        )
    elif facts.noise_removal:
        found.append(
            Verdict(
                "noise removal",
                "fault",
                _("Its own noise removal is on"),
                _("Switch it off in {name}: the room is quiet enough without it.", name=facts.name),
            )
        )
    if facts.auto_gain:
        found.append(
            Verdict(
                "auto gain",
                "fault",
                _("Its own auto gain is on: it turns a steady voice up and down"),
                _("Switch it off in {name}.", name=facts.name),
            )
        )
    if facts.echo_cancelling and not facts.hears_speakers:
        found.append(
            Verdict(
                "echo cancelling",
                "fault",
                _("Its echo cancelling is on: it cuts into your voice while others speak"),
                _("With headphones nothing leaks back: switch it off in {name}.", name=facts.name),
            )
        )
    if facts.hears_itself:
        found.append(
            Verdict(
                "returns to sender",
                "fault",
                _("Lets you hear yourself, with delay"),
                _(
                    "Switch that off in {name}; your headphones can carry your voice directly.",
                    name=facts.name,
                ),
            )
        )
    return tuple(found)


def _threshold(facts: ListenerFacts, word_levels: Samples | None) -> tuple[Verdict, ...]:
    if facts.activation_dbfs is None or word_levels is None:
        return ()
    share = opening_share(word_levels, threshold_dbfs=facts.activation_dbfs)
    if share is None:
        return ()
    at = with_unit(facts.activation_dbfs, "dBFS", 0)
    sentence = _("Opens on {share:.0f} % of your words at {at}", share=100.0 * share, at=at)
    if share >= _OPEN_SHARE:
        return (Verdict("opens", "good", sentence),)
    lowest = float(np.floor(np.percentile(word_levels, 1)))
    return (
        Verdict(
            "cuts words",
            "fault",
            sentence,
            (
                _(
                    "In {name}, set the threshold to {lowest:.0f} dBFS or lower, or off.",
                    name=facts.name,
                    lowest=lowest - 3.0,
                )
            ),
        ),
    )
