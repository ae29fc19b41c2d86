"""The versions that are kept of a rig's calibration. Nothing here computes."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import KeptCalibration, Version


def kept_versions(ctx: RigContext) -> list[Version]:
    """The versions of the rig in hand, the newest first."""
    return list(
        ctx.session.scalars(
            select(Version)
            .where(Version.rig_id == ctx.rig.id, Version.discarded.is_(False))
            .order_by(Version.number.desc())
        )
    )


def version_of(ctx: RigContext, version_id: str | int) -> Version:
    """One version of the rig in hand. Raises Refused."""
    known = isinstance(version_id, int) or version_id.isdecimal()
    row = ctx.session.get(Version, int(version_id)) if known else None
    if row is None or row.rig_id != ctx.rig.id:
        raise Refused("no-version", _("This version is no longer stored. Choose another one."))
    return row


def kept_calibration(ctx: RigContext, version: Version) -> KeptCalibration:
    """What a version holds."""
    return ctx.session.get_one(KeptCalibration, version.sha256)


def kept_file(ctx: RigContext, version: Version) -> dict[str, Any]:
    """The calibration file of a version, as JSON values."""
    return kept_calibration(ctx, version).file


def version_title(version: Version) -> str:
    """What a version is called in a sentence."""
    return _("version {number}", number=version.number) + (
        f" “{version.name}”" if version.name else ""
    )
