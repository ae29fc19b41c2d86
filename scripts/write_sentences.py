"""Every sentence that the program says to a person, in one file that can be read through.

Written anew with ``make sentences``; a test holds it, so that a changed sentence is seen and read.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "obsidian_wren"
SNAPSHOT = ROOT / "tests" / "sentences.txt"
_SENTENCE = re.compile(r"^[A-Z“{0-9±].* .*[.!?:]$", re.DOTALL)


def _text(node: ast.expr) -> str | None:
    """A string as it is written, what is filled in as ``{}``."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if isinstance(node, ast.JoinedStr):
        return "".join(
            part.value if isinstance(part, ast.Constant) else "{}" for part in node.values
        )
    return None


def _docstrings(tree: ast.Module) -> set[int]:
    kinds = (ast.Module, ast.ClassDef, ast.FunctionDef)
    owners = (node for node in ast.walk(tree) if isinstance(node, kinds) and node.body)
    first = (owner.body[0] for owner in owners)
    return {id(node.value) for node in first if isinstance(node, ast.Expr)}


def _sentences(path: Path) -> Iterator[str]:
    tree = ast.parse(path.read_text())
    inside = {
        id(part)
        for node in ast.walk(tree)
        if isinstance(node, ast.JoinedStr)
        for part in ast.walk(node)
        if part is not node
    }
    skipped = _docstrings(tree) | inside
    for node in ast.walk(tree):
        if id(node) in skipped or not isinstance(node, ast.expr):
            continue
        text = _text(node)
        if text is not None and _SENTENCE.match(text.strip()):
            yield " ".join(text.split())


def collected() -> str:
    """The sentences, module by module, each once."""
    lines = []
    for path in sorted(SOURCE.rglob("*.py")):
        found = sorted(set(_sentences(path)))
        if found:
            lines += [f"# {path.relative_to(SOURCE)}", *found, ""]
    return "\n".join(lines)


if __name__ == "__main__":
    SNAPSHOT.write_text(collected())
