"""The proof: blind series, and checks of what drifted since."""

from __future__ import annotations

from collections.abc import Sequence

# What of a check one press takes over, by what moved; nothing where it should be switched off.
_STANDS_ON = {
    "noise": ("rest",),
    "hum": ("rest",),
    "gain": ("rest", "talk"),
    "slider": ("rest", "talk"),
    "pad": ("rest", "talk"),
    "distance": ("talk", "passage"),
    "angle": ("talk", "passage"),
    "screen": ("talk", "passage"),
    "reverb": ("talk",),
    "microphone": ("rest", "talk", "passage"),
    "voice": ("talk",),
    "unexplained": ("rest", "talk"),
}
# What a check can stand for, in the order in which it is kept.
KEPT = ("rest", "talk", "passage")


def purposes_kept(codes: Sequence[str]) -> tuple[str, ...]:
    """The purposes of takes that stand on what moved, in the order in which they are kept."""
    if "processing" in codes:
        return ()
    wanted = {purpose for code in codes for purpose in _STANDS_ON.get(code, ())}
    return tuple(purpose for purpose in KEPT if purpose in wanted)
