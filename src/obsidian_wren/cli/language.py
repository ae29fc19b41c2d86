"""Which language is spoken: the one asked for with ``--language`` or in OBSIDIAN_WREN_LANGUAGE, as
the tag of one that ships or as the file of a catalogue; else the one that was chosen in the page;
else English.

It is chosen before anything else is loaded, since much is worded as it is loaded.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path

from obsidian_wren.cli.places import data_folder
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import ENGLISH, _, speak, spoken

VARIABLE = "OBSIDIAN_WREN_LANGUAGE"
_OPTION = "--language"
# Those that work in a data folder.
_IN_A_FOLDER = ("serve", "demo", "doctor", "tell")


def _given(arguments: Sequence[str], option: str) -> str | None:
    for number, argument in enumerate(arguments):
        if argument.startswith(f"{option}="):
            return argument.partition("=")[2]
        if argument == option:
            return "".join(arguments[number + 1 : number + 2])
    return None


def asked_for(arguments: Sequence[str]) -> str:
    """What is asked for on the command line, else by the variable, else in the page; nothing where
    nobody asks."""
    given = _given(arguments, _OPTION)
    asked = os.environ.get(VARIABLE, "") if given is None else given
    command = next((word for word in arguments if word in _IN_A_FOLDER), None)
    if asked or command is None:
        return asked
    from obsidian_wren.store.language import chosen_in

    folder = _given(arguments, "--data")
    return chosen_in(data_folder(command, Path(folder) if folder else None)) or ""


def without_language(arguments: Sequence[str]) -> list[str]:
    """The same command, with no language asked for."""
    kept: list[str] = []
    words = iter(arguments)
    for word in words:
        if word == _OPTION:
            next(words, None)
        elif not word.startswith(f"{_OPTION}="):
            kept.append(word)
    return kept


def speak_as_asked(arguments: Sequence[str]) -> None:
    """Speak the language that is asked for. Raises Told where there is no such language."""
    asked = asked_for(arguments)
    if not asked or asked == ENGLISH.tag:
        return
    from obsidian_wren.formats.catalogue import CatalogueError, read_language
    from obsidian_wren.store.language import SHIPPED, tags

    path = Path(asked) if asked.endswith(".po") else SHIPPED / f"{Path(asked).name}.po"
    if not asked.endswith(".po") and asked not in tags():
        raise Told(
            "no-language",
            f"There is no catalogue for “{asked}”, only for {', '.join(tags())}. Name one of these,"
            " or the file of a catalogue.",
        )
    try:
        speak(read_language(path))
    except CatalogueError as error:
        if error.code != "bad-catalogue":
            raise
        # The program speaks all the same.
        print(_("{error} Until then the program speaks English.", error=error), file=sys.stderr)


def hand_on(arguments: Sequence[str]) -> None:
    """What is begun from here on speaks the same."""
    if spoken() is not ENGLISH:
        os.environ[VARIABLE] = asked_for(arguments)
