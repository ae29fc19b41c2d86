"""Serving on loopback with waitress."""

from __future__ import annotations

import copy
import gc
import json
import logging
import os
import signal
import socket
import threading
from collections.abc import Callable
from contextlib import suppress
from http import HTTPStatus
from types import FrameType
from typing import TYPE_CHECKING

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.task import ErrorTask

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.heap import share_arenas
from obsidian_wren.web.access import Access
from obsidian_wren.web.front import HEADERS, Front, Wsgi
from obsidian_wren.web.left_state import LeftState
from obsidian_wren.web.limits import SOUND, largest_body

if TYPE_CHECKING:
    from obsidian_wren.service.context import AppContext

_LOG = logging.getLogger(__name__)
HOST = "127.0.0.1"
_WARM_UP_AFTER_S = 0.7
_END_AFTER_S = 0.2
# Connections that say nothing, or stop in the middle of a word, are let go; there is room for many
# more than a browser opens.
_SILENT_S = 30
_LOOK_EVERY_S = 5
_MOST_CONNECTIONS = 600
# What is asked without the token is not listened to for long.
_STRANGERS_BODY = 16_000
_LARGEST_HEADER = 64_000


def bind(port: int) -> socket.socket:
    """Take the port, on loopback only. Raises Refused when another program has it."""
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((HOST, port))
    except (OSError, OverflowError) as error:
        listening.close()
        raise Refused(
            "port",
            _(
                "Port {port} is in use or not allowed. Choose another with --port, or end the"
                " program that has it.",
                port=port,
            ),
        ) from error
    listening.listen(64)
    return listening


def _bounded(access: Access) -> type[HTTPChannel]:
    """A channel that knows how large each request may be before it reads a body, and refuses in
    our words."""

    class Parser(HTTPRequestParser):  # type: ignore[misc]
        def parse_header(self, header_plus: bytes) -> None:
            super().parse_header(header_plus)
            limit = largest_body(self.command, self.path)
            largest, self.too_large = limit.largest, limit.sentence
            if not access.knows(
                self.headers.get("COOKIE", ""), self.headers.get("AUTHORIZATION", "")
            ):
                largest = min(largest, _STRANGERS_BODY)
            self.adj = copy.copy(self.adj)  # type: ignore[has-type]
            # The largest that is let in, and no byte more.
            self.adj.max_request_body_size = largest + 1
            # On a connection that it has used before, a browser sends by itself again what was not
            # answered when the program ended: to whoever has the port by then, cookie and all.
            self.headers["CONNECTION"] = "close"

    class Refusing(ErrorTask):  # type: ignore[misc]
        def execute(self) -> None:
            code = self.request.error.code
            too_large = (
                getattr(self.request, "too_large", _TOO_LARGE)
                if code == HTTPStatus.REQUEST_ENTITY_TOO_LARGE
                else None
            )
            refusal = {
                "code": "too-large" if too_large else "http",
                "sentence": too_large or _NOT_UNDERSTOOD,
            }
            body = json.dumps(refusal).encode()
            self.status = f"{code} {HTTPStatus(code).phrase}"
            self.response_headers.extend([("Content-Type", "application/json"), *HEADERS.items()])
            self.set_close_on_finish()
            self.content_length = len(body)
            self.write(body)

    class Channel(HTTPChannel):  # type: ignore[misc]
        parser_class = Parser
        error_task_class = Refusing

    return Channel


_TOO_LARGE = _("This is far more than can be meant. Send less.")
_NOT_UNDERSTOOD = _("The request cannot be understood. Send it again, as the page does.")


def serve(
    open_the_app: Callable[[], AppContext],
    listening: socket.socket,
    access: Access,
    left: LeftState,
) -> bool:
    """Answer until the program is ended; returns whether it is to begin again, in another language.

    The page comes at once, with the state that was ``left``; the app and what computes load
    behind it.
    """
    from waitress.server import create_server

    share_arenas()
    opened: list[AppContext] = []
    again = threading.Event()

    def begin_again() -> None:
        again.set()
        # After the answer to whoever asked.
        ending = threading.Timer(_END_AFTER_S, os.kill, (os.getpid(), signal.SIGTERM))
        ending.daemon = True
        ending.start()

    def load() -> Wsgi:
        from obsidian_wren.web.app import create_app, warm_up

        app = open_the_app()
        opened.append(app)
        left.forget()
        # After the first answer: loading what computes would slow it down.
        warmer = threading.Timer(_WARM_UP_AFTER_S, warm_up, (app,))
        warmer.daemon = True
        warmer.start()
        flask_app = create_app(app, begin_again=begin_again)
        # What is loaded stays: it is not looked through any more.
        gc.freeze()
        gc.enable()
        return flask_app.wsgi_app

    # A request that waits for a thread is no news: streams hold theirs.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    front = Front(load, access, left.read())
    # One byte at a time to the socket: an event must not wait for the next. Looking ahead notices
    # at once when a page has gone.
    server = create_server(
        front,
        sockets=[listening],
        threads=24,
        send_bytes=1,
        max_request_body_size=SOUND.largest,
        max_request_header_size=_LARGEST_HEADER,
        ident="",
        channel_timeout=_SILENT_S,
        cleanup_interval=_LOOK_EVERY_S,
        connection_limit=_MOST_CONNECTIONS,
        asyncore_use_poll=True,
        channel_request_lookahead=1,
    )
    server.channel_class = _bounded(access)
    front.start()

    ended_by: list[int] = []

    def end(number: int, _frame: FrameType | None) -> None:
        ended_by.append(number)
        for app in opened:
            app.let_go()
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        for app in opened:
            # Ctrl-C ends what was started in front, whole. An update, or a desktop that starts it
            # again, is nothing to those who listen.
            _close(app, left, voice_goes_on=signal.SIGINT not in ended_by)
    return again.is_set() and signal.SIGINT not in ended_by


def _close(app: AppContext, left: LeftState, *, voice_goes_on: bool) -> None:
    from obsidian_wren.service.opening.opening import close_app
    from obsidian_wren.service.page.overview import overview_json

    states: list[str] = []

    def read() -> None:
        try:
            states.append(overview_json(app))
        except Exception:
            _LOG.exception("The state could not be left for the next start")

    close_app(app, last=read, voice_goes_on=voice_goes_on)
    with suppress(OSError):
        for state in states:
            left.keep(state)
