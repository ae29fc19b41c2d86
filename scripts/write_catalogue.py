"""Everything that the program says to a person, in one catalogue that can be read through and
translated, and the translations that ship.

Written anew with ``make sentences``; a test holds it, so that a changed sentence is seen and read.
What is new or changed stands untranslated in each translation until somebody translates it.
"""

from __future__ import annotations

import json
import subprocess
from io import BytesIO
from pathlib import Path

from babel.messages import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "obsidian_wren"
# Lists the words of the page as its build finds them.
PAGE = ROOT / "frontend" / "words-list.js"
LANGUAGES = SOURCE / "languages"
SNAPSHOT = LANGUAGES / "obsidian-wren.pot"
_METHODS = [
    ("formats/catalogue.py", "ignore"),
    ("**.py", "python"),
    ("**.j2", "jinja2.ext:babel_extract"),
]
_KEYWORDS = {"_": None, "ngettext": (1, 2)}


def collected() -> Catalog:
    """The messages, in the order of the modules that say them."""
    catalogue = Catalog(project="obsidian-wren", charset="utf-8")
    found = extract_from_dir(SOURCE, method_map=_METHODS, keywords=_KEYWORDS, comment_tags=())
    for path, _line, message, _comments, context in sorted(found, key=lambda one: one[:2]):
        catalogue.add(message, None, [(path, None)], context=context)
    listed = subprocess.run(["node", PAGE], stdout=subprocess.PIPE, check=True, text=True)
    for path, messages in json.loads(listed.stdout).items():
        for message in messages:
            catalogue.add(
                tuple(message) if isinstance(message, list) else message, None, [(path, None)]
            )
    return catalogue


def written() -> str:
    """The catalogue as a template for translators, without what changes by itself."""
    return _as_text(collected(), "")


def translated(tag: str, template: str) -> str:
    """A translation that ships, brought up to the template."""
    catalogue = read_po(BytesIO((LANGUAGES / f"{tag}.po").read_bytes()))
    catalogue.update(read_po(BytesIO(template.encode())), no_fuzzy_matching=True)
    counts = f'"Language: {tag}\\n"\n"Plural-Forms: {catalogue.plural_forms}\\n"\n'
    return _as_text(catalogue, counts, no_location=True)


def _as_text(catalogue: Catalog, header: str, *, no_location: bool = False) -> str:
    for message in catalogue:
        # Places are written in braces, so a percent sign is one.
        message.flags.discard("python-format")
        message.flags.discard("python-brace-format")
    out = BytesIO()
    write_po(
        out,
        catalogue,
        width=100,
        omit_header=True,
        no_location=no_location,
        ignore_obsolete=True,
    )
    kind = '"Content-Type: text/plain; charset=utf-8\\n"\n'
    return f'msgid ""\nmsgstr ""\n{kind}{header}\n{out.getvalue().decode()}'


if __name__ == "__main__":
    SNAPSHOT.write_text(written())
    for path in LANGUAGES.glob("*.po"):
        path.write_text(translated(path.stem, SNAPSHOT.read_text()))
