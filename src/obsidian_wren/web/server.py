"""Serving on loopback with waitress."""

from __future__ import annotations

import signal
import socket
import threading
from collections.abc import Callable
from types import FrameType
from typing import TYPE_CHECKING

from obsidian_wren.service.errors import Refused
from obsidian_wren.web.front import Front, Wsgi

if TYPE_CHECKING:
    from obsidian_wren.service.workshop import Workshop

HOST = "127.0.0.1"
_WARM_UP_AFTER_S = 0.7
_LARGEST_BODY = 2 * 1024**3 + 1_000_000


def bind(port: int) -> socket.socket:
    """Take the port, on loopback only. Raises Refused when another program has it."""
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((HOST, port))
    except (OSError, OverflowError) as error:
        listening.close()
        raise Refused(
            "port", f"Port {port} is in use or not allowed. Choose another with --port, or end the program that has it."
        ) from error
    listening.listen(64)
    return listening


def serve(open_the_workshop: Callable[[], Workshop], listening: socket.socket) -> None:
    """Answer until the program is ended. The page comes at once; the workshop and what computes load behind it."""
    from waitress.server import create_server

    opened: list[Workshop] = []

    def load() -> Wsgi:
        from obsidian_wren.web.app import create_app, warm_up

        ws = open_the_workshop()
        opened.append(ws)
        # After the first answer: loading what computes would slow it down.
        warmer = threading.Timer(_WARM_UP_AFTER_S, warm_up, (ws,))
        warmer.daemon = True
        warmer.start()
        return create_app(ws).wsgi_app

    front = Front(load)
    # One byte at a time to the socket: an event must not wait for the next.
    server = create_server(front, sockets=[listening], threads=24, send_bytes=1, max_request_body_size=_LARGEST_BODY, ident="")
    front.start()

    def end(_signal: int, _frame: FrameType | None) -> None:
        for ws in opened:
            ws.let_go()
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        for ws in opened:
            from obsidian_wren.service.opening import close_workshop

            close_workshop(ws)
