"""What every request to the API passes: only this machine's own page may speak."""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Flask, Response, jsonify, request

from obsidian_wren.web.front import FOREIGN, HEADERS, own_host
from obsidian_wren.web.limits import largest_body


def _own_origin(origin: str) -> bool:
    try:
        parts = urlsplit(origin)
    except ValueError:
        return False
    return parts.scheme == "http" and parts.netloc.lower() == request.host.lower()


def install(app: Flask) -> None:
    """Add the checks to an application."""

    @app.before_request
    def refuse_foreign() -> tuple[Response, int] | None:
        # A foreign name that resolves to this machine, or another site's script, is turned away.
        origin = request.headers.get("Origin")
        foreign_site = request.headers.get("Sec-Fetch-Site", "same-origin") not in (
            "same-origin",
            "none",
        )
        if (
            not own_host(request.host)
            or (origin is not None and not _own_origin(origin))
            or foreign_site
        ):
            return jsonify(**FOREIGN), 403
        # The server has refused more before it came here; this holds where there is another one.
        request.max_content_length = largest_body(request.method, request.path).largest
        return None

    @app.after_request
    def add_headers(response: Response) -> Response:
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        return response
