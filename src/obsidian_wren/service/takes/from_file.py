"""A take of a sound file."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import cast

import numpy as np

from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.faults import BadTake
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings.sound_notes import sentences_of
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.takes.beginning import take_facts
from obsidian_wren.service.takes.ending import fault_of
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.service.words import Control, Purpose
from obsidian_wren.store import parts


def keep_file(
    app: AppContext,
    purpose: Purpose,
    path: Path,
    *,
    channel: int | None,
    position: float | None = None,
    learns: Control = "preamp",
) -> int:
    """Make a take of a sound file.

    Raises BadTake where the file or its sound cannot serve; nothing is kept then.
    """
    if purpose == "both":
        return _keep_both(app, path)
    sound = read_sound(path, channel=channel)
    faults.check(sound.samples, rate_hz=sound.rate_hz, purpose=cast(faults.Purpose, purpose))
    with app.sessions() as session:
        facts = take_facts(in_hand(app, session), purpose, position, learns)
        rig_id = the_rig(app, session).id
    notes = tuple(sentences_of(sound, sound.notes))
    info = parts.PartInfo(purpose, sound.rate_hz, "file", facts, now(), notes, rig_id=rig_id)
    take_id = keep(app, info, sound.samples, half=False, channels=sound.channels)
    app.changed()
    fault = fault_of(app, take_id)
    if fault is not None:
        raise Refused("unusable", fault)
    return take_id


def _keep_both(app: AppContext, path: Path) -> int:
    """The first two channels of a file, as two microphones at once."""
    read = [read_sound(path, channel=1)]
    with suppress(BadTake):
        read.append(read_sound(path, channel=2))
    samples = np.column_stack([sound.samples for sound in read])
    with app.sessions() as session:
        facts, rig_id = facts_of(in_hand(app, session)), the_rig(app, session).id
    info = parts.PartInfo("both", read[0].rate_hz, "file", facts, now(), (), rig_id=rig_id)
    take_id = keep(app, info, samples, half=False)
    app.changed()
    fault = fault_of(app, take_id)
    if fault is not None:
        raise Refused("unusable", fault)
    return take_id
