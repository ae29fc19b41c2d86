"""The other end of the voice's socket: who asks, and hears news."""

from __future__ import annotations

import itertools
import os
import queue
import select
import socket
import subprocess
import threading
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Client
from pathlib import Path
from typing import Any

import msgspec

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.voice import records
from obsidian_wren.voice.beginning import READY
from obsidian_wren.voice.place import address

# A server of the desktop may take so long to open a microphone.
_PATIENCE_S = 20.0
_STARTS_S = 20.0
_ENDS_S = 10.0


class VoiceRefused(Told, RuntimeError):
    """The voice did not do it, or is not there; says what to do."""


class Asking:
    """A connection to a voice; ``told`` is called with its news, ``lost`` once when it is gone,
    both from a thread. Raises VoiceRefused where none answers."""

    def __init__(
        self,
        path: Path,
        *,
        tied: bool = False,
        told: Callable[[str, dict[str, Any]], None] = lambda kind, body: None,
        lost: Callable[[], None] = lambda: None,
    ) -> None:
        try:
            with address(path) as where:
                self._connection = Client(where, family="AF_UNIX")
        except OSError as error:
            raise gone() from error
        self._told, self._lost = told, lost
        self._numbers = itertools.count(1)
        self._sending = threading.Lock()
        self._answers: dict[int, queue.Queue[records.NumberedAnswer | None]] = {}
        self.is_gone = False
        threading.Thread(target=self._read, name="voice", daemon=True).start()
        met = self.ask(records.Hello(tied=tied))
        assert isinstance(met, records.Status)
        # How things stood when it was met.
        self.met = met

    def ask(self, request: records.Request, *, patience_s: float = _PATIENCE_S) -> records.Answer:
        """Ask for something; gives what is answered, by when it is. Raises VoiceRefused."""
        number, answered = next(self._numbers), queue.Queue[records.NumberedAnswer | None]()
        self._answers[number] = answered
        try:
            with self._sending:
                if self.is_gone:
                    raise gone()
                self._connection.send_bytes(
                    msgspec.msgpack.encode(records.NumberedRequest(number, request))
                )
            message = answered.get(timeout=patience_s)
        except (OSError, queue.Empty) as error:
            raise gone() from error
        finally:
            del self._answers[number]
        if message is None:
            raise gone()
        if isinstance(message.answer, records.Refusal):
            raise VoiceRefused(message.answer.code, message.answer.sentence)
        return message.answer

    def status(self) -> records.Status:
        """How things stand. Raises VoiceRefused."""
        found = self.ask(records.AskStatus())
        assert isinstance(found, records.Status)
        return found

    def expect_end(self) -> None:
        """It is about to be asked to end: that it is gone is no news."""
        self._lost = lambda: None

    def end_voice(self) -> None:
        """It ends, and we wait for that."""
        self.expect_end()
        with suppress(VoiceRefused):
            self.ask(records.End())
        await_end(self.met.process, _ENDS_S)
        self.close()

    def close(self) -> None:
        """Ask no more; the voice goes on, unless it is tied to this."""
        self.expect_end()
        with suppress(OSError), socket.socket(fileno=os.dup(self._connection.fileno())) as end:
            # Closing alone would neither wake whoever reads nor be told to the other end.
            end.shutdown(socket.SHUT_RDWR)

    def _read(self) -> None:
        decoder = msgspec.msgpack.Decoder(records.NumberedAnswer)
        with suppress(EOFError, OSError):
            while True:
                message = decoder.decode(self._connection.recv_bytes())
                if isinstance(message.answer, records.News):
                    self._told(message.answer.kind, message.answer.body)
                elif message.number in self._answers:
                    self._answers[message.number].put(message)
        with self._sending:
            self.is_gone = True
            self._connection.close()
            waiting = list(self._answers.values())
        for each in waiting:
            each.put(None)
        self._lost()


def await_ready(process: subprocess.Popen[bytes]) -> None:
    """Until its socket is there. Raises VoiceRefused, with what it says itself."""
    assert process.stdout is not None
    # One line, or the end where it could not begin.
    first_line = process.stdout.readline().decode(errors="replace").strip()
    process.stdout.close()
    if first_line != READY:
        process.wait(_STARTS_S)
        raise VoiceRefused("no-voice", first_line or str(gone()))


def found(path: Path) -> records.Status | None:
    """How a voice stands that answers at a socket; None where none does."""
    if not path.exists():
        return None
    try:
        link = Asking(path)
    except VoiceRefused:
        return None
    link.close()
    return link.met


def await_end(process: int, patience_s: float) -> None:
    """Until the process of a voice has ended, whoever started it.

    Source: ``pidfd_open(2)``; where the system has none, nothing is waited for.
    """
    with suppress(AttributeError, OSError):
        found = os.pidfd_open(process)
        try:
            select.select([found], [], [], patience_s)
        finally:
            os.close(found)


def gone() -> VoiceRefused:
    """Told where no voice answers."""
    return VoiceRefused("no-voice", _("The voice has ended. Start live again; that restarts it."))
