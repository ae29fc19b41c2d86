"""Serving on loopback with waitress."""

from __future__ import annotations

import signal
import socket
import threading
from types import FrameType

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.workshop import Workshop

HOST = "127.0.0.1"


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


def serve(ws: Workshop, listening: socket.socket) -> None:
    """Answer until the program is ended. The computing packages load behind the first page."""
    from waitress.server import create_server

    from obsidian_wren.web.app import create_app, warm_up

    app = create_app(ws)
    # One byte at a time to the socket: an event must not wait for the next.
    server = create_server(app, sockets=[listening], threads=24, send_bytes=1, max_request_body_size=2 * 1024**3 + 1_000_000, ident="")
    threading.Thread(target=warm_up, daemon=True).start()

    def end(_signal: int, _frame: FrameType | None) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, end)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        from obsidian_wren.service.opening import close_workshop

        close_workshop(ws)
