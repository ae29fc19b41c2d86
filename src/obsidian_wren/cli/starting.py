"""The program starts over a data folder; and looks through one."""

from __future__ import annotations

import argparse
import dataclasses
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING

import obsidian_wren
from obsidian_wren.cli.kernels import are_compiled, run_everything, telling_how_far
from obsidian_wren.cli.own_system import own_system, simulated_voice_command, voice_command
from obsidian_wren.cli.places import data_folder
from obsidian_wren.core.wording import _

if TYPE_CHECKING:
    from obsidian_wren.ports.world import PushedStream, World
    from obsidian_wren.service.context import AppContext
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.voice import records


def look_through(chosen: argparse.Namespace) -> int:
    """``doctor``: 0 where all is well or was put right, 1 where something is not."""
    from obsidian_wren.service.errors import Refused
    from obsidian_wren.service.opening import doctor
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.voice import asking

    path = data_folder(chosen.command, chosen.data)
    if not path.is_dir():
        raise Refused(
            "no-folder", _("There is no data folder {path}. Name it with --data.", path=path)
        )
    if chosen.memory:
        from obsidian_wren.cli.asking import show_memory

        return show_memory(path, chosen.port, as_json=chosen.json)
    os.umask(0o077)
    folder = DataFolder(path)
    look = doctor.repair if chosen.repair else doctor.examine
    found = look(folder, simulated_surroundings())
    voice = asking.found(folder.voice_socket)
    folder.close()
    if chosen.json:
        print(
            json.dumps(
                {
                    "data": str(path),
                    "troubles": [dataclasses.asdict(trouble) for trouble in found],
                    "voice": None
                    if voice is None
                    else {"process": voice.process, "live": voice.live, "gaps": voice.gaps},
                },
                ensure_ascii=False,
            )
        )
    else:
        if voice is not None:
            print(said_of(voice))
        for trouble in found:
            print(f"{trouble.sentence} {'Put right.' if trouble.put_right else trouble.action}")
        if not found:
            print(_("Nothing is wrong in {path}.", path=path))
    return 0 if all(trouble.put_right for trouble in found) else 1


def said_of(voice: records.Status) -> str:
    """A voice that runs without its page."""
    doing = _("is live") if voice.live else _("is silent")
    return _(
        "The voice of this folder {doing} without its page (process {process}). “serve” shows it"
        " again; “Stop live” there ends it.",
        doing=doing,
        process=voice.process,
    )


def start(chosen: argparse.Namespace, arguments: Sequence[str]) -> int:
    """``serve`` and ``demo``: serve the page until it is ended.

    ``arguments``: as they were given; with them the program begins again in another language.
    """
    from obsidian_wren.cli.opening_page import open_page, show_page
    from obsidian_wren.ports.disk import FolderError
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.store.token import token_of
    from obsidian_wren.web.access import Access
    from obsidian_wren.web.front import page_mark
    from obsidian_wren.web.left_state import LeftState
    from obsidian_wren.web.server import bind, serve

    # Whatever is written from here on is its owner's alone.
    os.umask(0o077)
    demo = chosen.command == "demo"
    path = data_folder(chosen.command, chosen.data)
    try:
        folder = DataFolder(path)
    except FolderError as error:
        if error.code == "in-use" and chosen.open:
            return show_page(path)
        raise
    if demo and not folder.database.exists():
        _fill(folder, everything=chosen.prepare or not are_compiled())
    elif demo and chosen.prepare:
        # The data are there, but the kernels may be new: doing the job once somewhere else compiles
        # them.
        with tempfile.TemporaryDirectory() as elsewhere:
            _fill(DataFolder(Path(elsewhere)), everything=True)
    elif not are_compiled():
        _compile()
    if demo and chosen.prepare:
        return 0
    listening = bind(chosen.port)

    def open_the_app() -> AppContext:
        from obsidian_wren.cli.tell_socket import TellSocket
        from obsidian_wren.cli.worker import worker_of
        from obsidian_wren.service.opening.opening import open_app

        own = not (demo or chosen.simulated)
        around = _own_world(path, port) if own else _simulated_world()
        app = open_app(folder, around, pace="fast" if chosen.fast else "real")
        app.worker = worker_of(app, path, own=own)
        app.at_end(app.worker.end_for_good)
        try:
            app.at_end(TellSocket(app, address).close)
        except OSError as error:
            # What lies in the folder stops no start.
            app.find(
                "tell-socket",
                _(
                    "Shortcuts cannot reach the program: {path} cannot be made ({strerror}).",
                    path=app.folder.tell_socket,
                    strerror=error.strerror or error,
                ),
                _("Move what is there away, then start the program again."),
            )
        return app

    port = listening.getsockname()[1]
    token = None if chosen.no_token else token_of(folder.path / "token")
    address = f"http://127.0.0.1:{port}/" + (f"?token={token}" if token else "")
    print(
        _(
            "Obsidian Wren runs at {address}  (data in {path}; Ctrl-C ends it)",
            address=address,
            path=path,
        ),
        flush=True,
    )
    if chosen.open:
        open_page(folder.path, address)
    left = LeftState(
        folder.path,
        # A state is of the shape that its page knows.
        version=f"{obsidian_wren.__version__} {page_mark()}",
        around="simulated" if demo or chosen.simulated else "own",
    )
    if serve(open_the_app, listening, Access(token, port), left):
        _begin_again(arguments, port)
    return 0


def _begin_again(arguments: Sequence[str], port: int) -> None:
    """The same command in the same process, in the language that was chosen meanwhile."""
    from obsidian_wren.cli.language import VARIABLE, without_language

    sys.stdout.flush()
    os.environ.pop(VARIABLE, None)
    # Its page is open.
    again = [word for word in without_language(arguments) if word != "--open"]
    same = [*again, "--port", str(port)]
    os.execv(sys.executable, own_command(*same))


def simulated_surroundings() -> World:
    """All around simulated, beside the browser's microphone."""
    from obsidian_wren.simulation.surroundings import simulated_world

    def open_browser(rate_hz: int) -> PushedStream:
        from obsidian_wren.devices.browser import BrowserStream

        return BrowserStream(rate_hz)

    return simulated_world(open_browser)


def _simulated_world() -> World:
    """The same with a voice in a process of its own."""
    world = simulated_surroundings()
    return dataclasses.replace(world, voice_command=simulated_voice_command())


def _own_world(path: Path, port: int) -> World:
    """This computer's own sound around the program, where its sound server answers, and a plain
    word where none does; at login it may be started over the same folder, at the same port."""
    from obsidian_wren.devices.sound_server.computer import SystemComputer
    from obsidian_wren.devices.user_service import UserService
    from obsidian_wren.simulation.surroundings import around

    system = own_system()
    system.look()
    world = around(system, SystemComputer(system), simulated_surroundings(), voice_command())
    again = own_command("serve", "--data", str(path.resolve()), "--port", str(port))
    return dataclasses.replace(world, login=UserService(again))


def _compile() -> None:
    """By doing the job once somewhere else, in a process that gives its memory back."""
    with tempfile.TemporaryDirectory() as elsewhere:
        subprocess.run(own_command("demo", "--prepare", "--data", elsewhere), check=False)


def own_command(*arguments: str) -> list[str]:
    """This program in a process of its own. Without ``-P``, modules of the folder that somebody
    happens to stand in would be run in the place of Python's own."""
    return [sys.executable, "-P", "-m", "obsidian_wren.cli", *arguments]


def _tell(sentence: str) -> None:
    """On a terminal in one line, which the next thing said goes on behind."""
    print(f"\r{sentence}" if sys.stdout.isatty() else sentence, end="", flush=True)
    if not sys.stdout.isatty():
        print(flush=True)


def _fill(folder: DataFolder, *, everything: bool) -> None:
    """Do the boathouse's calibration; with ``everything`` also whatever it does not need, so that
    all is compiled."""
    from obsidian_wren.service.opening.boathouse import fill_demo
    from obsidian_wren.service.opening.opening import open_app

    print(_("Calibrating the boathouse; this happens once."), flush=True)
    app = open_app(folder, simulated_surroundings(), pace="fast")
    with nullcontext() if are_compiled() else telling_how_far(_tell):
        fill_demo(app)
        if everything:
            run_everything()
    if app.copier is not None:
        app.copier.stop()
    app.sessions.close()
