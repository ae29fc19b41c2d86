"""Which requests wait until what follows from the last change is worked out: those that hand out,
keep, play or judge what was derived. A change itself never waits, nor does what runs."""

from __future__ import annotations

from flask import Flask, request

from obsidian_wren.web.answers import the_app

# Under /api.
_WAITING = (
    "brought",
    "calibration",
    "case",
    "checks",
    "confirm",
    "derive",
    "destinations",
    "equalizer",
    "mixes",
    "report",
    "rigs",
    "series",
    "takes",
    "tone",
    "try",
    "two",
    "versions",
)
# Pieces of sound come while somebody talks.
_PIECES = "/api/takes/browser/"
# Nothing follows from these that is computed.
_NOT_DERIVED = (
    "/api/clips",
    "/api/listener",
    "/api/live",
    "/api/marker",
    "/api/recordings",
    "/api/run",
    "/api/tracks",
    "/api/watch",
)


def install(app: Flask) -> None:
    """Add the wait to an application."""

    @app.before_request
    def let_it_catch_up() -> None:
        parts = request.path.split("/")
        if request.method != "GET" and not request.path.startswith(_NOT_DERIVED):
            # What follows is about to be worked out.
            worker = the_app().worker
            if worker is not None:
                worker.get_ready()
        if len(parts) > 2 and parts[2] in _WAITING and not request.path.startswith(_PIECES):
            from obsidian_wren.service import calibration

            if calibration.current(the_app()).background.waits:
                from obsidian_wren.service.calibration.catching_up import wait_derived

                wait_derived(the_app())
