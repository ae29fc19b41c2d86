"""What every request and answer passes: only this machine's own page may speak, and the page may load nothing from elsewhere."""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Flask, Response, jsonify, request

_OWN_NAMES = ("127.0.0.1", "localhost", "[::1]")
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; img-src 'self' data:; "
    "connect-src 'self'; media-src 'self' blob:; worker-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)


def _own(host: str) -> bool:
    name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
    return name in _OWN_NAMES


def _own_origin(origin: str) -> bool:
    parts = urlsplit(origin)
    return parts.scheme == "http" and parts.netloc == request.host


def install(app: Flask) -> None:
    """Add the checks to an application."""

    @app.before_request
    def refuse_foreign() -> tuple[Response, int] | None:
        # A foreign name that resolves to this machine, or another site's script, is turned away.
        origin = request.headers.get("Origin")
        if not _own(request.host) or (origin is not None and not _own_origin(origin)):
            return jsonify(code="foreign", sentence="This page speaks to its own machine only."), 403
        if request.method not in ("GET", "HEAD") and request.headers.get("Sec-Fetch-Site", "same-origin") != "same-origin":
            return jsonify(code="foreign", sentence="This page speaks to its own machine only."), 403
        return None

    @app.after_request
    def add_headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Permissions-Policy"] = "microphone=(self), camera=(), geolocation=()"
        return response
