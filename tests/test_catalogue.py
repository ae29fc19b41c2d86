"""What the program says is held in one catalogue: who changes a sentence reads it again, and none
is said past it."""

import ast
import importlib.util
import re
from pathlib import Path
from string import Formatter

import pytest

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "obsidian_wren"
SCRIPT = ROOT / "scripts" / "write_catalogue.py"
# Words for the log, for whoever develops, and for other programs.
_NOT_SAID = {
    "AssertionError",
    "KeyError",
    "RuntimeError",
    "TypeError",
    "ValueError",
    "compile",
    "exception",
    "execute",
    "info",
    "once",
    "read",
    "text",
    "warning",
}
# What another program reads, or what tells things apart, though it reads as words.
_MARKS = re.compile(
    r"SELECT|PRAGMA|UPDATE|DELETE|INSERT|CREATE|BEGIN|svg|<|=\{|load-module|\\n|event:|Bearer|"
    r"attachment|HttpOnly|^\d{3} |no such |no space left|dict\[|\(USB |\((HD|High) |^Wren: "
)


def called(node):
    """The name of what is called."""
    return getattr(node.func, "id", getattr(node.func, "attr", ""))


def trees():
    for path in sorted(SOURCE.rglob("*.py")):
        if "migrations" not in path.parts:
            yield path.relative_to(SOURCE).as_posix(), ast.parse(path.read_text())


def message_calls(tree):
    calls = (node for node in ast.walk(tree) if isinstance(node, ast.Call))
    return [node for node in calls if called(node) in ("_", "ngettext")]


def test_the_sentences_are_those_that_were_read_through():
    spec = importlib.util.spec_from_file_location("write_catalogue", SCRIPT)
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    now, held = script.written(), script.SNAPSHOT.read_text()
    new = sorted(set(now.splitlines()) - set(held.splitlines()))
    gone = sorted(set(held.splitlines()) - set(now.splitlines()))
    assert (new, gone) == ([], []), "Read them, then run “make sentences”."
    assert now == held, "Their order changed: run “make sentences”."


def places(message):
    return {name for _, name, _, _ in Formatter().parse(message) if name is not None}


@pytest.mark.parametrize("which", ["_", "ngettext"])
def test_every_place_has_its_value_and_every_value_its_place(which):
    wrong, seen = [], 0
    for path, tree in trees():
        for node in message_calls(tree):
            if called(node) != which or path == "core/wording.py":
                continue
            seen += 1
            messages = node.args[:1] if which == "_" else node.args[:2]
            here = f"{path}:{node.lineno}"
            if not all(isinstance(one, ast.Constant) for one in messages):
                wrong.append(f"{here} is not written out")
                continue
            given = {keyword.arg for keyword in node.keywords}
            if None in given or (which == "_" and not given):
                # What is handed on as it is, and a message that is filled in later.
                continue
            wanted = set().union(*(places(one.value) for one in messages)) - {"count"}
            if wanted != given - {"count"}:
                wrong.append(f"{here} {sorted(wanted ^ given)}")
    assert wrong == []
    assert seen > 5


def unworded(tree):
    """Words that a person could read and that do not come from the catalogue."""
    known = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr | ast.Compare | ast.Subscript | ast.MatchValue):
            known |= set(map(id, ast.walk(node))) if not isinstance(node, ast.Expr) else set()
            known.add(id(getattr(node, "value", None)))
        elif isinstance(node, ast.JoinedStr):
            known |= set(map(id, ast.walk(node))) - {id(node)}
        elif isinstance(node, ast.Dict):
            known |= {id(part) for key in node.keys if key for part in ast.walk(key)}
        elif isinstance(node, ast.Call) and called(node) in _NOT_SAID:
            known |= set(map(id, ast.walk(node)))
        elif isinstance(node, ast.Call) and called(node) in ("_", "ngettext"):
            known |= set(map(id, node.args))
    for node in ast.walk(tree):
        if id(node) in known:
            continue
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            words = node.value
        elif isinstance(node, ast.JoinedStr):
            parts = (part.value if isinstance(part, ast.Constant) else "{}" for part in node.values)
            words = "".join(parts)
        else:
            continue
        several = re.search(r"[A-Za-z]{2,}[,:;]? [A-Za-z]{2,}|[a-z]{2,} \{|\} [a-z]{2,}", words)
        if several and not _MARKS.search(words):
            yield node.lineno, words


def test_nothing_is_said_past_the_catalogue():
    held = (Path(__file__).parent / "codes.txt").read_text().splitlines()
    allowed = {line for line in held if line and not line.startswith("#")}
    found = {(path, words) for path, tree in trees() for _, words in unworded(tree)}
    past = sorted(f"{path}: {words}" for path, words in found if words not in allowed)
    assert past == [], "Word it (core/wording.py), or name it in tests/codes.txt."
    assert sorted(allowed - {words for _, words in found}) == []
