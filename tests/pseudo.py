"""A language that nobody speaks: English in letters that English has not, and longer.

What is still read in plain letters never went through the catalogue.
"""

import os
import subprocess
import sys
from io import BytesIO
from pathlib import Path

from babel.messages.plurals import get_plural
from babel.messages.pofile import read_po, write_po

from alone import alone

TEMPLATE = Path(__file__).parents[1] / "src" / "obsidian_wren" / "languages" / "obsidian-wren.pot"
# Its rules are those of Polish: a comma in numbers, three forms that count.
LOCALE = "pl"
_PLAIN = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
_OTHER = "áƀčďéƒǧĥíĵķĺɱńóṕɋŕšťúṽŵẋýžÁƁČĎÉƑǦĤÍĴĶĹṀŃÓṔɊŔŠŤÚṼŴẊÝŽ"
_LETTERS = str.maketrans(_PLAIN, _OTHER)


def spelled(message):
    """A message as this language has it; what stands in its places stays as it is."""
    out, depth = [], 0
    for letter in message:
        depth += (letter == "{") - (letter == "}")
        out.append(letter if depth > 0 else letter.translate(_LETTERS))
    told = "".join(out)
    tail = len(told) - len(told.rstrip())
    body = told[: len(told) - tail]
    return f"{body} {'~' * (len(body) // 4)}{told[len(body) :]}" if len(body) > 3 else told


def write_language(path):
    """Its catalogue, as a file."""
    with TEMPLATE.open("rb") as file:
        catalogue = read_po(file, locale=LOCALE)
    forms = get_plural(LOCALE).num_plurals
    for message in catalogue:
        if isinstance(message.id, tuple):
            one, many = map(spelled, message.id)
            message.string = (one, *[many] * (forms - 1))
        elif message.id:
            message.string = spelled(message.id)
    out = BytesIO()
    write_po(out, catalogue)
    path.write_bytes(out.getvalue())
    return path


def spoken_once(together):
    """The folder with the language ``pl.po``, a calibration in it ``data``, and all that it
    answered ``told.json``: made once, whichever worker asks first."""
    folder, tests = together / "pseudo", Path(__file__).parent
    with alone(folder):
        if not (folder / "told.json").exists():
            catalogue = write_language(folder / "pl.po")
            done = subprocess.run(
                [sys.executable, tests / "speaking.py", catalogue, folder / "data"],
                env={**os.environ, "PYTHONPATH": str(tests), "OPENBLAS_NUM_THREADS": "1"},
                capture_output=True,
                text=True,
                check=False,
            )
            assert done.returncode == 0, done.stderr
            (folder / "told.json").write_text(done.stdout.splitlines()[-1])
    return folder
