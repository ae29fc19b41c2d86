"""What stages of one chain have from each other beside the sound: frames that two of them work on
together, and the likelihood ratio of speech, told by noise reduction and kept in step with the
sound until a gate hears it.

Source: practice: what was worked out once is not worked out again.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from obsidian_wren.core.chain.delay import Delay
from obsidian_wren.core.chain.stage import Stage
from obsidian_wren.core.decibels import Samples


def share_frames(stages: Sequence[Stage]) -> None:
    """Let a stage that can ``ride_on`` another one right before it weigh the same spectra."""
    for before, stage in pairwise(stages):
        ride_on = getattr(stage, "ride_on", None)
        if ride_on is not None and hasattr(before, "let_weigh"):
            ride_on(before)


class LikelihoodOfSpeech:
    """The likelihood ratio of speech, dB, beside the block on its way through ``stages``."""

    def __init__(self, stages: Sequence[Stage]) -> None:
        self.known: Samples | None = None
        hearing = [place for place, stage in enumerate(stages) if hasattr(stage, "hear")]
        # Behind the last that hears it nobody asks.
        self._lags = [Delay(stage.delay_samples) for stage in stages[: max(hearing, default=0)]]

    def enters(self, likelihood_db: Samples | None) -> None:
        """What who gives the block knows of it, ``(n,)``."""
        self.known = likelihood_db

    def reaches(self, stage: Stage) -> None:
        """Tell it to a stage that can ``hear`` it."""
        hear = getattr(stage, "hear", None)
        if hear is not None and self.known is not None:
            hear(self.known)

    def passes(self, place: int, stage: Stage) -> None:
        """Take what the stage at a place tells, or keep in step with what it gave."""
        told: Samples | None = getattr(stage, "likelihood_db", None)
        if told is not None:
            self.known = told
        elif self.known is not None and place < len(self._lags):
            self.known = self._lags[place].process(self.known)
