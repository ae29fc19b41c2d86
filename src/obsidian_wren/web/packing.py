"""Answers as they travel: packed where that is shorter and the page can unpack."""

from __future__ import annotations

import gzip

from flask import Flask, Response, request

# Shorter ones fit into one or two packets anyway.
_LEAST_BYTES = 2000
# Of the rest, more effort gains a few in a hundred and takes three times as long.
_EFFORT = 5
_PACKED = ("application/json", "text/html", "image/svg+xml", "text/plain")


def install(app: Flask) -> None:
    """Pack what an application answers."""

    @app.after_request
    def pack(response: Response) -> Response:
        if (
            response.mimetype not in _PACKED
            or response.is_streamed
            or response.direct_passthrough
            or "Content-Encoding" in response.headers
            or (response.content_length or 0) < _LEAST_BYTES
        ):
            return response
        response.vary.add("Accept-Encoding")
        if request.accept_encodings["gzip"] > 0:
            response.set_data(gzip.compress(response.get_data(), _EFFORT, mtime=0))
            response.headers["Content-Encoding"] = "gzip"
        return response
