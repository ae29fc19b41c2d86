"""A check from its last sample to what it found, in a running program over the demo's calibration,
at the pace of sound; the first one after a start, and one more. Beside it, in the same run, reading
the same takes as the calibration does, so that machines can be told apart.
"""

from __future__ import annotations

import pathlib
import tempfile
import time

from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.opening.boathouse import fill_with_boathouse
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.prove.kept import kept_checks
from obsidian_wren.service.readings.measuring import samples_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.takes import ending, from_stream, simulated
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder


def opened(folder: pathlib.Path, pace: str) -> AppContext:
    return open_app(DataFolder(folder), simulated_world(BrowserStream), pace=pace)


def checks(app: AppContext) -> int:
    with app.sessions() as session:
        return len(kept_checks(in_hand(app, session)))


def check_s(app: AppContext) -> float:
    began: list[float] = []
    finish = ending.finish

    def timed(app: AppContext, running: object) -> int | None:
        began.append(time.perf_counter())
        return finish(app, running)

    from_stream.finish, before = timed, checks(app)
    try:
        simulated.start_simulated(app, "check")
        while checks(app) == before:
            time.sleep(0.005)
        return time.perf_counter() - began[0]
    finally:
        from_stream.finish = finish


def reading_s(app: AppContext) -> float:
    with app.sessions() as session:
        ctx = in_hand(app, session)
        rest, talk = ctx.takes.quiet, ctx.takes.passage
        sounds = [samples_of(app, take) for take in (rest, talk)]
    began = time.perf_counter()
    quiet = read_quiet(sounds[0], rate_hz=rest.rate_hz)
    read_talk(sounds[1], rate_hz=talk.rate_hz, quiet=quiet)
    return time.perf_counter() - began


def main() -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = pathlib.Path(made)
        app = opened(folder, "fast")
        fill_with_boathouse(app)
        close_app(app)
        app = opened(folder, "real")
        found = [check_s(app) for _ in range(2)]
        reading = min(reading_s(app) for _ in range(3))
        close_app(app)
    first, later = found
    print(f"last sample to what moved    first {first:.2f} s, later {later:.2f} s  (bar 1.5 s)")
    print(
        f"reading rest and passage     {reading:.2f} s; a check takes {later / reading:.1f} of it"
    )


if __name__ == "__main__":
    main()
