"""``tell``: a word to the program that runs.

A shortcut or a foot switch waits for it, so it loads next to nothing: the program itself
understands the words. They go as one line with NUL between them; the answer is a line with
the exit code, then what is printed.
"""

from __future__ import annotations

import os
import socket
import sys

from obsidian_wren.cli.places import OWN

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

DONE, REFUSED, NOT_UNDERSTOOD, NOT_RUNNING = 0, 1, 2, 3
SOCKET = "tell.socket"
BETWEEN, END = b"\0", b"\n"
_PATIENCE_S = 20.0


def tell(arguments: Sequence[str]) -> int:
    """Say it; returns the exit code: 0 done, 1 refused, 2 not understood, 3 no program runs."""
    folder, words = _folder_and_words(arguments)
    try:
        line = _connected(folder)
    except OSError:
        return _nobody_there(folder, words)
    with line:
        line.settimeout(None if "--follow" in words else _PATIENCE_S)
        try:
            _say(line, words)
            return _pass_on(line)
        except OSError:
            return _no_answer(folder)


def answer_of(folder: str, *words: str) -> str | None:
    """What a program that runs over a folder answers; None where none does, or where it does not
    do it."""
    try:
        with _connected(folder) as line:
            line.settimeout(_PATIENCE_S)
            _say(line, words)
            with line.makefile("r", encoding="utf-8") as answer:
                code, said = answer.readline(), answer.read()
    except OSError:
        return None
    return said.strip() if code == f"{DONE}\n" else None


def _say(line: socket.socket, words: Sequence[str]) -> None:
    line.sendall(BETWEEN.join(map(os.fsencode, words)) + END)


def _folder_and_words(arguments: Sequence[str]) -> tuple[str, list[str]]:
    folder, words = os.path.join(os.path.expanduser("~"), OWN), []
    rest = iter(arguments)
    for word in rest:
        if word == "--data":
            folder = next(rest, folder)
        elif word.startswith("--data="):
            folder = word.partition("=")[2]
        else:
            words.append(word)
    return folder, words


def _connected(folder: str) -> socket.socket:
    path = os.path.join(folder, SOCKET)
    line = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    try:
        _reach(line, path)
    except OSError:
        line.close()
        raise
    return line


def _reach(line: socket.socket, path: str) -> None:
    try:
        line.connect(path)
    except OSError as error:
        # An address that is too long is refused by Python, not by the system.
        if error.errno is not None:
            raise
        from pathlib import Path

        from obsidian_wren.voice.place import address

        with address(Path(path)) as where:
            line.connect(where)


def _pass_on(line: socket.socket) -> int:
    """Print what comes until there is no more."""
    code, out = None, sys.stdout
    with line.makefile("r", encoding="utf-8", newline="\n") as answer:
        try:
            for text in answer:
                if code is None:
                    code = int(text)
                    out = sys.stderr if code else sys.stdout
                else:
                    out.write(text)
                    out.flush()
        except BrokenPipeError:
            # Whoever read it has enough.
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        except KeyboardInterrupt:
            return 130
    return NOT_RUNNING if code is None else code


def _no_answer(folder: str) -> int:
    from obsidian_wren.cli.language import speak_as_asked

    speak_as_asked(["tell", "--data", folder])
    from obsidian_wren.core.wording import _

    print(
        _(
            "The program that works in {path} does not answer yet. Try again in a moment.",
            path=folder,
        ),
        file=sys.stderr,
    )
    return REFUSED


def _nobody_there(folder: str, words: Sequence[str]) -> int:
    from pathlib import Path

    from obsidian_wren.cli.language import speak_as_asked

    speak_as_asked(["tell", "--data", folder])
    from obsidian_wren.core.wording import _
    from obsidian_wren.voice import asking

    path = Path(folder)
    voice = asking.found(path / "voice.socket")
    if voice is not None and words[:1] == ["status"]:
        from obsidian_wren.cli.starting import said_of

        print(said_of(voice), file=sys.stderr)
    else:
        print(
            _(
                "No Obsidian Wren runs over {path}. Start it with “obsidian-wren serve”, or name"
                " the folder of the one that runs with --data.",
                path=path,
            ),
            file=sys.stderr,
        )
    return NOT_RUNNING
