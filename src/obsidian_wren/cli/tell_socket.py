"""Hears what is told to the running program, at a socket that its owner alone can reach.

Who reaches it has the rights of the folder's owner, whose token lies beside it: none is asked for.
"""

from __future__ import annotations

import logging
import os
import socket
import threading
from collections.abc import Iterator, Sequence
from contextlib import suppress

from obsidian_wren.cli.tell import BETWEEN, DONE, END, NOT_UNDERSTOOD, REFUSED
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.outside import commands
from obsidian_wren.service.outside import status as standing
from obsidian_wren.voice.place import address

_LOG = logging.getLogger(__name__)
_LONGEST_BYTES = 4_096
_SAYS_WITHIN_S = 5.0
_WAITING = 16


class TellSocket:
    """Listens from when it is made until it is closed. ``address_of_page`` is what ``tell page``
    answers."""

    def __init__(self, app: AppContext, address_of_page: str = "") -> None:
        self._app, self._path = app, app.folder.tell_socket
        self._page = address_of_page
        self._listening = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._path.unlink(missing_ok=True)
        with address(self._path) as where:
            self._listening.bind(where)
        self._path.chmod(0o600)
        self._listening.listen(_WAITING)
        threading.Thread(target=self._hear, name="outside", daemon=True).start()

    def close(self) -> None:
        """Nobody is heard any more."""
        # Wakes who waits for the next.
        with suppress(OSError):
            self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()
        self._path.unlink(missing_ok=True)

    def _hear(self) -> None:
        while True:
            try:
                line, _who = self._listening.accept()
            except OSError:
                return
            threading.Thread(target=self._answer, args=(line,), name="outside", daemon=True).start()

    def _answer(self, line: socket.socket) -> None:
        with line, suppress(OSError):
            line.settimeout(_SAYS_WITHIN_S)
            words = _words(line)
            line.settimeout(None)
            try:
                for part in self._said(words):
                    _send(line, part)
            except Told as error:
                code = NOT_UNDERSTOOD if isinstance(error, commands.NotUnderstood) else REFUSED
                _send(line, f"{code}\n{error}\n")
            except OSError:
                # Whoever followed has left.
                raise
            except Exception:
                _LOG.exception("What was told from outside could not be done")
                _send(line, f"{REFUSED}\n{_('An internal error occurred; nothing was done.')}\n")

    def _said(self, words: Sequence[str]) -> Iterator[str]:
        """What is sent, in pieces: the code first."""
        if list(words) == ["page"]:
            yield f"{DONE}\n{self._page}\n"
            return
        if words[:1] != ["status"]:
            yield f"{DONE}\n{commands.obey(self._app, words)}\n"
            return
        options = set(words[1:])
        if options - {"--json", "--follow"}:
            raise commands.not_understood(words)
        if "--follow" not in options:
            now = standing.status(self._app)
            yield f"{DONE}\n{now.line if '--json' in options else now.sentence}\n"
            return
        yield f"{DONE}\n"
        for changed in standing.follow(self._app):
            # Nothing is sent where nothing changed; a line that is closed says so all the same.
            yield "" if changed is None else f"{changed.line}\n"


def _words(line: socket.socket) -> list[str]:
    heard = b""
    while not heard.endswith(END) and len(heard) < _LONGEST_BYTES:
        piece = line.recv(_LONGEST_BYTES)
        if not piece:
            break
        heard += piece
    return [os.fsdecode(word) for word in heard.rstrip(END).split(BETWEEN) if word]


def _send(line: socket.socket, text: str) -> None:
    line.sendall(text.encode("utf-8", "backslashreplace"))
