"""A take is kept: written, judged, measured, and what follows from it derived."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import faults, integrity
from obsidian_wren.core.measure.bursts import burst_findings
from obsidian_wren.core.measure.channels import choose_channel
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.measure.phone import require_unprocessed
from obsidian_wren.core.measure.take_findings import length_findings
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.calibration.working import ENDED
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.prove.checks import keep_check
from obsidian_wren.service.prove.two import keep_two
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.service.takes.both import keep_both
from obsidian_wren.service.takes.write_take import write_take
from obsidian_wren.store import parts, take_files
from obsidian_wren.store.models import Reading, Rig, Take

MOST_SENTENCES = 10


def drop_older_sentences(session: Session, newest: Take) -> None:
    """Put sentences of a rig out of sight but for the last ten."""
    kept = session.scalars(
        select(Take)
        .where(
            Take.rig_id == newest.rig_id,
            Take.purpose == "sentence",
            Take.discarded.is_(False),
        )
        .order_by(Take.id.desc())
    )
    for take in list(kept)[MOST_SENTENCES:]:
        take.discarded = True


_LOG = logging.getLogger(__name__)
# They stand beside the calibration: nothing is derived from them.
_BESIDE = ("check", "sentence", "both")


def keep(
    app: AppContext,
    info: parts.PartInfo,
    samples: Samples,
    *,
    half: bool,
    ended: str | None = None,
    channels: integrity.Channels | None = None,
    part_id: str | None = None,
) -> int:
    """Write a take, its row and its reading.

    A take that cannot be used is kept with the sentence that says why; so is one whose measuring
    was ended by somebody who would not wait.

    Of ``(n, channels)`` one channel is chosen, and what the channels say of each other is kept; of
    a file that is known already. The part that it was goes once its row stands.
    """
    judge = keep_both if info.purpose == "both" else _keep_one
    take_id, usable = app.work(judge, info, samples, half, ended, channels)
    if part_id is not None:
        parts.drop_part(app.folder, part_id)
    if usable:
        app.work(_measure_and_derive, take_id)
    return take_id


def _keep_one(
    app: AppContext,
    info: parts.PartInfo,
    samples: Samples,
    half: bool,
    ended: str | None,
    channels: integrity.Channels | None,
) -> tuple[int, bool]:
    """The number of its row, and whether it can be used."""
    fault, notes = None, list(info.notes)
    if samples.ndim > 1:
        channels = integrity.compare_channels(samples)
    chosen = samples if samples.ndim == 1 else samples[:, 0]
    try:
        chosen, channel_notes = choose_channel(samples, None)
        notes += [note.sentence for note in channel_notes]
        notes += [
            note.sentence
            for note in faults.check(
                chosen, rate_hz=info.rate_hz, purpose=cast(faults.Purpose, info.purpose)
            )
        ]
        notes += [
            f"{found.sentence} {found.action}"
            for found in _findings(chosen, info.rate_hz, info.purpose)
        ]
    except faults.BadTake as error:
        fault = error
    take_id = write_take(
        app, info, chosen, half=half, ended=ended, notes=notes, fault=fault, channels=channels
    )
    return take_id, fault is None


def _findings(samples: Samples, rate_hz: float, purpose: str) -> list[Finding]:
    """What is said of a take beside what makes the floor, which its step shows."""
    if purpose == "rest":
        return burst_findings(samples, rate_hz=rate_hz)
    return length_findings(len(samples) / rate_hz) if purpose == "passage" else []


def _measure_and_derive(app: AppContext, take_id: int) -> None:
    """Measure a new take and derive what it gives, until it is ended.

    A take that cannot carry its rule stays with the sentence that says why.
    """
    with deriving.told(app) as go_on:
        _measure(app, take_id, go_on)
        with app.sessions() as session:
            if session.get_one(Take, take_id).fault is not None:
                return
        _derive(app, take_id, go_on)


def _measure(app: AppContext, take_id: int, go_on: Callable[[], None]) -> None:
    with _answered(app, take_id), app.sessions.begin() as session:
        go_on()
        take = session.get_one(Take, take_id)
        if take.purpose == "check":
            return keep_check(RigContext.of(app, session, take.rig_id), take)
        if take.purpose == "sentence":
            return drop_older_sentences(session, take)
        if take.purpose == "both":
            return keep_two(RigContext.of(app, session, take.rig_id), take)
        rig = session.get_one(Rig, take.rig_id)
        now = current_takes(session, rig)
        if take.purpose == "phone":
            require_unprocessed(
                measuring.samples_of(app, take),
                measuring.talk_reading(app, take, None, rig),
                None if now.passage is None else measuring.samples_of(app, now.passage),
                passage_hz=None if now.passage is None else now.passage.rate_hz,
            )
        measuring.keep_reading(RigContext(app, session, rig), take, now.quiet)


def _derive(app: AppContext, take_id: int, go_on: Callable[[], None]) -> None:
    with _answered(app, take_id), app.sessions.begin() as session:
        take = session.get_one(Take, take_id)
        if take.purpose in _BESIDE:
            return
        ctx = RigContext.of(app, session, take.rig_id)
        ctx.go_on = go_on
        deriving.derive_after_take(ctx, take)


@contextmanager
def _answered(app: AppContext, take_id: int) -> Iterator[None]:
    """What the rules refuse, or find no answer to, becomes the fault of the take.

    What was derived from the take before it stands.
    """
    try:
        yield
    except FolderError as error:
        if not isinstance(error, take_files.SoundLost):
            raise
        _mark(app, take_id, error.code, str(error))
    except Told as error:
        _mark(app, take_id, error.code, _ENDED if error.code == ENDED else str(error))
    except Exception:
        _LOG.exception("The rules found no answer for a take")
        _mark(app, take_id, "no-answer", _NO_ANSWER)


_ENDED = _(
    "You stopped this before it was calculated, so it is not used; earlier results stay. Record"
    " it again, or discard it."
)
_NO_ANSWER = _(
    "The rules have no answer for this take, so it is not used; earlier results stay. Check the"
    " level and the microphone, then record it again."
)


def _mark(app: AppContext, take_id: int, code: str, sentence: str) -> None:
    with app.sessions.begin() as session:
        take = session.get_one(Take, take_id)
        take.fault, take.fault_code = sentence, code


def measure_missing(app: AppContext) -> int:
    """At a start: read the takes that have no reading, and derive what stands on them.

    Returns how many there were.
    """
    return app.work(_measure_missing)


def _measure_missing(app: AppContext) -> int:
    with app.sessions() as session:
        missing = [(take.id, take.rig_id) for take in measuring.takes_without_reading(session)]
    with app.sessions.begin() as session:
        # What an older version read says nothing of what it did not know.
        for take_id, _ in missing:
            if (reading := session.get(Reading, take_id)) is not None:
                session.delete(reading)
    for take_id, rig_id in missing:
        with _answered(app, take_id), app.sessions.begin() as session:
            rig = session.get_one(Rig, rig_id)
            measuring.keep_reading(
                RigContext(app, session, rig),
                session.get_one(Take, take_id),
                current_takes(session, rig).quiet,
            )
    for rig_id in {rig_id for _, rig_id in missing}:
        newest = max(take_id for take_id, of in missing if of == rig_id)
        with _answered(app, newest), app.sessions.begin() as session:
            deriving.derive_after_change(RigContext.of(app, session, rig_id))
    return len(missing)
