"""How large what is sent may be, by what is meant with it: one place, asked before a body is
read."""

from __future__ import annotations

import re

from obsidian_wren.core.wording import worded

_KB, _MB = 1_000, 1_000_000
# One second of the widest microphone; pages send a quarter of that and less.
LARGEST_PIECE = 4 * 192_000
LARGEST_TEXT = 4 * _MB
# A minute of eight channels at 192 kHz.
_LARGEST_CLIP = 400 * _MB
LARGEST_SOUND = 2 * 1024**3
# What a form says beside its file.
_FORM = 64 * _KB
_SMALL = 256 * _KB
_NOTHING = 16 * _KB

_ROUTES: tuple[tuple[re.Pattern[str], int, str], ...] = tuple(
    (re.compile(pattern), largest, sentence)
    for pattern, largest, sentence in (
        (
            r"/api/takes/file",
            LARGEST_SOUND + _FORM,
            worded("The file is over 2 GB. Cut out the part that you need, a minute is enough."),
        ),
        (
            r"/api/clips",
            _LARGEST_CLIP + _FORM,
            worded("The file is over 400 MB; a clip lasts up to a minute. Cut it shorter first."),
        ),
        (
            r"/api/(response|targets)",
            LARGEST_TEXT + _FORM,
            worded(
                "The file is over 4 MB; a response is a few kilobytes of text. Is it the right"
                " file?"
            ),
        ),
        (
            r"/api/(takes/browser/[^/]+/\d+|run/piece|watch/piece)",
            LARGEST_PIECE,
            worded("A piece of sound holds up to a second. Send it in shorter ones."),
        ),
    )
)
_TOO_MUCH = worded("This is far more than can be meant here. Send less.")


def largest_body(method: str, path: str) -> tuple[int, str]:
    """The most bytes that a request may carry, and the sentence for one that carries more."""
    if method in ("GET", "HEAD", "DELETE", "OPTIONS"):
        return _NOTHING, _TOO_MUCH
    for pattern, largest, sentence in _ROUTES:
        if pattern.fullmatch(path):
            return largest, sentence
    return _SMALL, _TOO_MUCH
