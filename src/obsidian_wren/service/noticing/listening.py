"""A watch beside what is live: pieces of the microphone become numbers, and their sound is gone."""

from __future__ import annotations

import logging
import queue
import threading
import time
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.service import live, takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.noticing.days import keep_day, usual
from obsidian_wren.service.noticing.reference import Basis, basis_of, reference
from obsidian_wren.service.noticing.state import current
from obsidian_wren.service.noticing.telling import causes_of, tell
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.voice import records

if TYPE_CHECKING:
    from obsidian_wren.core.noticing.looking import Look, Looking

_LOG = logging.getLogger(__name__)
_LOOK_EVERY_S, _KEEP_EVERY_S = 1.0, 300.0
# A slider's trace is looked for so often.
_GRID_EVERY_S = 10.0
# What a loudspeaker plays over this is heard by the microphone.
_PLAYS_DBFS = -60.0
_MOST_WAITING = 8
_MICROPHONE = records.Track("voice as heard")
_FAULTS = {
    "silent": _(
        "The microphone gives digital silence. Is it muted at its own switch, or has its channel"
        " changed?"
    ),
    "clipped": _("Your voice clips again and again. Turn the preamp down."),
}


@dataclass
class _Beside:
    """One run that is watched: what it is compared with, and the pieces that wait."""

    run: VoiceRun
    rig_id: int
    basis: Basis
    looking: Looking
    waiting: queue.Queue[Samples]
    kept_s: float
    grid_s: float = 0.0
    # At which revision it was looked last whether that holds.
    revision: int = -1


class Watch:
    """Watches whatever is live, until :meth:`end`."""

    def __init__(self, app: AppContext) -> None:
        self._app = app
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._work, name="noticing", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def end(self) -> None:
        """Watch no more."""
        self._ended.set()
        self._thread.join(timeout=5)

    def _work(self) -> None:
        while not self._ended.wait(_LOOK_EVERY_S):
            try:
                beside = self._begun()
                if beside is not None:
                    self._follow(beside)
            except Told as error:
                self._cannot(str(error))
            except Exception:
                _LOG.exception("Noticing failed")
                self._ended.wait(_KEEP_EVERY_S)

    def _begun(self) -> _Beside | None:
        """What is live, ready to be watched; None where nothing is, or it cannot be."""
        state, run = current(self._app), live.current(self._app).running
        if run is None:
            if state.watches:
                state.watches, state.fault, state.notice = False, None, None
                self._app.changed()
            return None
        with self._app.sessions() as session:
            wanted = scene.live_wish(session).watches
            ctx = in_hand(self._app, session)
            basis, rig_id = basis_of(ctx), ctx.rig.id
        if not wanted:
            state.watches, state.why_not = False, None
            self._until_changed(run)
            return None
        then = None if basis.why else self._app.work(reference)
        why = basis.why or _("The passage has too few pauses, or too little talk, to compare with.")
        if then is None:
            self._cannot(why)
            return None
        if state.why_not is not None:
            state.why_not = None
            self._app.changed()
        from obsidian_wren.core.noticing.looking import Looking

        looking = Looking(then, usual(self._app, rig_id, basis.takes))
        state.watches, state.talk_s, state.days = True, 0.0, looking.usual.days
        now_s = time.monotonic()
        waiting: queue.Queue[Samples] = queue.Queue(_MOST_WAITING)
        return _Beside(run, rig_id, basis, looking, waiting, now_s)

    def _cannot(self, why: str) -> None:
        """Say why nothing is watched; until something is kept, it will be so again."""
        state, run = current(self._app), live.current(self._app).running
        state.watches = False
        if why != state.why_not:
            state.why_not = why
            self._app.changed()
        if run is not None:
            self._until_changed(run)

    def _until_changed(self, run: VoiceRun) -> None:
        seen = self._app.revision
        while self._app.revision == seen and live.current(self._app).running is run:
            if self._ended.wait(_LOOK_EVERY_S):
                return

    def _follow(self, beside: _Beside) -> None:
        from obsidian_wren.core.noticing.piece import PIECE_S

        size = round(PIECE_S * beside.run.rate_hz)
        held: list[Samples] = []

        def hear(blocks: tuple[Samples, ...]) -> None:
            held.append(np.column_stack([block[:, 0] for block in blocks]))
            if sum(map(len, held)) >= size:
                whole = np.concatenate(held)
                held[:] = [whole[size:]]
                # Where looking took longer than that, a piece is missed.
                with suppress(queue.Full):
                    beside.waiting.put_nowait(whole[:size])

        tracks = [_MICROPHONE, *(records.Track(name) for name in _played(beside.run))]
        end = beside.run.follow("noticing", tracks, hear)
        try:
            while not self._ended.is_set() and self._holds(beside):
                with suppress(queue.Empty):
                    self._hear(beside, beside.waiting.get(timeout=_LOOK_EVERY_S))
        finally:
            end()
            self._keep(beside)

    def _holds(self, beside: _Beside) -> bool:
        """Whether what is watched is still what is live, and stands on the same."""
        if live.current(self._app).running is not beside.run:
            return False
        if self._app.revision == beside.revision:
            return True
        beside.revision = self._app.revision
        with self._app.sessions() as session:
            ctx = in_hand(self._app, session)
            same = basis_of(ctx).key == beside.basis.key and ctx.rig.id == beside.rig_id
            return same and scene.live_wish(session).watches

    def _hear(self, beside: _Beside, sound: Samples) -> None:
        from obsidian_wren.core.noticing.piece import read_piece

        run = beside.run
        if run.marker_in_flight or takes.current(self._app).running is not None:
            return
        if sound.shape[1] > 1 and _level_dbfs(sound[:, 1:]) > _PLAYS_DBFS:
            return
        now_s = time.monotonic()
        with_grid = now_s - beside.grid_s > _GRID_EVERY_S
        piece = read_piece(sound[:, 0], rate_hz=run.rate_hz, with_grid=with_grid)
        if piece.graded:
            beside.grid_s = now_s
        look = beside.looking.add(piece)
        state = current(self._app)
        state.talk_s = beside.looking.talk_s
        fault = _FAULTS.get(beside.looking.fault or "")
        if fault != state.fault:
            state.fault = fault
            self._app.changed()
        if look is not None:
            self._look(beside, look)
        if now_s - beside.kept_s > _KEEP_EVERY_S:
            beside.kept_s = now_s
            self._keep(beside)

    def _look(self, beside: _Beside, look: Look) -> None:
        looking, state = beside.looking, current(self._app)
        if look.worth_asking:
            drift = self._app.work(causes_of, look.change)
            code = looking.judge(look, drift)
            if code is not None:
                tell(self._app, code, drift)
        if state.notice is not None and not looking.stands_by(state.notice.code):
            state.notice = None
            self._app.changed()

    def _keep(self, beside: _Beside) -> None:
        looking = beside.looking
        if current(self._app).notice is None:
            keep_day(
                self._app,
                beside.rig_id,
                beside.basis.takes,
                tuple(looking.ordinary),
                looking.talk_s,
            )


def _played(run: VoiceRun) -> list[str]:
    """The tracks of what a loudspeaker plays, where one does."""
    if run.loudspeaker is None:
        return []
    if run.wanted.played == "computer":
        return ["computer"]
    return [f"return-{key}" for key in run.wanted.returns]


def _level_dbfs(sound: Samples) -> float:
    return power_db(max(float(np.mean(sound**2)), 1e-16))


def start_noticing(app: AppContext) -> None:
    """Watch whatever is live from now on, until the program ends."""
    watch = Watch(app)
    watch.start()
    app.at_end(watch.end)
