"""What the Prove step shows of checks, and of the listeners that were proved around each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import select

from obsidian_wren.core.mix.checks import KeptProof
from obsidian_wren.core.prove.found import FoundCheck
from obsidian_wren.core.wording import _
from obsidian_wren.service import prove
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.page import views
from obsidian_wren.service.prove.kept import kept_checks
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Proof, Take

_TITLES = {
    "noise_floor_dbfs": _("Noise floor"),
    "noise_floor_dbfs_a": _("Noise floor, A-weighted"),
    "between_words_dbfs": _("Noise between your words"),
    "active_level_dbfs": _("Level of your voice"),
    "snr_db": _("Signal-to-noise ratio"),
    "peaks_dbfs": _("Normal peaks"),
    "range_db": _("Range of your voice"),
    "hum_dbfs": _("Mains hum"),
    "late_db": _("Reverb after a word"),
    "decay_s": _("Room decay"),
    "clipped": _("Clipped peaks"),
    "tone_db": _("Tone, all bands"),
}
_KEPT = {"rest": _("the room"), "talk": _("your talk"), "passage": _("the passage")}
# Where a marker is found moves by a block and a buffer from one proof to the next.
_DELAY_MS = 12.0


def checks(ctx: RigContext) -> list[views.CheckedView]:
    """The checks of this rig, the newest last."""
    kept = kept_checks(ctx)
    if not kept:
        return []
    proofs = list(ctx.session.scalars(select(Proof).order_by(Proof.id)))
    names = {
        row.key: row.name
        for row in scene.destinations(ctx.session)
        if row.on and scene.kind_of(row).picks
    }
    found = []
    for at, (take, check) in enumerate(kept):
        before = kept[at + 1][0].taken_at if at + 1 < len(kept) else None
        feeds = _feeds(names, proofs, check.against, take.taken_at, before)
        found.append(_checked(take, check, feeds))
    return found


def _checked(
    take: Take, check: FoundCheck, feeds: list[views.CheckedFeedView]
) -> views.CheckedView:
    purposes = prove.purposes_kept([cause.code for cause in check.causes])
    return views.CheckedView(
        take_id=take.id,
        at=take.taken_at,
        against=check.against,
        drifted=check.drifted,
        causes=list(check.causes),
        readings=[
            convert(views.MovedView, row, name=name, title=_TITLES.get(name, name))
            for name, row in check.readings.items()
        ],
        bands=list(check.bands),
        feeds=feeds,
        keeps=_(" and ").join(_KEPT[purpose] for purpose in purposes) or None,
    )


def _feeds(
    names: Mapping[str, str], proofs: Sequence[Proof], against: str, at: str, before: str | None
) -> list[views.CheckedFeedView]:
    """Each feed in use that was proved between the calibration and a check, and what its first
    marker after the check found."""
    then: dict[str, Proof] = {}
    now: dict[str, Proof] = {}
    for proof in proofs:
        if against <= proof.at < at and proof.good:
            then[proof.destination] = proof
        elif at <= proof.at and (before is None or proof.at < before):
            now.setdefault(proof.destination, proof)
    return [_feed(name, then[key], now.get(key)) for key, name in names.items() if key in then]


def _feed(listener: str, then: Proof, now: Proof | None) -> views.CheckedFeedView:
    found = None if now is None else convert(KeptProof, now.body)
    was = convert(KeptProof, then.body).delay_ms
    is_ = None if found is None else found.delay_ms
    later = was is not None and is_ is not None and abs(is_ - was) > _DELAY_MS
    return views.CheckedFeedView(
        listener=listener,
        then_ms=was,
        now_ms=is_,
        proved=None if now is None else now.good,
        moved=now is not None and (not now.good or later),
        found=None if found is None else found.verdicts[0].sentence,
    )
