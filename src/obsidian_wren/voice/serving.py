"""The voice's end of its socket: requests are answered one after the other for each who asks, news
go to all, and nobody who does not read holds anything up."""

from __future__ import annotations

import logging
import os
import queue
import threading
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection, Listener
from pathlib import Path
from typing import Any

import msgspec

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice import records
from obsidian_wren.voice.engine import Voice
from obsidian_wren.voice.place import address

_LOG = logging.getLogger(__name__)
_MOST_WAITING = 400
# Whoever begins it asks at once; a page that is started again takes a few seconds.
_LOOK_S, _ALONE_S = 1.0, 30.0


class Serving:
    """Answers at a socket ``path`` of mode 0600 until :meth:`wait` returns, which is when somebody
    asked for the end or :meth:`end` was called."""

    def __init__(self, path: Path) -> None:
        self._path, self.folder = path, path.parent
        self._ended = threading.Event()
        self._asking: set[_Asking] = set()
        self._engine: Voice | None = None
        path.unlink(missing_ok=True)
        mask = os.umask(0o177)
        try:
            with address(path) as where:
                self._listener = Listener(where, family="AF_UNIX")
        finally:
            os.umask(mask)

    def answer(self, engine: Voice) -> None:
        """Let ``engine`` answer from now on."""
        self._engine = engine
        threading.Thread(target=self._accept, args=(engine,), name="door", daemon=True).start()

    def tell(self, kind: str, body: dict[str, Any]) -> None:
        """News for everybody who is connected; never waits."""
        for each in list(self._asking):
            each.tell(records.NumberedAnswer(0, records.News(kind, body)))

    def wait(self) -> None:
        """Until it shall end, also because nobody asks it any more and it does nothing for
        anybody."""
        alone_s = 0.0
        while not self._ended.wait(_LOOK_S):
            is_needed = self._asking or self._engine is None or self._engine.is_needed
            alone_s = 0.0 if is_needed else alone_s + _LOOK_S
            is_lost = not self._asking and not self._path.exists()
            if alone_s >= _ALONE_S or is_lost:
                break
        with suppress(OSError):
            self._listener.close()
        self._path.unlink(missing_ok=True)

    def end(self) -> None:
        """It shall end."""
        self._ended.set()

    def _accept(self, engine: Voice) -> None:
        while not self._ended.is_set():
            try:
                connection = self._listener.accept()
            except OSError:
                continue
            asking = _Asking(connection, engine, self)
            self._asking.add(asking)
            asking.begin()

    def gone(self, asking: _Asking, *, tied: bool) -> None:
        """One asks no more; where the voice was tied to it, it ends."""
        self._asking.discard(asking)
        if tied:
            self.end()


class _Asking:
    """One who is connected."""

    def __init__(self, connection: Connection, engine: Voice, serving: Serving) -> None:
        self._connection, self._engine, self._serving = connection, engine, serving
        self._tied = False
        self._waiting: queue.Queue[records.NumberedAnswer | None] = queue.Queue(_MOST_WAITING)

    def begin(self) -> None:
        """Answer it from now on."""
        for work, name in ((self._read, "asked"), (self._write, "told")):
            threading.Thread(target=work, name=name, daemon=True).start()

    def tell(self, message: records.NumberedAnswer | None) -> None:
        """To be sent; where nobody reads, the oldest is forgotten."""
        while True:
            try:
                return self._waiting.put_nowait(message)
            except queue.Full:
                with suppress(queue.Empty):
                    self._waiting.get_nowait()

    def _read(self) -> None:
        decoder = msgspec.msgpack.Decoder(records.NumberedRequest)
        ends = False
        try:
            while not ends:
                data = self._connection.recv_bytes()
                try:
                    asked = decoder.decode(data)
                except msgspec.MsgspecError:
                    self.tell(records.NumberedAnswer(_number(data), _NOT_UNDERSTOOD))
                    continue
                self.tell(records.NumberedAnswer(asked.number, self._answer(asked.request)))
                ends = isinstance(asked.request, records.End)
        except (EOFError, OSError):
            pass
        self.tell(None)
        self._serving.gone(self, tied=self._tied or ends)

    def _write(self) -> None:
        with suppress(OSError):
            while (message := self._waiting.get()) is not None:
                self._connection.send_bytes(msgspec.msgpack.encode(message))
        self._connection.close()

    def _answer(self, request: records.Request) -> records.Answer:
        if isinstance(request, records.Hello):
            self._tied = request.tied
        return answered(self._engine, request)


def answered(voice: Voice, request: records.Request) -> records.Answer:
    """What a voice says to a request. Never raises."""
    try:
        answer = _ANSWERS[type(request)](voice, request)
        return records.Done() if answer is None else answer
    except (KeyError, msgspec.MsgspecError):
        return _NOT_UNDERSTOOD
    except Told as error:
        return records.Refusal(error.code, str(error))
    except SourceGone as error:
        return records.Refusal("gone", str(error))
    except Exception as error:
        _LOG.exception("The voice failed at %s", type(request).__name__)
        return records.Refusal(
            "failed",
            _(
                "The voice had an internal error ({name}). Stop live and start it again.",
                name=type(error).__name__,
            ),
        )


def _status(voice: Voice, _: Any) -> records.Status:
    return msgspec.structs.replace(voice.status(), process=os.getpid())


# What a request does; what gives nothing is done.
_ANSWERS: dict[type[records.Record], Callable[[Voice, Any], records.Answer | None]] = {
    records.Hello: _status,
    records.AskStatus: _status,
    records.Start: Voice.start,
    records.ChangeChain: Voice.change_chain,
    records.ChangeMixes: Voice.change_mixes,
    records.Mute: Voice.mute,
    records.Ends: Voice.ends,
    records.Feeds: Voice.feeds,
    records.Rehearse: Voice.rehearse,
    records.TreatReturn: Voice.treat_return,
    records.Push: Voice.push,
    records.KeepTake: Voice.keep_take,
    records.Turn: Voice.turn,
    records.LetTalk: Voice.let_talk,
    records.SetPrograms: Voice.set_programs,
    records.Listen: Voice.listen,
    records.PressClip: Voice.press_clip,
    records.SendMarker: Voice.send_marker,
    records.AskSound: Voice.sound_of,
    records.Share: Voice.share,
    records.BeginRecording: Voice.begin_recording,
    records.SplitRecording: lambda voice, _: voice.split_recording(),
    records.EndRecording: lambda voice, _: voice.end_recording(),
    records.Stop: lambda voice, _: voice.stop(),
    # Who serves it sees to that.
    records.End: lambda voice, _: None,
}

_NOT_UNDERSTOOD = records.Refusal(
    "other-version",
    _(
        "The running voice is from another version and does not know this. Stop live, then"
        " start it again."
    ),
)


def _number(data: bytes) -> int:
    """The number of a request that is not understood otherwise."""
    try:
        found = msgspec.msgpack.decode(data)
    except msgspec.MsgspecError:
        return 0
    return found.get("number", 0) if isinstance(found, dict) else 0
