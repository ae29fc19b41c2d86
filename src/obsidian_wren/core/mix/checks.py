"""What is said of a listener: the proof by sound first, then what can be told in silence; nothing
twice.

Practice: what really arrived speaks for what is picked, so a finding about the picked input is left
out once the marker has told.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from obsidian_wren.core.mix.reprocessing import Reprocessing
from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.core.wording import _

CheckMark = Literal["good", "fault", "none"]
# What a proof by sound says makes these findings of the silent audit superfluous.
_ABOUT_PICKS = frozenset({"picks raw", "picks another", "picks nothing", "picks its feed", "muted"})


@dataclass(frozen=True)
class Check:
    """One line under a listener: its mark, the sentence, what to do, what the numbers are."""

    code: str
    mark: CheckMark
    sentence: str
    advice: str | None = None
    detail: str | None = None


@dataclass(frozen=True, kw_only=True)
class KeptProof:
    """What a marker found at a listener: the delay from the microphone on, ms, waiting for a block
    included, ``ours_ms`` of it in this program; by how much its clock is off; the marker's level
    against the one that was sent; loudness in LUFS as it was heard; after how long it came back;
    what was done to the voice again."""

    verdicts: tuple[Verdict, ...]
    delay_ms: float | None
    ours_ms: float | None = None
    rate_ppm: float | None = None
    level_db: float | None = None
    lufs: float | None
    returned_ms: float | None = None
    again: Reprocessing | None = None


@dataclass(frozen=True, kw_only=True)
class ProofFacts(KeptProof):
    """The newest proof of a listener; ``stale``: another input is picked since; ``beyond``: where
    the rest of the delay lies."""

    stale: bool
    beyond: str = _("in the program")


def listener_checks(
    audit: Sequence[Verdict], proof: ProofFacts | None, *, provable: bool
) -> tuple[Check, ...]:
    """The checks in the order in which they are read, the proof first. ``provable``: a marker
    can reach it."""
    is_proved = proof is not None and not proof.stale
    proved = proof.verdicts if proof is not None and is_proved else ()
    codes = {verdict.code for verdict in proved}
    wrong = any(verdict.mark == "fault" for verdict in proved)
    silent = [
        verdict
        for verdict in audit
        if verdict.code not in codes
        and not (is_proved and verdict.code in _ABOUT_PICKS and (wrong or verdict.mark != "fault"))
    ]
    found = [_check(verdict) for verdict in (*proved, *silent)]
    if proof is not None and proved:
        first = found[0]
        found[0] = Check(first.code, first.mark, first.sentence, first.advice, _detail(proof))
    if not is_proved and provable:
        sentence = (
            _("No marker was sent yet")
            if proof is None
            else _("Another input was chosen after the marker: send it again")
        )
        found.insert(0, Check("unproved", "none", sentence))
    return tuple(found)


def _check(verdict: Verdict) -> Check:
    mark: CheckMark = "none" if verdict.mark == "note" else verdict.mark
    return Check(verdict.code, mark, verdict.sentence, verdict.advice)


def _detail(proof: ProofFacts) -> str | None:
    parts = []
    if proof.delay_ms is not None and proof.ours_ms is not None:
        beyond = max(0.0, proof.delay_ms - proof.ours_ms)
        parts.append(
            _(
                "{ours_ms:.0f} ms of it here, {beyond:.0f} {beyond_2}",
                ours_ms=proof.ours_ms,
                beyond=beyond,
                beyond_2=proof.beyond,
            )
        )
    if proof.lufs is not None:
        parts.append(_("heard at {lufs:.1f} LUFS", lufs=proof.lufs))
    return "; ".join(parts) or None
