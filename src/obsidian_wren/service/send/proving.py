"""Proof by sound: the marker through every path of what is live, and what it says of each
listener."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.measure.loudness import measure_loudness
from obsidian_wren.core.mix.checks import KeptProof
from obsidian_wren.core.mix.marker import marker_codes, marker_level_dbfs
from obsidian_wren.core.mix.marker_codes import MarkerCodes
from obsidian_wren.core.mix.proof import prove
from obsidian_wren.core.mix.verdict import Arrived, Verdict, judge
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.service.send import listening_page
from obsidian_wren.store.models import Proof, Reading
from obsidian_wren.voice.marker_flight import HeardMarker

# A voice whose level nobody measured is taken for a usual one.
_USUAL_DBFS = -30.0


def send_marker(app: AppContext) -> None:
    """Send the marker through every path; each proof is kept when it has been looked for.

    At inputs of this computer's system we listen ourselves first, as any program would.
    """
    run = live.current(app).run
    if run is None or run.finished.is_set():
        raise Refused("not-live", _("You are not live, so nothing can arrive. Start live first."))
    if run.marker_in_flight:
        raise Refused("marker", _("A marker is on its way already."))
    with app.sessions() as session:
        level = marker_level_dbfs(_active_dbfs(app, session))
        kept = mix_rows.kept_mixes(session, the_rig(app, session))
    lufs = {key: mix.voice_lufs for key, mix in kept.listeners.items()}
    numbers = {seat.key: seat.number for seat in run.seats}
    codes = app.work(_codes, numbers, level, lufs, run.rate_hz)

    def done(heard: dict[str, HeardMarker]) -> None:
        try:
            _keep(app, run, heard, level, lufs)
            listening_page.look(app, run, heard, level, lufs)
        except Exception as error:
            # The thread has nobody to tell; a page that waits would wait for ever.
            app.bus.tell(
                "trouble",
                {
                    "sentence": (
                        _(
                            "The search for the marker failed ({name}). Send it again.",
                            name=type(error).__name__,
                        )
                    )
                },
            )
        app.changed()

    def failed(sentence: str) -> None:
        listening_page.note_failed(app, sentence)
        app.bus.tell("trouble", {"sentence": sentence})
        app.changed()

    run.send_marker(codes, done, partial(listening_page.note_start, app), failed)
    app.changed()


def _codes(
    _app: AppContext, numbers: dict[str, int], level: float, lufs: dict[str, float], rate_hz: int
) -> MarkerCodes:
    return marker_codes(numbers, level, lufs, rate_hz=rate_hz)


def _active_dbfs(app: AppContext, session: Session) -> float:
    take_set = current_takes(session, the_rig(app, session)).voice
    reading = session.get(Reading, take_set.id) if take_set else None
    active = reading.body.get("active_level_dbfs") if reading else None
    return _USUAL_DBFS if active is None else float(active)


def _keep(
    app: AppContext,
    run: VoiceRun,
    heard: dict[str, HeardMarker],
    level: float,
    lufs: dict[str, float],
) -> None:
    feeds = {seat.own_feed: seat.number for seat in run.seats if seat.own_feed is not None}
    found = {}
    for seat in run.seats:
        if seat.key in heard and seat.key in lufs:
            found[seat.key] = app.work(
                _look,
                seat.own_feed,
                seat.number,
                heard[seat.key],
                feeds,
                level,
                lufs[seat.key],
                run.rate_hz,
            )
    with app.lock, app.sessions.begin() as session:
        rows = {row.key: row for row in scene.destinations(session)}
        for seat in run.seats:
            if seat.key not in found:
                continue
            arrived, loudness = found[seat.key]
            sound = heard[seat.key]
            if app.world.system is not None:
                # Nothing works on the voice on its way to us; what a program does is not known.
                arrived = replace(arrived, again=None)
            # The marker begins with a block; a voice has waited for one, and the page says so.
            if arrived.delay_ms is not None:
                delay_ms = _delay_ms(arrived.delay_ms, sound)
                arrived = replace(arrived, delay_ms=delay_ms + 1000.0 * run.block_s)
            first = arrived.treated or arrived.raw
            sends_voice = any(send.source == "voice" for send in _sends(session, app, seat.key))
            verdicts = (
                judge(arrived, listener=seat.name)
                if sends_voice
                else _without_voice(arrived, seat.name)
            )
            proof = KeptProof(
                verdicts=verdicts,
                delay_ms=_round(arrived.delay_ms),
                rate_ppm=_round(arrived.rate_ppm),
                level_db=_round(first.level_db if first is not None else None),
                lufs=_round(loudness),
                returned_ms=_round(arrived.returned_ms),
                again=arrived.again,
                ours_ms=_round(run.delay_of(seat).total_ms),
            )
            body = to_jsonable(proof)
            good = all(v.mark != "fault" for v in verdicts)
            session.add(
                Proof(
                    destination=seat.key, picks=rows[seat.key].picks, good=good, body=body, at=now()
                )
            )


def _delay_ms(counted_ms: float, sound: HeardMarker) -> float:
    """How late the marker was: as samples are counted, and by the clock what the way there took,
    which samples do not tell."""
    way_ms = 0.0 if sound.arrived_s is None else 1000.0 * (sound.arrived_s - sound.began_s)
    return counted_ms + way_ms


def _look(
    _app: AppContext,
    own_feed: str | None,
    number: int,
    heard: HeardMarker,
    feeds: dict[str, int],
    level: float,
    lufs: float,
    rate_hz: int,
) -> tuple[Arrived, float | None]:
    """What arrived of the marker, and how loud it was before it."""
    loudness = measure_loudness(heard.heard_before, rate_hz=heard.rate_hz).integrated_lufs
    arrived = prove(
        heard.heard,
        heard.returned,
        rate_hz=heard.rate_hz,
        feeds=feeds,
        own_feed=own_feed,
        own_number=number,
        sent_level_dbfs=level,
        feed_level_dbfs=marker_level_dbfs(lufs),
        sent_before=heard.sent_before,
        heard_before=heard.heard_before,
        sent_rate_hz=rate_hz,
        lost=heard.lost,
    )
    return arrived, loudness


def _sends(session: Session, app: AppContext, key: str) -> tuple[mix_rows.KeptSend, ...]:
    mix = mix_rows.kept_mixes(session, the_rig(app, session)).listeners.get(key)
    return () if mix is None else mix.sends


def _without_voice(arrived: Arrived, listener: str) -> tuple[Any, ...]:
    """A listener that is not meant to get the voice, such as one's own headphones."""
    if arrived.raw is not None or arrived.treated is not None:
        return (
            Verdict(
                "voice",
                "fault",
                _("Your own voice arrives, late"),
                _(
                    "Find out what passes it on to {listener}: it is not in its mix.",
                    listener=listener,
                ),
            ),
        )
    return (Verdict("no voice", "good", _("Your voice stays out, as it should")),)


def _round(value: float | None) -> float | None:
    return None if value is None else round(value, 1)
