"""The worker's process begins: the app of what computes, in the world of the program that asks
it."""

from __future__ import annotations

import multiprocessing
import os
import sys
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import TYPE_CHECKING, cast

from obsidian_wren.cli.language import speak_as_asked

if TYPE_CHECKING:
    from obsidian_wren.service.context import AppContext, Worker


def worker_of(app: AppContext, path: Path, *, own: bool) -> Worker:
    """The worker of a program over a data folder; ``own``: in this computer's own sound."""
    from obsidian_wren.service.context import Worker

    def begin(line: Connection) -> Callable[[], None]:
        spawned = multiprocessing.get_context("spawn")
        process = spawned.Process(target=_Begin(path, own), args=(line,), daemon=True)
        process.start()
        # With its own it goes.
        line.close()
        return process.join

    return Worker(app, begin)


@dataclass(frozen=True)
class _Begin:
    """Opens the app of the worker's process and works there; this computer's own sound is
    known as far as the program that asks saw it last."""

    path: Path
    own: bool

    def __call__(self, line: Connection) -> None:
        """Work until nobody is at the other end of the line."""
        speak_as_asked(sys.argv[1:])
        from obsidian_wren.cli.starting import simulated_surroundings
        from obsidian_wren.devices.sound_server.computer import SystemComputer
        from obsidian_wren.ports.system_sound import Surroundings, SystemSound
        from obsidian_wren.service.context import workers_shop
        from obsidian_wren.simulation.surroundings import around
        from obsidian_wren.store.folder import DataFolder

        world = simulated_surroundings()
        folder = DataFolder(self.path, beside=True)
        if self.own:
            seen = _AsSeen()
            system = cast("SystemSound", seen)
            world = around(system, SystemComputer(system), world, ())

            def see(surroundings: Surroundings) -> None:
                seen.seen = surroundings

            shop = workers_shop.WorkersShop(folder, world, line, see)
        else:
            shop = workers_shop.WorkersShop(folder, world, line)
        _load()
        workers_shop.settle_in()
        workers_shop.work(shop, line, lambda: os._exit(0))


class _AsSeen:
    """This computer's sound as the program that asks saw it last: nothing of it is used here."""

    def __init__(self) -> None:
        from obsidian_wren.ports.system_sound import Surroundings

        self.seen = Surroundings()


def _load() -> None:
    """What every job needs, before the first one comes."""
    import scipy.optimize
    import scipy.signal

    from obsidian_wren.service.calibration import deriving
    from obsidian_wren.service.export import sounds

    for module in (scipy.optimize, scipy.signal, deriving, sounds):
        assert module.__name__
