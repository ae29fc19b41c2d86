"""Which language is spoken: the one asked for with ``--language`` or in OBSIDIAN_WREN_LANGUAGE, as
the tag of one that ships or as the file of a catalogue; else English.

It is chosen before anything else is loaded, since much is worded as it is loaded.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import ENGLISH, _, speak

VARIABLE = "OBSIDIAN_WREN_LANGUAGE"
_OPTION = "--language"
SHIPPED = Path(__file__).parents[1] / "languages"


def asked_for(arguments: Sequence[str]) -> str:
    """What is asked for on the command line, else by the variable; nothing where nobody asks."""
    for number, argument in enumerate(arguments):
        if argument.startswith(f"{_OPTION}="):
            return argument.partition("=")[2]
        if argument == _OPTION:
            return "".join(arguments[number + 1 : number + 2])
    return os.environ.get(VARIABLE, "")


def speak_as_asked(arguments: Sequence[str]) -> None:
    """Speak the language that is asked for. Raises Told where there is no such language."""
    asked = asked_for(arguments)
    if not asked or asked == ENGLISH.tag:
        return
    from obsidian_wren.formats.catalogue import CatalogueError, read_language

    path = Path(asked) if asked.endswith(".po") else SHIPPED / f"{Path(asked).name}.po"
    if not asked.endswith(".po") and not path.exists():
        there = ", ".join(sorted([ENGLISH.tag, *(other.stem for other in SHIPPED.glob("*.po"))]))
        raise Told(
            "no-language",
            f"There is no catalogue for “{asked}”, only for {there}. Name one of these, or the file"
            " of a catalogue.",
        )
    try:
        speak(read_language(path))
    except CatalogueError as error:
        if error.code != "bad-catalogue":
            raise
        # The program speaks all the same.
        print(_("{error} Until then the program speaks English.", error=error), file=sys.stderr)
