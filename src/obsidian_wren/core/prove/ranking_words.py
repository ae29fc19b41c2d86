"""What is said of two microphones.

Source: practice: first which to take, then what decides it, then what does not matter.
"""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.derive.setting import hz
from obsidian_wren.core.prove.ranking import Difference, Ranking

SPEED_OF_SOUND_M_S = 343.0
_MATTERS_DB = 0.5
# A part so far under the whole is not heard in it.
_COVERED_DB = 6.0
_TIE = "Nothing that listeners hear decides between them. Take the one that is more at hand."
_AT_ONE_PLACE_CM = 1.0


@dataclass(frozen=True)
class Found:
    """A title and a sentence."""

    title: str
    sentence: str


def choice(ranking: Ranking, *, first: str, second: str) -> Found:
    """Which to take, and what decides."""
    if ranking.better is None:
        return Found("Either serves", _TIE)
    better = second if ranking.better == "second" else first
    sign = 1.0 if ranking.better == "second" else -1.0
    decides = [one for one in ranking.differences if one.weighs_db * sign >= _MATTERS_DB]
    said = " ".join(difference(one, first=first, second=second).sentence for one in decides[:2])
    return Found(f"Take {better}", said)


def difference(one: Difference, *, first: str, second: str) -> Found:
    """One difference, from the side of the one that is better in it."""
    if one.code == "tone":
        more = (one.second or 0.0) > 0.0
        return Found(
            f"{second} is {'louder' if more else 'weaker'} around {hz(one.hz or 0.0)}",
            f"{_signed(one.second)} dB against {first}; the equalizer corrects either.",
        )
    if one.code == "low_end":
        more = (one.second or 0.0) > 0.0
        return Found(
            f"{second} has {'more' if more else 'less'} low end",
            f"{_signed(one.second)} dB under 200 Hz: proximity effect and response together.",
        )
    if one.code == "clipping":
        worse = first if one.weighs_db > 0.0 else second
        return Found(
            f"{worse} clips", f"{worse} clips in this sentence. Lower its gain, then compare again."
        )
    return Found(_TITLES[one.code], _compared(one, first, second))


_TITLES = {
    "noise": "Noise at equal voice",
    "hiss": "Hiss at equal voice",
    "room": "Room after a word",
    "plosives": "Plosives",
    "sibilance": "Sibilance",
}


def _compared(one: Difference, first: str, second: str) -> str:
    there, here = one.first, one.second
    if there is None or here is None:
        lacks, has = (first, second) if there is None else (second, first)
        return f"{has} catches {_THINGS[one.code]}; {lacks} catches none in the same sentence."
    better, worse = (second, first) if here < there else (first, second)
    size = f"{abs(here - there):.0f} dB"
    said = {
        "noise": f"{better} hears {size} less noise beside your voice.",
        "hiss": f"{worse} hisses {size} more from 5 kHz up",
        "room": f"{better} hears less of your room: after a word it falls {size} lower.",
        "plosives": f"Plosives are {size} weaker in {better}.",
        "sibilance": f"Sibilants are {size} weaker in {better}.",
    }[one.code]
    if one.code == "hiss":
        under = one.under_db or 0.0
        if under >= _COVERED_DB:
            return (
                f"{said}, {under:.0f} dB under the rest of its noise, so it does not matter here."
            )
        return f"{said}, and that is a good part of its noise."
    if abs(one.weighs_db) < _MATTERS_DB:
        return f"{said} It does not matter here: both are quiet enough."
    return said


def _signed(db: float | None) -> str:
    return f"{db or 0.0:+.1f}".replace("-", "−")


_THINGS = {"plosives": "plosives", "sibilance": "sibilants", "room": "the room", "noise": "noise"}


def in_time(
    at_once: bool,
    delay_samples: float | None,
    *,
    inverted: bool | None,
    rate_hz: float,
    second: str,
) -> Found | None:
    """Delay in samples and polarity between both, None where they were not recorded at once.
    ``rate_hz``: their rate in Hz."""
    if not at_once:
        return None
    if delay_samples is None:
        return Found(
            "Delay and polarity unknown",
            "The two sounds do not agree in time, so neither delay nor polarity is known. Put both"
            " microphones before the same mouth and record again.",
        )
    delay_ms = delay_samples / rate_hz * 1000.0
    farther_cm = 100.0 * delay_samples / rate_hz * SPEED_OF_SOUND_M_S
    polarity = "inverted" if inverted else "same"
    title = f"Polarity {polarity}, {delay_ms:+.2f} ms".replace("-", "−")
    if abs(farther_cm) < _AT_ONE_PLACE_CM:
        place = f"Both hear you at the same time, within {_AT_ONE_PLACE_CM:.0f} cm."
    else:
        word = "later" if farther_cm > 0.0 else "earlier"
        side = "farther from" if farther_cm > 0.0 else "nearer to"
        place = f"{second} hears you {word}, as if {abs(farther_cm):.0f} cm {side} your mouth."
    if inverted:
        place += " Mixed together the two cancel: invert one."
    return Found(title, place)
