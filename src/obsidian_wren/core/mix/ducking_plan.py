"""How far, how long and how fast a source goes down while the voice speaks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.words import Word, pauses_s
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.wording import _

_PART_OF_A_PHRASE_S = 0.35
_ATTACK_MS = 15.0
# Practice: most pauses of calm talk are inside it, and music comes back unnoticed.
_USUAL_HOLD_MS, _USUAL_RELEASE_MS = 250.0, 400.0
_USUAL = Ducking(-40.0, _ATTACK_MS, _USUAL_HOLD_MS, _USUAL_RELEASE_MS)


def plan_ducking(
    treated: Samples, words: Sequence[Word], *, room_dbfs: float, rate_hz: float
) -> tuple[Ducking, str]:
    """The ducking for a voice behind its chain ``(n,)``, and why; usual times where it has no
    words.

    ``room_dbfs``: the room behind the same chain, dBFS (AES17). Practice: music leaves a talker
    before the second syllable and returns between phrases, not inside them.
    """
    if not words:
        return _USUAL, _("Too few words to learn your pauses, so these are usual times.")
    active = active_level(treated, rate_hz=rate_hz).level_dbfs
    return derive_ducking(words, active_dbfs=active, room_dbfs=room_dbfs)


def derive_ducking(
    words: Sequence[Word], *, active_dbfs: float, room_dbfs: float
) -> tuple[Ducking, str]:
    """Threshold and times from this voice, and why.

    Levels in dBFS (AES17) behind the chain; the depth is each send's own.
    """
    pauses = pauses_s(tuple(words))
    inside, between = pauses[pauses < _PART_OF_A_PHRASE_S], pauses[pauses >= _PART_OF_A_PHRASE_S]
    threshold = max(active_dbfs - 14.0, min(room_dbfs + 10.0, active_dbfs - 6.0))
    hold = (
        float(np.clip(1000.0 * np.percentile(inside, 95), 150.0, 350.0))
        if len(inside) >= 5
        else _USUAL_HOLD_MS
    )
    release = (
        float(np.clip(1000.0 * np.percentile(between, 50) / 2.0, 200.0, 900.0))
        if len(between) >= 2
        else _USUAL_RELEASE_MS
    )
    because = _(
        "19 of 20 pauses inside your phrases end within {hold:.0f} ms, so it holds that long;"
        " between phrases you pause long enough for a release of {release:.0f} ms.",
        hold=hold,
        release=release,
    )
    return Ducking(threshold, _ATTACK_MS, hold, release), because
