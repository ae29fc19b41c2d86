"""What is said of two microphones.

Source: practice: first which to take, then what decides it, then what does not matter.
"""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.numerals import frequency
from obsidian_wren.core.prove.ranking import Difference, Ranking
from obsidian_wren.core.wording import _, marked

SPEED_OF_SOUND_M_S = 343.0
_MATTERS_DB = 0.5
# A part so far under the whole is not heard in it.
_COVERED_DB = 6.0
_TIE = _("Listeners hear nothing that decides between them. Take the handier one.")
_AT_ONE_PLACE_CM = 1.0


@dataclass(frozen=True)
class RankingSentence:
    """A title and a sentence."""

    title: str
    sentence: str


def choice(ranking: Ranking, *, first: str, second: str) -> RankingSentence:
    """Which to take, and what decides."""
    if ranking.better is None:
        return RankingSentence(_("Either will do"), _TIE)
    better = second if ranking.better == "second" else first
    sign = 1.0 if ranking.better == "second" else -1.0
    decides = [one for one in ranking.differences if one.weighs_db * sign >= _MATTERS_DB]
    reasons = " ".join(difference(one, first=first, second=second).sentence for one in decides[:2])
    return RankingSentence(_("Take {better}", better=better), reasons)


def difference(one: Difference, *, first: str, second: str) -> RankingSentence:
    """One difference, from the side of the one that is better in it."""
    if one.code == "tone":
        more, at = (one.second or 0.0) > 0.0, frequency(one.hz or 0.0)
        return RankingSentence(
            (
                _("{second} is louder around {hz}", second=second, hz=at)
                if more
                else _("{second} is weaker around {hz}", second=second, hz=at)
            ),
            _(
                "{signed} dB against {first}; the equalizer corrects either.",
                signed=_signed(one.second),
                first=first,
            ),
        )
    if one.code == "low_end":
        more = (one.second or 0.0) > 0.0
        return RankingSentence(
            (
                _("{second} has more low end", second=second)
                if more
                else _("{second} has less low end", second=second)
            ),
            _(
                "{signed} dB under 200 Hz: proximity effect and response together.",
                signed=_signed(one.second),
            ),
        )
    if one.code == "clipping":
        worse = first if one.weighs_db > 0.0 else second
        return RankingSentence(
            _("{worse} clips", worse=worse),
            _("{worse} clips in this sentence. Lower its gain, then compare again.", worse=worse),
        )
    return RankingSentence(_TITLES[one.code], _compared(one, first, second))


_TITLES = {
    "noise": _("Noise at equal voice"),
    "hiss": _("Hiss at equal voice"),
    "room": _("Reverb after a word"),
    "plosives": _("Plosives"),
    "sibilance": _("Sibilance"),
}


def _compared(one: Difference, first: str, second: str) -> str:
    there, here = one.first, one.second
    if there is None or here is None:
        lacks, has = (first, second) if there is None else (second, first)
        return _(
            "{has} catches {things}; {lacks} catches none in the same sentence.",
            has=has,
            things=_THINGS[one.code],
            lacks=lacks,
        )
    better, worse = (second, first) if here < there else (first, second)
    size = f"{abs(here - there):.0f} dB"
    sentence = {
        "noise": _(
            "{better} picks up {size} less noise under your voice.", better=better, size=size
        ),
        "hiss": _("{worse} hisses {size} more from 5 kHz up", worse=worse, size=size),
        "room": _(
            "{better} picks up less of your room: after a word it falls {size} lower.",
            better=better,
            size=size,
        ),
        "plosives": _("Plosives are {size} weaker in {better}.", size=size, better=better),
        "sibilance": _("Sibilants are {size} weaker in {better}.", size=size, better=better),
    }[one.code]
    if one.code == "hiss":
        under = one.under_db or 0.0
        if under >= _COVERED_DB:
            return _(
                "{said}, {under:.0f} dB under the rest of its noise, so it does not matter here.",
                said=sentence,
                under=under,
            )
        return _("{said}, which is a good part of its noise.", said=sentence)
    if abs(one.weighs_db) < _MATTERS_DB:
        return _("{said} It does not matter here: both are quiet enough.", said=sentence)
    return sentence


def _signed(db: float | None) -> str:
    return marked(f"{db or 0.0:+.1f}")


_THINGS = {
    "plosives": "plosives",
    "sibilance": "sibilants",
    "room": _("the room"),
    "noise": "noise",
}


def in_time(
    at_once: bool,
    delay_samples: float | None,
    *,
    inverted: bool | None,
    rate_hz: float,
    second: str,
) -> RankingSentence | None:
    """Delay in samples and polarity between both, None where they were not recorded at once.
    ``rate_hz``: their rate in Hz."""
    if not at_once:
        return None
    if delay_samples is None:
        return RankingSentence(
            _("Delay and polarity unknown"),
            _(
                "The two sounds do not line up in time, so neither delay nor polarity is known."
                " Put both microphones in front of the same mouth and record again."
            ),
        )
    delay_ms = delay_samples / rate_hz * 1000.0
    farther_cm = 100.0 * delay_samples / rate_hz * SPEED_OF_SOUND_M_S
    polarity = _("inverted") if inverted else _("same")
    title = _("Polarity {polarity}, {delay_ms:+.2f} ms", polarity=polarity, delay_ms=delay_ms)
    if abs(farther_cm) < _AT_ONE_PLACE_CM:
        place = _(
            "Both hear you at the same time, within {at_one_place_cm:.0f} cm.",
            at_one_place_cm=_AT_ONE_PLACE_CM,
        )
    else:
        word = _("later") if farther_cm > 0.0 else _("earlier")
        side = _("farther from") if farther_cm > 0.0 else _("nearer to")
        place = _(
            "{second} hears you {word}, as if {farther_cm:.0f} cm {side} your mouth.",
            second=second,
            word=word,
            farther_cm=abs(farther_cm),
            side=side,
        )
    if inverted:
        place += _(" Mixed together they cancel: invert one.")
    return RankingSentence(title, place)
