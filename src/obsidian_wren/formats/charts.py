"""Pictures of a calibration as SVG text, each with what it shows in words: no script, no font and
nothing from outside.

Source: SVG 2; text alternatives by WAI-ARIA (role img with a label).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape

from obsidian_wren.core.numerals import plain
from obsidian_wren.core.wording import _, marked

Points = Sequence[tuple[float, float]]
WIDTH, HEIGHT = 720, 250
_LEFT, _RIGHT, _TOP, _BOTTOM = 52, 14, 26, 30
_TICKS_HZ = (31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000)
_ONE_KHZ, _FINE_DB = 1000, 30.0
_MOST_LINES = 24


@dataclass(frozen=True)
class Chart:
    """One picture: its name, its SVG, and what it shows in a sentence."""

    name: str
    svg: str
    words: str


@dataclass(frozen=True)
class Curve:
    """A curve over frequency: points of Hz and dB, how it is drawn, and what it is called."""

    points: Points
    look: str
    label: str


LOOKS = {
    "solid": "stroke:#15181b;stroke-width:2.5;fill:none",
    "dots": "stroke:#7c5d41;stroke-width:2;stroke-dasharray:1 5;stroke-linecap:round;fill:none",
    "dashes": "stroke:#b3266b;stroke-width:1.75;stroke-dasharray:6 4;fill:none",
    "aim": "stroke:#0b6b8a;stroke-width:2;fill:none",
}


def over_frequency(name: str, lines: Sequence[Curve], *, unit: str, words: str) -> Chart:
    """Curves over frequency, in third-octave ticks."""
    levels = [level for line in lines for _, level in line.points]
    high = 10.0 * math.ceil(max(levels, default=0.0) / 10.0 + 1e-9)
    low = 10.0 * math.floor(min(levels, default=-10.0) / 10.0 - 1e-9)
    x, y = _log(25.0, 20_000.0), _straight(low, high)
    body = [_grid(low, high, 10.0 if high - low > _FINE_DB else 5.0, y)]
    for hz in _TICKS_HZ:
        tick = marked(f"{hz / _ONE_KHZ:g} k" if hz >= _ONE_KHZ else f"{hz:g}")
        body.append(_text(x(hz), HEIGHT - 10, tick, "middle"))
    body.append(_text(_LEFT - 8, 14, unit, "end"))
    at = _LEFT
    for line in lines:
        path = "M" + "L".join(f"{x(hz):.1f},{y(level):.1f}" for hz, level in line.points)
        body.append(f'<path d="{path}" style="{LOOKS[line.look]}"/>')
        body.append(_text(at, 14, line.label, "start", bold=True))
        at += 8 * len(line.label) + 16
    return _chart(name, body, words)


def level_ladder(name: str, places: Sequence[dict[str, float | str | None]], words: str) -> Chart:
    """Where voice, peaks and room stand at each place of the path, dBFS."""
    y = _straight(-100.0, 0.0)
    body = [
        _grid(-100.0, 0.0, 20.0, y),
        _text(_LEFT - 8, 14, "dBFS", "end"),
        _text(
            _LEFT,
            14,
            _("bar: voice; line over it: peak; line under it: room, dBFS(A)"),
            "start",
        ),
    ]
    wide = (WIDTH - _LEFT - _RIGHT) / max(len(places), 1)
    for k, place in enumerate(places):
        left = _LEFT + k * wide + 0.12 * wide
        across = 0.76 * wide
        low, high = place.get("voice_low"), place.get("voice_high")
        if isinstance(low, float) and isinstance(high, float):
            body.append(
                f'<rect x="{left:.1f}" y="{y(high):.1f}" width="{across:.1f}"'
                f' height="{max(1.0, y(low) - y(high)):.1f}" fill="#15181b"/>'
            )
        for key, style in (("peak", "#b3266b"), ("floor", "#7c5d41")):
            level = place.get(key)
            if isinstance(level, float):
                body.append(
                    f'<path d="M{left:.1f},{y(level):.1f}h{across:.1f}" stroke="{style}"'
                    ' stroke-width="2"/>'
                )
                body.append(_text(left + across / 2, y(level) - 4, _minus(level), "middle"))
        for line, part in enumerate(_two_lines(str(place["title"]))):
            body.append(_text(left + across / 2, HEIGHT - 14 + 14 * line, part, "middle"))
    return _chart(name, body, words, height=HEIGHT + 8)


def _two_lines(title: str) -> list[str]:
    """A title over two lines, broken where they come out most alike."""
    words = title.split(" ")
    ways = [(" ".join(words[:k]), " ".join(words[k:])) for k in range(1, len(words))]
    return list(min(ways, key=lambda way: max(map(len, way)))) if ways else [title]


@dataclass(frozen=True)
class Bar:
    """One bar: what it is called, its value, and its target, None where there is none."""

    name: str
    value: float
    aim: float | None


def bars(name: str, rows: Sequence[Bar], *, low: float, unit: str, words: str) -> Chart:
    """Horizontal bars from ``low`` to 0, a line at each one's target."""
    left, step = 170.0, 34.0
    x = _across(low, 0.0, left)
    body = []
    for k, row in enumerate(rows):
        y = _TOP + k * step
        body.append(_text(left - 10, y + 15, row.name, "end", bold=True))
        wide = max(1.0, x(row.value) - left)
        body.append(
            f'<rect x="{left:.1f}" y="{y:.1f}" width="{wide:.1f}" height="20" fill="#15181b"/>'
        )
        if row.aim is not None:
            body.append(f'<path d="M{x(row.aim):.1f},{y - 4:.1f}v28" style="{LOOKS["aim"]}"/>')
        body.append(_text(x(row.value) + 8, y + 15, f"{_minus(row.value)} {unit}", "start"))
    return _chart(name, body, words, height=_TOP + step * len(rows) + 8)


def level_curve(name: str, points: Points, *, low: float, words: str) -> Chart:
    """Level out over level in, both in dBFS from ``low`` to 0, beside the line of no change."""
    y, x = _straight(low, 0.0), _across(low, 0.0, _LEFT)
    body = [_grid(low, 0.0, 10.0, y), _text(_LEFT - 8, 14, "dBFS", "end")]
    level = low
    while level <= 0.0:
        body.append(_text(x(level), HEIGHT - 10, plain(level, 0), "middle"))
        level += 10.0
    straight = f"M{x(low):.1f},{y(low):.1f}L{x(0.0):.1f},{y(0.0):.1f}"
    body.append(f'<path d="{straight}" style="{LOOKS["dots"]}"/>')
    path = "M" + "L".join(f"{x(at):.1f},{y(out):.1f}" for at, out in points)
    body.append(f'<path d="{path}" style="{LOOKS["solid"]}"/>')
    body.append(_text(_LEFT, 14, _("out over in"), "start", bold=True))
    return _chart(name, body, words)


def over_time(name: str, levels: Sequence[float], aim: tuple[float, float], words: str) -> Chart:
    """A level for each second, dBFS, over the range that it should be in."""
    y = _straight(-40.0, 0.0)
    wide = (WIDTH - _LEFT - _RIGHT) / max(len(levels), 1)
    top, bottom = y(aim[1]), y(aim[0])
    body = [
        f'<rect x="{_LEFT}" y="{top:.1f}" width="{WIDTH - _LEFT - _RIGHT}"'
        f' height="{bottom - top:.1f}" fill="#d9e6e4"/>',
        _grid(-40.0, 0.0, 10.0, y),
        _text(_LEFT - 8, 14, "dBFS", "end"),
        _text(_LEFT, 14, _("one bar a second"), "start", bold=True),
    ]
    for k, level in enumerate(levels):
        at = y(level)
        body.append(
            f'<rect x="{_LEFT + k * wide + 0.15 * wide:.1f}" y="{at:.1f}" width="{0.7 * wide:.1f}"'
            f' height="{max(1.0, HEIGHT - _BOTTOM - at):.1f}" fill="#15181b"/>'
        )
    return _chart(name, body, words)


@dataclass(frozen=True)
class Count:
    """What was counted of a series: how often of how many, and between what chance alone lands."""

    name: str
    first: float
    rounds: int
    chance: tuple[float, float]


def counts(name: str, rows: Sequence[Count], words: str) -> Chart:
    """One track for each series, from none to all of its rounds."""
    left, step = 250.0, 34.0
    body = []
    for k, row in enumerate(rows):
        y, x = _TOP + k * step, _across(0.0, float(max(row.rounds, 1)), left)
        body.append(_text(left - 10, y + 15, row.name, "end", bold=True))
        body.append(
            f'<rect x="{x(row.chance[0]):.1f}" y="{y:.1f}"'
            f' width="{x(row.chance[1]) - x(row.chance[0]):.1f}" height="20" fill="#c3cccb"/>'
        )
        body.append(f'<path d="M{x(0.0):.1f},{y + 10:.1f}H{x(row.rounds):.1f}" stroke="#4b5459"/>')
        body.append(f'<path d="M{x(row.first):.1f},{y - 3:.1f}v26" style="{LOOKS["aim"]}"/>')
        body.append(
            _text(
                x(row.rounds) + 8,
                y + 15,
                _("{first:g} of {rounds}", first=row.first, rounds=row.rounds),
                "start",
            )
        )
    return _chart(name, body, words, height=_TOP + step * len(rows) + 8)


def _across(low: float, high: float, left: float) -> Callable[[float], float]:
    wide = (WIDTH - left - _RIGHT - 70.0) / (high - low)
    return lambda value: left + wide * (min(max(value, low), high) - low)


def _chart(name: str, body: Sequence[str], words: str, *, height: float = HEIGHT) -> Chart:
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height:.0f}" role="img"'
        f' aria-label="{escape(words)}"><title>{escape(name)}</title>{"".join(body)}</svg>'
    )
    return Chart(name, svg, words)


def _minus(level: float) -> str:
    return plain(level)


def _text(x: float, y: float, text: str, anchor: str, *, bold: bool = False) -> str:
    weight = ' font-weight="700"' if bold else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" font-size="12"{weight}>'
        f"{escape(text)}</text>"
    )


def _grid(low: float, high: float, step: float, y: Callable[[float], float]) -> str:
    lines = int((high - low) / step + 1e-6) + 1
    # Where levels lie far apart, every second or fifth line is enough.
    every = next(each for each in (1, 2, 5, 10, 50, lines) if lines / each <= _MOST_LINES)
    rows = []
    for number in range(0, lines, every):
        level = low + number * step
        rows.append(
            f'<path d="M{_LEFT},{y(level):.1f}H{WIDTH - _RIGHT}" stroke="#c3cccb"/>'
            + _text(_LEFT - 8, y(level) + 4, plain(level, 0), "end")
        )
    return "".join(rows)


def _log(low: float, high: float) -> Callable[[float], float]:
    wide = (WIDTH - _LEFT - _RIGHT) / math.log(high / low)
    return lambda hz: _LEFT + wide * math.log(min(max(hz, low), high) / low)


def _straight(low: float, high: float) -> Callable[[float], float]:
    tall = (HEIGHT - _TOP - _BOTTOM) / max(high - low, 1e-9)
    return lambda level: HEIGHT - _BOTTOM - tall * (min(max(level, low), high) - low)
