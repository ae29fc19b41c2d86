"""A mix without the person's own voice, as a mute leaves it.

Source: practice: a mute takes the microphone away, and lets clips, music and others go on.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from obsidian_wren.core.mix.engine import Mix

_TAPS = ("raw", "treated", "at once")


def voice_signals(voices: Collection[str]) -> frozenset[str]:
    """The signals of voices by their keys, such as ``voice treated``; no unit."""
    return frozenset(f"{key} {tap}" for key in voices for tap in _TAPS)


def without_voices(mix: Mix, voices: Collection[str]) -> Mix:
    """A mix without the signals of its voices. Nothing ducks under a voice that is not heard, so
    every depth is 0 dB."""
    silent = voice_signals(voices)
    sends = tuple(replace(send, duck_db=0.0) for send in mix.sends if send.signal not in silent)
    return replace(mix, sends=sends)
