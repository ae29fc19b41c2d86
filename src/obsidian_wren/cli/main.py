"""The command line: the same services without a screen.

``--json`` prints one JSON object on standard output. Errors are one sentence on standard error,
with exit code 2. What takes long tells a terminal how far it is, and Ctrl-C ends it.
``OBSIDIAN_WREN_TRACE=1`` shows where a fault inside came from.
"""

from __future__ import annotations

import argparse
import gc
import io
import json
import os
import sys
from collections.abc import Sequence
from types import ModuleType

from obsidian_wren.cli.arguments import parser
from obsidian_wren.cli.language import hand_on, speak_as_asked
from obsidian_wren.cli.printing import print_check, print_plain
from obsidian_wren.cli.simulating import simulate
from obsidian_wren.cli.starting import look_through, start
from obsidian_wren.cli.tell import tell
from obsidian_wren.cli.voice_ahead import begun_voice
from obsidian_wren.core.wording import _


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    # What is loaded stays: looking through it for what nobody uses takes a fifth of the time of
    # loading.
    gc.disable()
    if isinstance(sys.stdout, io.TextIOWrapper):
        # A file's name may hold bytes that are no text: they are written as what they are.
        sys.stdout.reconfigure(errors="backslashreplace")
    from obsidian_wren.core.told import Told

    try:
        # Before anything else is loaded.
        given = sys.argv[1:] if arguments is None else arguments
        speak_as_asked(given)
        return _run(parser().parse_args(arguments), given)
    except Told as error:
        sentence = str(error)
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:
        # Whoever read the output has enough of it.
        sys.stdout = open(os.devnull, "w")  # noqa: PTH123, SIM115
        return 0
    except MemoryError:
        sentence = _("There is not enough memory. Close other programs, or use a shorter file.")
    except OSError as error:
        sentence = _(
            "The system refused: {value}. Check the file, the folder and the free space.",
            value=error.strerror or _("the disk failed"),
        )
    except Exception:
        if os.environ.get("OBSIDIAN_WREN_TRACE"):
            raise
        sentence = _(
            "An internal error occurred, and nothing was written. Try another file;"
            " OBSIDIAN_WREN_TRACE=1 shows where it happened."
        )
    finally:
        gc.enable()
    print(sentence, file=sys.stderr)
    return 2


def _run(chosen: argparse.Namespace, given: Sequence[str]) -> int:
    if chosen.command in ("serve", "demo"):
        hand_on(given)
        return start(chosen, given)
    if chosen.command == "doctor":
        return look_through(chosen)
    if chosen.command == "tell":
        folder = [] if chosen.data is None else ["--data", str(chosen.data)]
        return tell([*folder, *chosen.words])
    if chosen.command in ("devices", "live"):
        return _pass_on(chosen)
    return _work(chosen)


def _pass_on(chosen: argparse.Namespace) -> int:
    if chosen.command == "devices":
        return int(_passing().devices(chosen))
    with begun_voice() as (path, process):
        passing = _passing()
        _all_is_loaded()
        return int(passing.live(chosen, path, process))


def _passing() -> ModuleType:
    """What needs the library of the sound server, which is looked for when it is imported."""
    try:
        from obsidian_wren.cli import passing
    except OSError as error:
        from obsidian_wren.ports.system_sound import NoSoundServer

        raise NoSoundServer(
            "no-library",
            _("The sound server's library is missing. Install Debian's libpulse0, then try again."),
        ) from error
    return passing


def _progress(share: float) -> None:
    """How far it is, for somebody who looks."""
    if sys.stderr.isatty():
        print(
            f"\r{share:4.0%}" if share < 1.0 else "\r     \r", end="", file=sys.stderr, flush=True
        )


_DRIFTED = 3


def _check(chosen: argparse.Namespace) -> int:
    """``check``: 0 where nothing drifted, 3 where something did."""
    from obsidian_wren.formats.jsonable import to_jsonable
    from obsidian_wren.service.files.checking import check_files

    answer = check_files(chosen.calibration, chosen.quiet, chosen.talk, channel=chosen.channel)
    for note in answer.notes:
        print(note, file=sys.stderr)
    if chosen.json:
        print(json.dumps(to_jsonable(answer.found), ensure_ascii=False))
    else:
        print_check(answer.found)
    return _DRIFTED if answer.found.drifted else 0


def _work(chosen: argparse.Namespace) -> int:
    # Only what the command needs: loading the rest would take longer than reading a short file.
    from obsidian_wren.service.files import reading as files

    _all_is_loaded()
    match chosen.command, getattr(chosen, "what", None):
        case "read", "level":
            answer = files.read_level_file(chosen.file, channel=chosen.channel, progress=_progress)
        case "read", "quiet":
            answer = files.read_quiet_file(chosen.file, channel=chosen.channel)
        case "read", _:
            answer = files.read_talk_file(
                chosen.file, quiet=chosen.quiet, channel=chosen.channel, progress=_progress
            )
        case "plan", _:
            from obsidian_wren.service.files.planning import plan_files

            answer = plan_files(
                chosen.quiet,
                chosen.talk,
                chosen.out,
                in_use=chosen.in_use,
                mic_response=chosen.mic_response,
                reference=chosen.reference,
                phone=chosen.phone,
                shape_percent=chosen.shape,
                channel=chosen.channel,
                anyway=chosen.anyway,
                distance_cm=chosen.distance,
            )
        case "check", _:
            return _check(chosen)
        case "report", _:
            from obsidian_wren.service.files.reporting import report_file

            report_file(chosen.calibration, chosen.out)
            print(_("Written to {out}.", out=chosen.out))
            return 0
        case "render", _:
            answer = files.render_file(
                chosen.calibration,
                chosen.source,
                chosen.out,
                channel=chosen.channel,
                progress=_progress,
            )
        case _:
            answer = simulate(chosen)
    for note in answer.notes:
        print(note, file=sys.stderr)
    for found in () if chosen.json else answer.warnings:
        print(f"{found.sentence} {found.action}", file=sys.stderr)
    if chosen.json:
        printed = answer.to_json() if chosen.command in ("read", "plan") else answer.body
        print(json.dumps(printed, ensure_ascii=False))
    else:
        print_plain(chosen, answer.body)
    return 0


def _all_is_loaded() -> None:
    """From here on it is looked for what nobody uses, and only among what comes from here on."""
    gc.freeze()
    gc.enable()
