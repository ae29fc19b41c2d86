"""Everything that the program says to a person, in one catalogue that can be read through and
translated.

Written anew with ``make sentences``; a test holds it, so that a changed sentence is seen and read.
"""

from __future__ import annotations

import json
import subprocess
from io import BytesIO
from pathlib import Path

from babel.messages import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import write_po

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "obsidian_wren"
# Lists the words of the page as its build finds them.
PAGE = ROOT / "frontend" / "words-list.js"
SNAPSHOT = SOURCE / "languages" / "obsidian-wren.pot"
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
    out = BytesIO()
    write_po(out, collected(), width=100, omit_header=True)
    header = 'msgid ""\nmsgstr ""\n"Content-Type: text/plain; charset=utf-8\\n"\n\n'
    return header + out.getvalue().decode()


if __name__ == "__main__":
    SNAPSHOT.write_text(written())
