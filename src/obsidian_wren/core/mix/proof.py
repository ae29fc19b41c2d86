"""The proof by sound: what the marker, and the voice beside it, tell of one listener.

Source: Gold codes (1967) beside the sound; practice for what counts as arrived.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.marker import (
    Found,
    MarkerSearch,
    feed_path,
    return_level_dbfs,
    return_path,
)
from obsidian_wren.core.mix.reprocessing import Reprocessing, compare
from obsidian_wren.core.mix.verdict import Arrived
from obsidian_wren.core.rate import at_rate

# Rates that programs take for one another, as factors of pitch.
_SPEEDS = (44_100 / 48_000, 48_000 / 44_100, 0.5, 2.0, 1.0 / 3.0, 3.0)
# Clocks of sound devices: a code is found within 100 ppm of where it is looked for.
_CLOCKS = tuple(1.0 + ppm * 1e-6 for ppm in (-200.0, 200.0, -400.0, 400.0))
_CLOCKS_PPM = 2000.0
_SILENT = 1e-5
# Two eighths of a code that are whole are found; each gap spoils one.
_TOO_MANY = 7


def prove(
    heard: Samples,
    returned: Samples,
    *,
    rate_hz: int,
    feeds: Mapping[str, int],
    own_feed: str | None,
    own_number: int,
    sent_level_dbfs: float,
    feed_level_dbfs: float,
    sent_before: Samples,
    heard_before: Samples,
    sent_rate_hz: int,
    lost: int = 0,
) -> Arrived:
    """Look at what a listener heard and gave back since the marker was sent, ``(n,)`` at its own
    rate, and at the last seconds of what was sent to it at ``sent_rate_hz`` beside what it heard of
    them, both from one instant on.

    ``feeds`` maps names of feeds to the numbers of their codes; ``own_number`` is the code of the
    mix that is meant for this listener. ``lost``: so many pieces are known to be missing of what
    was heard. Where any are, it is not asked what else was done to it.
    """
    sounds = bool(len(heard)) and float(np.sqrt(np.mean(heard**2))) > _SILENT
    search, raw, treated = _search(heard, rate_hz, sent_level_dbfs, sounds=sounds, lost=lost > 0)
    clock_ppm = (1.0 / search.speed - 1.0) * 1e6
    speed = 1.0 if abs(clock_ppm) < _CLOCKS_PPM else search.speed
    first = treated or raw
    # Where pieces are missing, what else was done to the sound cannot be told.
    whole = first is not None and first.whole and not lost
    left_ppm = (
        search.rate_error_ppm("treated", treated)
        if treated is not None and speed == 1.0 and whole
        else None
    )
    there = (
        _feeds(search, feeds, own_feed, own_number, feed_level_dbfs) if treated is not None else []
    )
    name, code = there[0] if there else (None, None)
    echo = (
        search.find_echo(feed_path(feeds.get(name or "", own_number)), code)
        if code is not None and whole and code.whole
        else None
    )
    return Arrived(
        raw=raw,
        treated=treated,
        other_feed=there[1][0] if len(there) > 1 else None,
        feed=name,
        own_feed=own_feed,
        sounds=sounds,
        speed=speed,
        delay_ms=_ms(first.delay_samples, rate_hz) if first else None,
        echo_ms=_ms(echo, rate_hz) if echo is not None else None,
        returned_ms=_returned(returned, rate_hz, own_number, feed_level_dbfs),
        hears_itself_db=_hears_itself(search, own_number, sent_level_dbfs) if sounds else None,
        rate_ppm=left_ppm + clock_ppm if left_ppm is not None else None,
        again=(
            _again(sent_before, heard_before, sent_rate_hz, rate_hz, code)
            if code is not None and whole and code.whole
            else None
        ),
        gaps=first is not None and not (whole and (code is None or code.whole)),
        lost=lost >= _TOO_MANY,
    )


def _ms(samples: float, rate_hz: int) -> float:
    return samples * 1000.0 / rate_hz


def _search(
    heard: Samples, rate_hz: int, level_dbfs: float, *, sounds: bool, lost: bool
) -> tuple[MarkerSearch, Found | None, Found | None]:
    """A search at the pitch at which a code is found: the right one, that of a clock that is
    somewhat off, or of another rate; else at the right one with gaps. Where pieces were lost, what
    is left would fit another pitch by chance."""
    right = MarkerSearch(heard, rate_hz=rate_hz)
    for speed in (1.0, *_CLOCKS, *_SPEEDS) if sounds and not lost else (1.0,):
        search = right if speed == 1.0 else right.at_speed(speed)
        raw, treated = (
            search.find(path, sent_level_dbfs=level_dbfs) for path in ("raw", "treated")
        )
        if raw is not None or treated is not None:
            return search, raw, treated
    if not sounds:
        return right, None, None
    raw, treated = (
        right.find_with_gaps(path, sent_level_dbfs=level_dbfs) for path in ("raw", "treated")
    )
    return right, raw, treated


def _feeds(
    search: MarkerSearch,
    feeds: Mapping[str, int],
    own_feed: str | None,
    own_number: int,
    level_dbfs: float,
) -> list[tuple[str | None, Found]]:
    """The feeds that arrive, the one meant first, then by how much their codes stand out."""
    numbers: list[tuple[str | None, int]] = [
        *feeds.items(),
        *([(None, own_number)] if own_feed is None else []),
    ]
    there: list[tuple[str | None, Found]] = []
    for find in (search.find, search.find_with_gaps):
        found = (
            (name, find(feed_path(number), sent_level_dbfs=level_dbfs)) for name, number in numbers
        )
        there = [(name, code) for name, code in found if code is not None]
        if there:
            break
    return sorted(there, key=lambda entry: (entry[0] != own_feed, -entry[1].sigma))


def _hears_itself(search: MarkerSearch, number: int, level_dbfs: float) -> float | None:
    """How loud the return from a listener gets to it again, dB against what it sent; None
    where it does not."""
    found = search.find(return_path(number), sent_level_dbfs=return_level_dbfs(level_dbfs))
    return None if found is None else found.level_db


def _returned(returned: Samples, rate_hz: int, number: int, level_dbfs: float) -> float | None:
    if not len(returned) or not np.any(returned):
        return None
    search = MarkerSearch(returned, rate_hz=rate_hz)
    # Someone who talks over it hides one code sooner than all.
    for path in (feed_path(number), "treated", "raw"):
        found = search.find(path, sent_level_dbfs=level_dbfs)
        if found is not None:
            return _ms(found.delay_samples, rate_hz)
    return None


def _again(
    sent: Samples, heard: Samples, sent_rate_hz: int, rate_hz: int, code: Found
) -> Reprocessing | None:
    """What was done to the voice between its feed and the ear at the far end."""
    same = at_rate(sent, sent_rate_hz, rate_hz)
    delay = max(0, round(code.delay_samples))
    # Both begin at the same instant, so what was sent first is heard so much later.
    count = min(len(same), len(heard) - delay)
    if count <= 0:
        return None
    return compare(same[:count], heard[delay : delay + count], rate_hz=rate_hz)
