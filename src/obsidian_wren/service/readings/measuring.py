"""Readings of takes: measured once, kept in rows for the page, and at hand for the rules."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.capsule import diffuse_gain_db, spl_of_dbfs
from obsidian_wren.core.derive.prediction import quiet_at_gain
from obsidian_wren.core.measure.bursts import without_bursts
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.readings import (
    VERSION,
    QuietReading,
    TalkReading,
    read_quiet,
    read_talk,
)
from obsidian_wren.formats.jsonable import reading_json
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings.staleness import gain_shift_db
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.hardware_rows import has_absolute_gain, interface_of, microphone_of
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Reading, Rig, Take

ROOM_PURPOSES = ("rest", "in-use", "muted", "other-gain")
VOICE_PURPOSES = ("talk", "loud", "soft", "passage", "reference", "phone")


def samples_of(app: AppContext, take: Take) -> Samples:
    """The samples of a take."""
    return sound_of(app, take.sha256)


def sound_of(app: AppContext, digest: str) -> Samples:
    """The samples of a take by its digest. Raises SoundLost."""
    loaded: Samples = app.sounds.get(digest, lambda: take_files.load_take(app.folder, digest)[0])
    return loaded


def quiet_reading(app: AppContext, take: Take) -> QuietReading:
    """The quiet reading of a take."""
    reading: QuietReading = app.readings.get(
        ("quiet", take.sha256, take.purpose),
        lambda: read_quiet(
            samples_of(app, take),
            rate_hz=take.rate_hz,
            undisturbed=undisturbed(app, take),
        ),
    )
    return reading


def undisturbed(app: AppContext, take: Take) -> Samples:
    """The room of a take: at rest without what stands out of it, in use as it is."""
    samples = samples_of(app, take)
    return without_bursts(samples, rate_hz=take.rate_hz) if take.purpose == "rest" else samples


def room_shift_db(quiet: Take, voice: Take, rig: Rig) -> float:
    """How much a room take has to be moved to stand at the gain of a voice take, dB; 0 where
    nobody knows."""
    return gain_shift_db(quiet, voice.facts, rig) or 0.0


def talk_reading(app: AppContext, take: Take, quiet: Take | None, rig: Rig) -> TalkReading:
    """The talk reading of a take against the room, whose levels are moved to the gain of this
    take."""

    key = ("talk", take.sha256)
    reading: TalkReading = app.readings.get(
        key, lambda: read_talk(samples_of(app, take), rate_hz=take.rate_hz)
    )
    if quiet is None:
        return reading
    # Only the distance between voice and room hangs on the room; the rest is read once.
    room = quiet_at_gain(quiet_reading(app, quiet), room_shift_db(quiet, take, rig))
    return replace(reading, snr_db=reading.active_level_dbfs - room.rms_dbfs)


def keep_reading(ctx: RigContext, take: Take, quiet: Take | None) -> None:
    """Measure a take and keep what was read. A resting take also tells how loud its room is."""
    if take.purpose in ROOM_PURPOSES:
        reading = quiet_reading(ctx.app, take)
        body = reading_json(reading)
        if take.purpose == "rest":
            _tell_room(ctx.rig, take, reading)
    elif take.purpose in VOICE_PURPOSES:
        body = reading_json(talk_reading(ctx.app, take, quiet, ctx.rig))
        body.update(_histogram(samples_of(ctx.app, take), take.rate_hz))
    else:
        return
    ctx.session.merge(Reading(take_id=take.id, body=body, version=VERSION))
    ctx.session.flush()


def _tell_room(rig: Rig, take: Take, reading: QuietReading) -> None:
    """The room's level in dB(A), as an omni would hear it, where the path's numbers are known."""
    if not has_absolute_gain(rig) or take.gain_db is None:
        return
    microphone = microphone_of(rig)
    heard = spl_of_dbfs(
        reading.a_weighted_dbfs,
        microphone,
        interface_of(rig),
        take.gain_db,
        pad_on=bool(take.facts.get("pad_on")),
    )
    if heard is not None:
        rig.room.noise_dba = round(heard - diffuse_gain_db(microphone.pattern), 1)


def _histogram(samples: Samples, rate_hz: int) -> dict[str, Any]:
    """Share of 10 ms frames at each whole dBFS from −96 to 0."""
    levels = np.clip(frame_levels_dbfs(samples, rate_hz=rate_hz), -96.0, 0.0)
    counts, _ = np.histogram(levels, bins=np.arange(-96.0, 1.5))
    return {
        "histogram_dbfs": [round(float(c), 5) for c in counts / max(1, len(levels))],
        "histogram_from_dbfs": -96.0,
    }


def takes_without_reading(session: Session) -> list[Take]:
    """Usable takes whose reading was never made, or was made by an older version."""
    wanted = (
        select(Take)
        .outerjoin(Reading, Reading.take_id == Take.id)
        .where(
            or_(Reading.take_id.is_(None), Reading.version < VERSION),
            Take.fault.is_(None),
            Take.discarded.is_(False),
            Take.purpose.in_(ROOM_PURPOSES + VOICE_PURPOSES),
        )
        .order_by(Take.id)
    )
    return list(session.scalars(wanted))
