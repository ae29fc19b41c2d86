"""The voice of this data folder, a process of its own: found where one runs, begun where none does,
begun anew with what it ran where it ends."""

from __future__ import annotations

import subprocess
import threading
import time
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, cast

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.voice import asking, records
from obsidian_wren.voice.beginning import begin
from obsidian_wren.voice.here import Here

if TYPE_CHECKING:
    from obsidian_wren.voice.engine import Voice
    from obsidian_wren.voice.here import Here

# One that was begun so often in so long is not begun again at once.
_OFTEN, _OFTEN_S = 6, 30.0
# What lasts, such as a marker on a computer that stands still.
_LASTS_S = 60.0


@dataclass
class VoiceLink:
    """The connection to it. ``told`` is called with its news, ``lost`` when it ended by itself and
    ``again`` when it is back with what it ran, all from threads."""

    app: AppContext
    told: Callable[[str, dict[str, Any]], None] = lambda kind, body: None
    lost: Callable[[], None] = lambda: None
    again: Callable[[], None] = lambda: None
    # Until what it told so far is done.
    await_news: Callable[[], None] = lambda: None
    # What it was asked to have and to run, to be asked again of one that is begun anew.
    feeds: records.Feeds | None = None
    running: records.Start | None = None
    _take: records.KeepTake | None = None
    _asking: asking.Asking | Here | None = None
    _process: subprocess.Popen[bytes] | None = None
    _is_over: bool = False
    _begun_s: deque[float] = field(default_factory=lambda: deque(maxlen=_OFTEN))
    _lock: threading.RLock = field(default_factory=threading.RLock)

    @property
    def is_there(self) -> bool:
        """Whether a voice is connected."""
        return self._asking is not None

    def find(self) -> records.Status | None:
        """How a voice stands that runs over this folder; None where none does."""
        with self._lock:
            if self._asking is None and self.app.folder.voice_socket.exists():
                with suppress(asking.VoiceRefused):
                    self._asking = self._connect()
                    self.running = None if self._asking is None else self._asking.met.running
            return None if self._asking is None else self._asking.met

    def ask(self, request: records.Request) -> records.Answer:
        """Ask for something; a voice is begun where none runs. Raises VoiceRefused."""
        return self._note(request, self._connected().ask(request))

    def ask_aside(self, request: records.Request) -> records.Answer:
        """Ask for something that lasts, over a connection of its own. Raises VoiceRefused."""
        self._connected()
        link = self._connect(news=False)
        if link is None:
            return self.ask(request)
        try:
            return link.ask(request, patience_s=_LASTS_S)
        finally:
            link.close()

    def status(self) -> records.Status | None:
        """How it stands; None where none runs."""
        link = self._asking
        with suppress(asking.VoiceRefused):
            return None if link is None else link.status()
        return None

    def leave(self) -> None:
        """The voice goes on without us, and is asked nothing more."""
        with self._lock:
            self._is_over = True
            link, self._asking = self._asking, None
        if link is not None:
            link.close()

    def end(self) -> None:
        """The voice ends, and none is begun any more; what programs record of it carries silence
        until nobody does."""
        with self._lock:
            self._is_over = True
            link, self._asking, process, self._process = self._asking, None, self._process, None
            self.feeds = self.running = None
        if link is not None:
            link.end_voice()
        if process is not None:
            process.poll()

    def renew(self) -> None:
        """Where the voice that ran is of another version: it ends, and one of ours has its
        feeds."""
        with self._lock:
            link = self._asking
            if link is None or link.met.version == records.VERSION:
                return
            self._asking = self.running = None
            link.end_voice()
            if self.feeds is not None and self.feeds.wanted:
                self._begin()

    def _note(self, request: records.Request, answer: records.Answer) -> records.Answer:
        if isinstance(request, records.Start):
            self.running = request
        elif isinstance(request, records.Stop):
            self.running = None
        elif isinstance(request, records.KeepTake):
            self._take = request
        elif self.running is not None:
            self.running = records.after(self.running, request)
        if isinstance(request, records.Feeds):
            self.feeds = request
        return answer

    def _connected(self) -> asking.Asking | Here:
        with self._lock:
            if self._is_over:
                raise asking.gone()
            if self._asking is None:
                self.find()
            if self._asking is None:
                self._begin()
            assert self._asking is not None
            return self._asking

    def _begin(self) -> None:
        if not self.app.world.voice_command:
            self._asking = self._here()
            return
        now_s = time.monotonic()
        if len(self._begun_s) == _OFTEN and now_s - self._begun_s[0] < _OFTEN_S:
            raise asking.VoiceRefused("ends-often", _ENDS_OFTEN)
        self._begun_s.append(now_s)
        command = [*self.app.world.voice_command, str(self.app.folder.voice_socket)]
        self._process = begin(command)
        asking.await_ready(self._process)
        self._asking = link = self._connect()
        assert link is not None
        for request in (self.feeds, self._take, self.running):
            if request is not None:
                # What it could not have again is said where it is looked at.
                with suppress(asking.VoiceRefused):
                    link.ask(request)

    def _here(self) -> Here:
        make = self.app.world.voice_here
        assert make is not None
        return Here(cast("Voice", make(self._told, self.app.folder.path)))

    def _told(self, kind: str, body: dict[str, Any]) -> None:
        self.told(kind, body)

    def _connect(self, *, news: bool = True) -> asking.Asking | None:
        if not self.app.world.voice_command:
            return None
        path = self.app.folder.voice_socket
        if not news:
            return asking.Asking(path)
        # Nobody but this program hears what is simulated.
        tied = self.app.world.system is None
        return asking.Asking(path, tied=tied, told=self._told, lost=self._lost)

    def _lost(self) -> None:
        with self._lock:
            self._asking = None
            if self._process is not None:
                self._process.poll()
        self.lost()
        if self.running is None and not (self.feeds and self.feeds.wanted):
            return
        try:
            self._connected()
        except asking.VoiceRefused as error:
            self.told("trouble", {"sentence": str(error)})
            return
        self.again()


_ENDS_OFTEN = _(
    "The voice keeps ending. It is started again in half a minute; its messages are where the"
    " program was started."
)


def link_of(app: AppContext) -> VoiceLink:
    """The voice of this data folder."""
    return app.own(VoiceLink, lambda: VoiceLink(app))
