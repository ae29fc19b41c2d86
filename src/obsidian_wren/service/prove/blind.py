"""Blind series: the program draws, the page knows only “one” and “other” until the end."""

from __future__ import annotations

import io
import random
from typing import Literal

import numpy as np
import soundfile
from sqlalchemy import select

from obsidian_wren.core.prove.pair import Pair, matched_pair, starts_at_s, veiled
from obsidian_wren.core.prove.series import Answer, Kind, draw
from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.kept import running_series
from obsidian_wren.service.prove.sentence import (
    delay_saved_ms,
    first_of,
    heard_as,
    pair_names,
    take_of_pair,
)
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Series, Take

Which = Literal["one", "other"]


def begin_series(app: AppContext, second: str, kind: Kind, rounds: int) -> None:
    """Draw a series of a pair, named by its second sound. Raises Refused."""
    with app.lock, app.sessions.begin() as session:
        ctx = in_hand(app, session)
        if running_series(ctx) is not None:
            raise Refused("series-runs", _("A series is running. Finish it, or end it first."))
        names = pair_names(ctx, second)
        take = take_of_pair(ctx, second)
        first = first_of(second)
        samples = heard_as(ctx, take, first)
        series = Series(
            rig_id=ctx.rig.id,
            kind=kind,
            first=first,
            second=second,
            take_sha256=take.sha256,
            from_s=round(starts_at_s(samples, rate_hz=take.rate_hz), 3),
            saved_ms=round(delay_saved_ms(ctx, second, take.rate_hz), 2),
            # Drawn by what nobody can foresee.
            order=list(draw(rounds, random.SystemRandom())),
            answers=[],
            ended=False,
            discarded=False,
            at=now(),
            names=[names.title, names.first, names.second],
        )
        session.add(series)
        session.flush()
        # Both are made before either is asked for, so that waiting tells nothing.
        series.loudness_lufs = list(_pair(ctx, series)[0].loudness_lufs)
    app.changed()


def answer_series(app: AppContext, round_number: int, answer: Answer) -> None:
    """What was answered in a round, counted from 0; the last one ends the series. Raises
    Refused."""
    title = _("A blind series")
    with change(app, title) as session:
        ctx = in_hand(app, session)
        series = running_series(ctx)
        if series is None:
            raise Refused("no-series", _("No series is running. Begin one."))
        if round_number != len(series.answers):
            raise Refused("answered", _("This round is already answered."))
        series.answers = [*series.answers, answer]
        series.ended = len(series.answers) == len(series.order)
    app.changed()


def end_series(app: AppContext) -> None:
    """Break a series off: it is not kept."""
    with app.lock, app.sessions.begin() as session:
        series = running_series(in_hand(app, session))
        if series is not None:
            session.delete(series)
    app.changed()


def discard_series(app: AppContext, series_id: int) -> None:
    """Take a series out of sight; undo brings it back."""
    with change(app, _("Removed a blind series")) as session:
        series = session.get(Series, series_id)
        if series is None or not series.ended:
            raise Refused("no-series", _("This series is no longer there."))
        series.discarded = True
    app.changed()


def series_sound(app: AppContext, which: Which) -> bytes:
    """A WAV of “one” or “other” in the round that is due. Raises Refused."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        series = running_series(ctx)
        if series is None:
            raise Refused("no-series", _("No series is running. Begin one."))
        pair, rate = _pair(ctx, series)
        first_is_one = series.order[len(series.answers)]
    wanted = pair.first if (which == "one") == first_is_one else pair.second
    out = io.BytesIO()
    sound = veiled(wanted, np.random.default_rng())
    soundfile.write(out, np.clip(sound, -1.0, 1.0), rate, format="WAV", subtype="PCM_24")
    return out.getvalue()


def _pair(ctx: RigContext, series: Series) -> tuple[Pair, int]:
    take = ctx.session.scalars(select(Take).where(Take.sha256 == series.take_sha256)).first()
    if take is None:
        raise Refused(
            "no-take", _("The sentence of this series is gone. End it and begin another.")
        )

    def make() -> Pair:
        first, second = (heard_as(ctx, take, name) for name in (series.first, series.second))
        try:
            return matched_pair(first, second, rate_hz=take.rate_hz, from_s=series.from_s)
        except ValueError as error:
            raise Refused(
                "silent", _("One of the two is silent. Read the passage in Tone again.")
            ) from error

    pair: Pair = ctx.app.sounds.get(("pair", series.id), make)
    return pair, take.rate_hz
