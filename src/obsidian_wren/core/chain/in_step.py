"""What stages of one chain have from each other beside the sound: frames that two of them work on
together, and the likelihood ratio of speech, which noise reduction tells, kept in step with the
sound until a gate hears it.

Source: practice: what was worked out once is not worked out again.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

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
        # What who gives a block knows of it, ``(n,)``, and then of what each stage gives.
        self.known: Samples | None = None
        self._hear = [getattr(stage, "hear", None) for stage in stages]
        self._tells = [hasattr(stage, "likelihood_db") for stage in stages]
        hearing = [place for place, hear in enumerate(self._hear) if hear is not None]
        # Behind the last that hears it nobody asks.
        self._lags = [Delay(stage.delay_samples) for stage in stages[: max(hearing, default=0)]]

    def reaches(self, place: int) -> None:
        """Tell it to the stage at a place, where that can ``hear`` it."""
        hear = self._hear[place]
        if hear is not None and self.known is not None:
            hear(self.known)

    def passes(self, place: int, stage: Any) -> None:
        """Take what the stage at a place tells, or keep in step with what it gave."""
        if self._tells[place]:
            self.known = stage.likelihood_db
        elif self.known is not None and place < len(self._lags):
            self.known = self._lags[place].process(self.known)
