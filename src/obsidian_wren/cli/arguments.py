"""What can be typed."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import NoReturn

from obsidian_wren.core.wording import _

DEFAULT_PORT = 8642


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """One sentence, as for any other error."""
        problem = message[:1].upper() + message[1:].rstrip(".")
        self.exit(2, _("{said}. See “{prog} --help”.\n", said=problem, prog=self.prog))


class _Version(argparse.Action):
    """Looked up only when it is asked for."""

    def __call__(
        self, parser: argparse.ArgumentParser, *_args: object, **_options: object
    ) -> NoReturn:
        from importlib.metadata import version

        print(f"{parser.prog} {version('obsidian-wren')}")
        parser.exit()


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


# What argparse names in its sentence.
_finite.__name__ = "number"


def _add_tell(commands: argparse._SubParsersAction[_Parser]) -> None:
    tell = commands.add_parser(
        "tell",
        help=_("a word to the program that runs, from a shortcut or a script"),
        description=_(
            "mute, unmute, toggle-mute: for every listener. talk on|off: push-to-talk. live on|off."
            " situation NAME: use it. clip KEY: play the clip on this key. marker: send the"
            " marker. status [--json] [--follow]: how it stands, and one line with every change."
            " page: the address of the page. Exit code 0 if it was done, 1 if it was refused, 2 if"
            " it was not understood, 3 if no program runs."
        ),
    )
    tell.add_argument("--data", type=Path, default=None, help=_("data folder"))
    tell.add_argument("words", nargs=argparse.REMAINDER, metavar=_("WORD"))


def _add_passing(commands: argparse._SubParsersAction[_Parser]) -> None:
    devices = commands.add_parser(
        "devices", help=_("microphones of the system, and what listens to them")
    )
    devices.add_argument("--json", action="store_true")
    live = commands.add_parser("live", help=_("a microphone through a calibration, as an input"))
    live.add_argument("--calibration", type=Path, required=True)
    live.add_argument(
        "--microphone",
        default=None,
        metavar=_("NAME"),
        help=_("its name or a part of its title"),
    )
    live.add_argument(
        "--as",
        default=None,
        dest="as_name",
        metavar=_("NAME"),
        help=_("what programs see it as"),
    )
    live.add_argument("--channel", type=int, default=None, help=_("channel, from 1"))
    live.add_argument(
        "--block",
        type=float,
        default=None,
        metavar=_("MS"),
        help=_("block length in ms; without it 10, and longer where gaps occur"),
    )
    live.add_argument("--json", action="store_true", help=_("one JSON object a second"))
    _add_tell(commands)


def _add_check(commands: argparse._SubParsersAction[_Parser]) -> None:
    check = commands.add_parser(
        "check",
        help=_("what drifted since a calibration, and why"),
        description=_("Exit code 0 if nothing drifted, 3 if something did."),
    )
    check.add_argument("--calibration", type=Path, required=True)
    check.add_argument("--quiet", type=Path, required=True)
    check.add_argument("--talk", type=Path, required=True)
    check.add_argument("--channel", type=int, default=None, help=_("channel, from 1"))
    check.add_argument("--json", action="store_true")


def _add_report(commands: argparse._SubParsersAction[_Parser]) -> None:
    report = commands.add_parser("report", help=_("a calibration as a printable page"))
    report.add_argument("--calibration", type=Path, required=True)
    report.add_argument("out", type=Path, metavar="OUT.html")


def _add_doctor(commands: argparse._SubParsersAction[_Parser]) -> None:
    doctor = commands.add_parser(
        "doctor", help=_("check a data folder and repair what can be repaired")
    )
    doctor.add_argument("--data", type=Path, default=None, help=_("data folder"))
    doctor.add_argument(
        "--repair",
        action="store_true",
        help=_("repair what can be repaired; what cannot be read is set aside, never deleted"),
    )
    doctor.add_argument(
        "--memory",
        action="store_true",
        help=_("how much memory the running program holds, and for what"),
    )
    doctor.add_argument("--port", type=int, default=DEFAULT_PORT, help=_("address it runs at"))
    doctor.add_argument("--json", action="store_true")


def _add_serving(commands: argparse._SubParsersAction[_Parser]) -> None:
    for name, text in (
        ("demo", _("start with the boathouse data")),
        ("serve", _("start with your own data")),
    ):
        serve = commands.add_parser(name, help=text)
        serve.add_argument("--port", type=int, default=DEFAULT_PORT)
        serve.add_argument("--data", type=Path, default=None, help=_("data folder"))
        serve.add_argument(
            "--no-token",
            action="store_true",
            help=_("let in every user of this machine; for scripts on machines with one user"),
        )
        serve.add_argument(
            "--fast",
            action="store_true",
            help=_("simulated takes at full speed, not in real time"),
        )
        serve.add_argument("--open", action="store_true", help=_("open the page in the browser"))
        if name == "serve":
            serve.add_argument(
                "--simulated",
                action="store_true",
                help=_("a simulated computer and programs around it, for trying things out"),
            )
        if name == "demo":
            serve.add_argument(
                "--prepare",
                action="store_true",
                help=_("fill the data folder and the kernel cache, then end"),
            )


def parser() -> argparse.ArgumentParser:
    """Every command with its options."""
    whole = _Parser(prog="obsidian-wren", description=_("Calibrate one microphone in one room."))
    whole.add_argument(
        "--language",
        metavar="TAG",
        help=_("language, by its tag or by the file of its catalogue"),
    )
    whole.add_argument("--version", action=_Version, nargs=0, help=_("version of this program"))
    commands = whole.add_subparsers(dest="command", required=True)
    _add_serving(commands)
    _add_doctor(commands)
    read = commands.add_parser("read", help=_("measure a sound file")).add_subparsers(
        dest="what", required=True
    )
    for name in ("level", "quiet", "talk"):
        one = read.add_parser(name)
        one.add_argument("file", type=Path)
        one.add_argument("--channel", type=int, default=None, help=_("channel, from 1"))
        one.add_argument("--json", action="store_true")
        if name == "talk":
            one.add_argument("--quiet", type=Path, default=None)
    plan = commands.add_parser("plan", help=_("derive a calibration from two takes"))
    plan.add_argument("--quiet", type=Path, required=True)
    plan.add_argument("--talk", type=Path, required=True)
    plan.add_argument("--in-use", type=Path, default=None)
    plan.add_argument("--mic-response", type=Path, default=None)
    plan.add_argument(
        "--reference",
        type=Path,
        default=None,
        help=_("the same voice through a microphone you trust"),
    )
    plan.add_argument(
        "--phone",
        type=Path,
        default=None,
        help=_("the same voice as a phone beside the microphone recorded it"),
    )
    plan.add_argument(
        "--shape",
        type=_finite,
        default=0.0,
        metavar=_("PERCENT"),
        help=_("how far to move the voice itself towards average speech; 0 corrects the rig only"),
    )
    plan.add_argument(
        "--distance",
        type=_finite,
        default=None,
        metavar=_("CM"),
        help=_("mouth to microphone in cm, so that a later check can tell the distance"),
    )
    plan.add_argument("--out", type=Path, required=True)
    plan.add_argument("--channel", type=int, default=None, help=_("channel, from 1"))
    plan.add_argument(
        "--anyway", action="store_true", help=_("go on even where a finding makes the answer wrong")
    )
    plan.add_argument("--json", action="store_true")
    _add_check(commands)
    _add_report(commands)
    render = commands.add_parser("render", help=_("run a sound file through a calibration"))
    render.add_argument("--calibration", type=Path, required=True)
    render.add_argument("source", type=Path, metavar=_("IN"))
    render.add_argument("out", type=Path, metavar=_("OUT"))
    render.add_argument("--channel", type=int, default=None, help=_("channel, from 1"))
    render.add_argument("--json", action="store_true")
    _add_passing(commands)
    simulate = commands.add_parser("simulate", help=_("record from a simulated world"))
    simulate.add_argument("spec", type=Path, metavar="SPEC.json")
    simulate.add_argument(
        "--take",
        required=True,
        choices=("rest", "in-use", "muted", "talk", "loud", "soft", "passage"),
    )
    simulate.add_argument("--seconds", type=_finite, required=True)
    simulate.add_argument(
        "--gain",
        type=_finite,
        default=None,
        help=_("set the preamp to this gain in dB first"),
    )
    simulate.add_argument("out", type=Path, metavar=_("OUT"))
    simulate.add_argument("--json", action="store_true")
    return whole
