"""The command line: the same services without a screen.

``--json`` prints one JSON object on standard output. Errors are one sentence on standard error, with exit code 2. What takes long tells a
terminal how far it is, and Ctrl-C ends it. ``OBSIDIAN_WREN_TRACE=1`` shows where a fault inside came from.
"""

from __future__ import annotations

import argparse
import dataclasses
import json
import math
import os
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

if TYPE_CHECKING:
    from obsidian_wren.service.ports import PushedStream, World
    from obsidian_wren.service.workshop import Workshop
    from obsidian_wren.store.folder import DataFolder

DEFAULT_PORT = 8642
# The matrices here are small: more threads only spin, beside a live run that needs its core. Read when NumPy is first imported.
for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """One sentence, as for any other error."""
        said = message[:1].upper() + message[1:].rstrip(".")
        self.exit(2, f"{said}. See “{self.prog} --help”.\n")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


# What argparse names in its sentence.
_finite.__name__ = "number"


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="obsidian-wren", description="Calibrate one microphone in one room.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, text in (("demo", "start with the boathouse data"), ("serve", "start with your own")):
        serve = commands.add_parser(name, help=text)
        serve.add_argument("--port", type=int, default=DEFAULT_PORT)
        serve.add_argument("--data", type=Path, default=None, help="data folder")
        serve.add_argument(
            "--no-token", action="store_true", help="let every user of this machine in, for scripts on machines with one user"
        )
        serve.add_argument("--fast", action="store_true", help="simulated takes as fast as they can, not at the pace of real time")
        if name == "demo":
            serve.add_argument("--prepare", action="store_true", help="fill the data folder and the kernel cache, then end")
    doctor = commands.add_parser("doctor", help="look through a data folder, and put right what can be")
    doctor.add_argument("--data", type=Path, default=None, help="data folder")
    doctor.add_argument("--repair", action="store_true", help="put right what can be; what cannot be read is put aside, never deleted")
    doctor.add_argument("--json", action="store_true")
    read = commands.add_parser("read", help="measure a sound file").add_subparsers(dest="what", required=True)
    for name in ("level", "quiet", "talk"):
        one = read.add_parser(name)
        one.add_argument("file", type=Path)
        one.add_argument("--channel", type=int, default=None, help="channel, from 1")
        one.add_argument("--json", action="store_true")
        if name == "talk":
            one.add_argument("--quiet", type=Path, default=None)
    plan = commands.add_parser("plan", help="derive a calibration from two takes")
    plan.add_argument("--quiet", type=Path, required=True)
    plan.add_argument("--talk", type=Path, required=True)
    plan.add_argument("--in-use", type=Path, default=None)
    plan.add_argument("--mic-response", type=Path, default=None)
    plan.add_argument("--out", type=Path, required=True)
    plan.add_argument("--channel", type=int, default=None, help="channel, from 1")
    plan.add_argument("--json", action="store_true")
    render = commands.add_parser("render", help="run a sound through a calibration")
    render.add_argument("--calibration", type=Path, required=True)
    render.add_argument("source", type=Path, metavar="IN")
    render.add_argument("out", type=Path, metavar="OUT")
    render.add_argument("--channel", type=int, default=None, help="channel, from 1")
    render.add_argument("--json", action="store_true")
    simulate = commands.add_parser("simulate", help="take from a simulated world")
    simulate.add_argument("spec", type=Path, metavar="SPEC.json")
    simulate.add_argument("--take", required=True, choices=("rest", "in-use", "muted", "talk", "loud", "soft", "passage"))
    simulate.add_argument("--seconds", type=_finite, required=True)
    simulate.add_argument("--gain", type=_finite, default=None, help="turn the preamp to this gain in dB first")
    simulate.add_argument("out", type=Path, metavar="OUT")
    simulate.add_argument("--json", action="store_true")
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    chosen = _parser().parse_args(arguments)
    from obsidian_wren.core.told import Told

    try:
        if chosen.command in ("serve", "demo"):
            return _serve(chosen)
        if chosen.command == "doctor":
            return _doctor(chosen)
        return _work(chosen)
    except Told as error:
        sentence = str(error)
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:
        # Whoever read the output has enough of it.
        sys.stdout = open(os.devnull, "w")  # noqa: PTH123, SIM115
        return 0
    except MemoryError:
        sentence = "There is not enough memory for this. Close other programs, or use a shorter file."
    except OSError as error:
        sentence = f"The system refused: {error.strerror or 'the disk failed'}. Check the file, the folder and the free space."
    except Exception:
        if os.environ.get("OBSIDIAN_WREN_TRACE"):
            raise
        sentence = "This failed inside, and nothing was written. Try another file; OBSIDIAN_WREN_TRACE=1 shows where it failed."
    print(sentence, file=sys.stderr)
    return 2


def _progress(share: float) -> None:
    """How far it is, for somebody who looks."""
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}" if share < 1.0 else "\r     \r", end="", file=sys.stderr, flush=True)


def _work(chosen: argparse.Namespace) -> int:
    from obsidian_wren.service import files

    match chosen.command, getattr(chosen, "what", None):
        case "read", "level":
            answer = files.read_level_file(chosen.file, channel=chosen.channel, progress=_progress)
        case "read", "quiet":
            answer = files.read_quiet_file(chosen.file, channel=chosen.channel)
        case "read", _:
            answer = files.read_talk_file(chosen.file, quiet=chosen.quiet, channel=chosen.channel, progress=_progress)
        case "plan", _:
            answer = files.plan_files(
                chosen.quiet, chosen.talk, chosen.out, in_use=chosen.in_use, mic_response=chosen.mic_response, channel=chosen.channel
            )
        case "render", _:
            answer = files.render_file(chosen.calibration, chosen.source, chosen.out, channel=chosen.channel, progress=_progress)
        case _:
            answer = _simulate(chosen)
    for note in answer.notes:
        print(note, file=sys.stderr)
    if chosen.json:
        print(json.dumps(answer.body, ensure_ascii=False))
    else:
        _print_plain(chosen, answer.body)
    return 0


_LONGEST_SIMULATED_S = 3600.0


def _simulate(chosen: argparse.Namespace) -> Any:
    from obsidian_wren.formats.sound import write_sound
    from obsidian_wren.service.errors import Refused
    from obsidian_wren.service.files import Answer
    from obsidian_wren.standins.spec import read_spec
    from obsidian_wren.standins.world import SimulatedRig

    if not 0.1 <= chosen.seconds <= _LONGEST_SIMULATED_S:
        raise Refused("seconds", "A simulated take lasts between 0.1 s and 1 h. Choose a length in between.")
    rig = SimulatedRig(read_spec(chosen.spec))
    if chosen.gain is not None:
        rig.turn(chosen.gain)
    samples = rig.take(chosen.take, seconds=chosen.seconds)
    write_sound(chosen.out, samples, rate_hz=rig.rate_hz)
    body = {"out": str(chosen.out), "take": chosen.take, "seconds": chosen.seconds, "rate_hz": rig.rate_hz, "gain_db": rig.knob.gain_db}
    return Answer(body, ())


def _print_plain(chosen: argparse.Namespace, body: dict[str, Any]) -> None:
    if chosen.command != "plan":
        for name, value in body.items():
            if isinstance(value, (int, float, str)) or value is None:
                print(f"{name:24} {'unknown' if value is None else value}")
        return
    print(body["rig"]["preamp"]["sentence"] + ".", body["rig"]["preamp"]["because"])
    for stage in body["chain"]:
        if not stage["on"]:
            print(f"{stage['kind']:24} off")
            continue
        for name, setting in stage["settings"].items():
            _print_setting(stage["kind"], name, setting)
    feed = body["feeds"][0]
    print(f"The feed will carry {feed['planned_lufs']:.1f} LUFS at {feed['planned_true_peak_dbtp']:.1f} dBTP.")
    print(f"Written to {chosen.out}.")


def _print_setting(kind: str, name: str, setting: dict[str, Any]) -> None:
    value = setting["value"]
    if name == "bands":
        for band in value:
            print(f"{band['name']:12} {band['frequency_hz']:8.0f} Hz {band['gain_db']:+6.1f} dB  Q {band['q']:.2f}  {band['because']}")
    elif isinstance(value, list):
        print(f"{kind + ' ' + name:24} {len(value)} points of Hz and {setting['unit']}  {setting['because']}")
    else:
        print(f"{kind + ' ' + name:24} {value:g} {setting['unit']}  {setting['because']}")


_OWN_DATA = Path(".local") / "share" / "obsidian-wren"


def _doctor(chosen: argparse.Namespace) -> int:
    """0 where all is well or was put right, 1 where something is not."""
    from obsidian_wren.service import doctor
    from obsidian_wren.service.errors import Refused
    from obsidian_wren.store.folder import DataFolder

    path = chosen.data or Path.home() / _OWN_DATA
    if not path.is_dir():
        raise Refused("no-folder", f"There is no data folder {path}. Name it with --data.")
    os.umask(0o077)
    folder = DataFolder(path)
    found = doctor.repair(folder, _world()) if chosen.repair else doctor.examine(folder)
    folder.close()
    if chosen.json:
        print(json.dumps({"data": str(path), "troubles": [dataclasses.asdict(trouble) for trouble in found]}, ensure_ascii=False))
    else:
        for trouble in found:
            print(f"{trouble.sentence} {'Put right.' if trouble.put_right else trouble.action}")
        if not found:
            print(f"All is well in {path}.")
    return 0 if all(trouble.put_right for trouble in found) else 1


def _serve(chosen: argparse.Namespace) -> int:
    from obsidian_wren.service.token import token_of
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.web.access import Access
    from obsidian_wren.web.server import bind, serve

    # Whatever is written from here on is its owner's alone.
    os.umask(0o077)
    demo = chosen.command == "demo"
    path = chosen.data or (Path("demo-data") if demo else Path.home() / _OWN_DATA)
    folder = DataFolder(path)
    if demo and not folder.database.exists():
        _fill(folder)
    elif demo and chosen.prepare:
        # The data are there, but the kernels may be new: doing the job once somewhere else compiles them.
        with tempfile.TemporaryDirectory() as elsewhere:
            _fill(DataFolder(Path(elsewhere)))
    if demo and chosen.prepare:
        return 0
    listening = bind(chosen.port)

    def open_the_workshop() -> Workshop:
        from obsidian_wren.service.opening import open_workshop

        return open_workshop(folder, _world(), pace="fast" if chosen.fast else "real")

    port = listening.getsockname()[1]
    token = None if chosen.no_token else token_of(folder.path / "token")
    address = f"http://127.0.0.1:{port}/" + (f"?token={token}" if token else "")
    print(f"Obsidian Wren is at {address}  (data in {path}; end with Ctrl-C)", flush=True)
    serve(open_the_workshop, listening, Access(token, port))
    return 0


def _world() -> World:
    """Where the program meets what surrounds it: stand-ins, and the browser's microphone."""
    from obsidian_wren.standins.surroundings import simulated_world

    def open_browser(rate_hz: int) -> PushedStream:
        from obsidian_wren.devices.browser import BrowserStream

        return BrowserStream(rate_hz)

    return simulated_world(open_browser)


def _fill(folder: DataFolder) -> None:
    from obsidian_wren.service.opening import fill_with_boathouse, open_workshop

    print("Doing the boathouse's calibration; this is done once.", flush=True)
    ws = open_workshop(folder, _world(), pace="fast")
    fill_with_boathouse(ws)
    if ws.copier is not None:
        ws.copier.stop()
    ws.sessions.close()


if __name__ == "__main__":
    sys.exit(main())
