"""Pictures of a calibration as SVG text, each with what it shows in words: no script, no font and
nothing from outside.

Source: SVG 2; text alternatives by WAI-ARIA (role img with a label).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape

Points = Sequence[tuple[float, float]]
WIDTH, HEIGHT = 720, 250
_LEFT, _RIGHT, _TOP, _BOTTOM = 52, 14, 26, 30
_TICKS_HZ = (31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000)
_ONE_KHZ, _FINE_DB = 1000, 30.0


@dataclass(frozen=True)
class Chart:
    """One picture: its name, its SVG, and what it shows in a sentence."""

    name: str
    svg: str
    words: str


@dataclass(frozen=True)
class Line:
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


def over_frequency(name: str, lines: Sequence[Line], *, unit: str, words: str) -> Chart:
    """Curves over frequency, in third-octave ticks."""
    levels = [level for line in lines for _, level in line.points]
    high = 10.0 * math.ceil(max(levels, default=0.0) / 10.0 + 1e-9)
    low = 10.0 * math.floor(min(levels, default=-10.0) / 10.0 - 1e-9)
    x, y = _log(25.0, 20_000.0), _straight(low, high)
    body = [_grid(low, high, 10.0 if high - low > _FINE_DB else 5.0, y)]
    for hz in _TICKS_HZ:
        tick = f"{hz / _ONE_KHZ:g} k" if hz >= _ONE_KHZ else f"{hz:g}"
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
    body = [_grid(-100.0, 0.0, 20.0, y), _text(_LEFT - 8, 14, "dBFS", "end")]
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
                body.append(_text(left + across, y(level) - 4, f"{key} {_minus(level)}", "end"))
        body.append(_text(left + across / 2, HEIGHT - 10, str(place["title"]), "middle", bold=True))
    return _chart(name, body, words)


def _chart(name: str, body: Sequence[str], words: str) -> Chart:
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" role="img"'
        f' aria-label="{escape(words)}"><title>{escape(name)}</title>{"".join(body)}</svg>'
    )
    return Chart(name, svg, words)


def _minus(level: float) -> str:
    return f"{level:.1f}".replace("-", "−")


def _text(x: float, y: float, text: str, anchor: str, *, bold: bool = False) -> str:
    weight = ' font-weight="700"' if bold else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" font-size="12"{weight}>'
        f"{escape(text)}</text>"
    )


def _grid(low: float, high: float, step: float, y: Callable[[float], float]) -> str:
    rows = []
    level = low
    while level <= high + 1e-6:
        rows.append(
            f'<path d="M{_LEFT},{y(level):.1f}H{WIDTH - _RIGHT}" stroke="#c3cccb"/>'
            + _text(_LEFT - 8, y(level) + 4, f"{level:.0f}".replace("-", "−"), "end")
        )
        level += step
    return "".join(rows)


def _log(low: float, high: float) -> Callable[[float], float]:
    wide = (WIDTH - _LEFT - _RIGHT) / math.log(high / low)
    return lambda hz: _LEFT + wide * math.log(min(max(hz, low), high) / low)


def _straight(low: float, high: float) -> Callable[[float], float]:
    tall = (HEIGHT - _TOP - _BOTTOM) / max(high - low, 1e-9)
    return lambda level: HEIGHT - _BOTTOM - tall * (min(max(level, low), high) - low)
