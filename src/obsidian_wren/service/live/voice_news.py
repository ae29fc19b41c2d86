"""What the voice tells, and what is done about it: pages hear of it, a run that was found is
followed, one that ended by itself is back as it was."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import LiveMicrophone
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.live.monitor import hear_in_headphones, watch_meter
from obsidian_wren.service.live.recording import close_recording
from obsidian_wren.service.live.state import current
from obsidian_wren.service.live.voice_link import VoiceLink, link_of
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.mixes.inputs import inputs_for
from obsidian_wren.service.recording import news
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.system_microphone import Lent
from obsidian_wren.voice import records

_LOG = logging.getLogger(__name__)
_PATIENCE_S = 10.0


class _Hearing:
    """Hears the news of a voice; what asks it something does so in a thread of its own, since who
    reads the news reads the answers."""

    def __init__(self, app: AppContext, link: VoiceLink) -> None:
        self._app = app
        self._work: queue.Queue[Callable[[], None] | None] = queue.Queue()
        self._worker = threading.Thread(target=self._go_through, name="voice news", daemon=True)
        self._worker.start()
        link.told, link.lost, link.again = self.told, self.lost, self.again
        link.await_news = self.await_news

    def told(self, kind: str, body: dict[str, Any]) -> None:
        """Something happened."""
        if kind == "changed":
            self.look_later()
        elif kind == "marker":
            run = current(self._app).run
            if run is not None:
                run.marker_began()
        elif kind.startswith("record"):
            self._work.put(partial(news.hear, self._app, kind, body))
        else:
            self._app.bus.tell(kind, body)

    def lost(self) -> None:
        """The voice ended by itself."""
        run = current(self._app).run
        if run is not None and not run.finished.is_set():
            run.lose(_ENDED)
            self._app.bus.tell("trouble", {"sentence": _ENDED})
        self._work.put(partial(news.lost, self._app))
        self._app.changed()

    def again(self) -> None:
        """It is back, with what it ran."""
        self.look_later()

    def await_news(self) -> None:
        """Until what was told so far is done."""
        if threading.current_thread() is self._worker:
            with suppress(queue.Empty):
                while (work := self._work.get_nowait()) is not None:
                    self._do(work)
                self._work.put(None)
            return
        done = threading.Event()
        self._work.put(done.set)
        done.wait(_PATIENCE_S)

    def look_later(self) -> None:
        """See how it stands, behind what waits."""
        self._work.put(self._look)

    def end(self) -> None:
        """Nothing is done any more."""
        self._work.put(None)
        self._worker.join(timeout=5)

    def _look(self) -> None:
        run = current(self._app).run
        if run is not None and run.look():
            if run.finished.is_set():
                close_recording(self._app)
            else:
                hear_in_headphones(self._app)
                watch_meter(self._app)
        self._app.changed()

    def _go_through(self) -> None:
        while (work := self._work.get()) is not None:
            self._do(work)

    @staticmethod
    def _do(work: Callable[[], None]) -> None:
        try:
            work()
        except Exception:
            _LOG.exception("Following the voice failed")


_ENDED = _(
    "The voice ended by itself, so listeners got silence. It was started again with the same"
    " settings."
)


def heard_link(app: AppContext) -> VoiceLink:
    """The voice of this data folder, heard from now on."""
    link = link_of(app)
    app.own(_Hearing, lambda: _Hearing(app, link))
    app.own(Lent).lend = partial(_lend, app)
    return link


def leave_voice(app: AppContext) -> None:
    """The program ends, and a voice that nobody but it can hear."""
    if link_of(app).is_there:
        app.own(_Hearing, lambda: _Hearing(app, link_of(app))).end()
        link_of(app).end()


def hear_voice(app: AppContext) -> None:
    """Hear it from now on; one that runs already is taken over with what it runs."""
    link = heard_link(app)
    app.at_end(app.own(_Hearing, lambda: _Hearing(app, link)).end)
    stands = link.find()
    if stands is None or stands.running is None:
        return
    state = current(app)
    run = VoiceRun(link, stands.running, stands=stands)
    state.run, state.since = run, now()
    if stands.running.source == "pushed":
        state.pushed = run
    with app.sessions.begin() as session:
        scene.live_wish(session).live = True
        _bring_up(in_hand(app, session), run)
    if stands.recording is not None:
        news.found(app, stands.recording, run.rate_hz)
    if state.running is not None:
        watch_meter(app)
    if stands.version == records.VERSION:
        app.message = _WENT_ON
    else:
        app.find(*_OTHER_VERSION)
    app.changed()


def _lend(app: AppContext, name: str) -> LiveMicrophone | None:
    run = current(app).running
    return None if run is None else run.lend(name)


def _bring_up(ctx: RigContext, run: VoiceRun) -> None:
    """What changed while nobody here followed it, such as by another start of the program."""
    specs, mixes = chain_rows.chain_specs(ctx), mix_rows.kept_mixes(ctx.session, ctx.rig).as_run
    if specs is not None and mixes:
        run.change_chain(specs)
        run.change_mixes(mixes, inputs_for(ctx))


_WENT_ON = _(
    "The voice went on while this program was away, and is connected again; “Stop live” ends it."
)
_OTHER_VERSION = (
    "voice-of-before",
    _("The live voice is from another version of this program. It goes on unchanged."),
    _("When nobody listens, stop live and start again; the new version is live then."),
)
