"""How large what is sent may be, by what is meant with it: asked before a body is read.

Each route says in its own record what it takes (:class:`BodyLimit`). The server asks here, and has
to before the routes are loaded: until then a body may be as large as the largest that any takes,
and is held against its route's own limit once that is known.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from obsidian_wren.core.wording import _

_KB, _MB = 1_000, 1_000_000


@dataclass(frozen=True)
class BodyLimit:
    """The most bytes of a body, and the sentence for one that has more."""

    largest: int
    sentence: str


_TOO_MUCH = _("This is far more than can be meant. Send less.")
# What a form says beside its file.
_FORM = 64 * _KB
# One second of the widest microphone; pages send a quarter of that and less.
LARGEST_PIECE = 4 * 192_000
LARGEST_SOUND = 2 * 1024**3

NOTHING = BodyLimit(16 * _KB, _TOO_MUCH)
SMALL = BodyLimit(256 * _KB, _TOO_MUCH)
PIECE = BodyLimit(LARGEST_PIECE, _("A piece of sound holds up to a second. Send shorter ones."))
TEXT = BodyLimit(
    4 * _MB + _FORM,
    _("The file is over 4 MB; a response is a few kilobytes of text. Is it the right file?"),
)
# 20 s of eight channels at 192 kHz.
IMPULSE = BodyLimit(
    250 * _MB + _FORM,
    _("The file is over 250 MB; an impulse response lasts up to 20 s. Shorten it first."),
)
# A minute of the same.
CLIP = BodyLimit(
    400 * _MB + _FORM,
    _("The file is over 400 MB; a clip lasts up to a minute. Shorten it first."),
)
CARRIED = BodyLimit(
    1000 * _MB + _FORM,
    _("The file is over 1 GB. Save the calibration without its takes, and bring that in."),
)
SOUND = BodyLimit(
    LARGEST_SOUND + _FORM,
    _("The file is over 2 GB. Cut out the part you need, a minute is enough."),
)
_BODILESS = ("GET", "HEAD", "DELETE", "OPTIONS")
_PLACE = re.compile(r"<(?:(int):)?[^>]+>")
_known: dict[tuple[str, re.Pattern[str]], BodyLimit] = {}


def know(routes: Iterable[tuple[str, str, BodyLimit]]) -> None:
    """Learn what the routes take: method, path under ``/api`` with its places, and limit."""
    for method, path, limit in routes:
        pattern = _PLACE.sub(lambda place: r"\d+" if place[1] else "[^/]+", path)
        _known[method.upper(), re.compile(f"/api{pattern}")] = limit


def largest_body(method: str, path: str) -> BodyLimit:
    """What a request may carry."""
    if method in _BODILESS:
        return NOTHING
    if not _known:
        return SOUND
    return next(
        (
            limit
            for (known, pattern), limit in _known.items()
            if known == method and pattern.fullmatch(path)
        ),
        SMALL,
    )
