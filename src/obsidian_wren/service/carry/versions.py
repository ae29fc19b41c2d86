"""Versions: every confirmation keeps one; any can be brought back, and any two be compared."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from sqlalchemy import func, select

from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.decisions import in_force
from obsidian_wren.service.carry.fingerprint import fingerprint
from obsidian_wren.service.carry.rows import put_rows, rows_of
from obsidian_wren.service.carry.whole import settings_file
from obsidian_wren.service.changes.record import change, tell_also
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.prove.versions import kept_calibration, version_of, version_title
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import KeptCalibration, Version

BROUGHT = "brought"


def keep_version(ctx: RigContext, *, step: str = "", name: str = "") -> Version | None:
    """Keep the calibration as it stands as the next version, None before there is one."""
    if not chain_is_whole(ctx):
        return None
    return _add(ctx, keep_settings(ctx), step=step, name=name)


def _add(ctx: RigContext, sha256: str, *, step: str = "", name: str = "") -> Version:
    highest = ctx.session.scalar(
        select(func.max(Version.number)).where(Version.rig_id == ctx.rig.id)
    )
    row = Version(
        rig_id=ctx.rig.id,
        number=(highest or 0) + 1,
        name=name[:80],
        note=_situation(ctx),
        step=step,
        sha256=sha256,
        fingerprint=fingerprint(ctx),
        discarded=False,
        at=now(),
    )
    ctx.session.add(row)
    ctx.session.flush()
    return row


def _situation(ctx: RigContext) -> str:
    found = in_force(ctx)
    return "" if found is None else _("Situation: {name}.", name=found.name)


def keep_settings(ctx: RigContext) -> str:
    """Keep what stands, once for all that are alike; gives the word it is found by."""
    body = {"file": settings_file(ctx), "rows": rows_of(ctx)}
    digest = hashlib.sha256(json.dumps(body, sort_keys=True).encode()).hexdigest()
    if ctx.session.get(KeptCalibration, digest) is None:
        ctx.session.add(KeptCalibration(sha256=digest, **body))
        ctx.session.flush()
    return digest


def describe_version(app: AppContext, version_id: int, *, name: str, note: str) -> None:
    """Give a version a name and a note. Raises Refused."""
    with change(app, _("Named a version")) as session:
        row = version_of(in_hand(app, session), version_id)
        row.name, row.note = name.strip(), note.strip()
    app.changed()


def discard_version(app: AppContext, version_id: int) -> None:
    """Take a version out of sight; undo brings it back. Raises Refused."""
    with change(app, _("Removed a version")) as session:
        version_of(in_hand(app, session), version_id).discarded = True
    app.changed()


def bring_back(app: AppContext, version_id: int) -> None:
    """Put a version's settings in force, as they were to the last digit. What stood until now is
    kept as a version too, unless one holds it. Raises Refused."""
    with app.sessions() as session:
        title = version_title(version_of(in_hand(app, session), version_id))
    with change(app, _("Brought back {title}", title=title)) as session:
        refuse_during_take(app)
        ctx = in_hand(app, session)
        wanted = kept_calibration(ctx, version_of(ctx, version_id))
        before = keep_settings(ctx) if chain_is_whole(ctx) else None
        if before is not None and not _is_kept(ctx, before):
            _add(ctx, before, name=_("Before {title}", title=title))
        put_rows(ctx, wanted.rows)
        if before is not None:
            tell_also(session, f"{BROUGHT}/{ctx.rig.id}", before, wanted.sha256)
    app.changed()


def _is_kept(ctx: RigContext, sha256: str) -> bool:
    found = select(Version.id).where(Version.rig_id == ctx.rig.id, Version.sha256 == sha256)
    return ctx.session.scalars(found).first() is not None


def put_back(ctx: RigContext, sha256: str) -> None:
    """Undo and redo: what was in force before or after a version was brought back."""
    kept = ctx.session.get(KeptCalibration, sha256)
    if kept is not None:
        put_rows(ctx, kept.rows)


def version_file(app: AppContext, version_id: int) -> tuple[str, dict[str, Any]]:
    """A file name, and a version as a calibration file. Raises Refused."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        row = version_of(ctx, version_id)
        file = dict(kept_calibration(ctx, row).file)
        return f"calibration-{row.number}.json", {**file, "name": row.name, "note": row.note}
