"""What each public function of the core says of itself: shapes of its arrays, units of its numbers,
what it raises, and where its rule comes from."""

import ast
import pathlib
import re

CORE = pathlib.Path(__file__).parents[1] / "src" / "obsidian_wren" / "core"
SHAPE = re.compile(r"``\(|any shape")
NUMBER = re.compile(r"float( \| None)?")
# A name that ends in its unit needs no more words.
UNIT_IN_NAME = re.compile(
    r"(_|^)(hz|db|dbfs|dbfs_a|dba|dbtp|dbu|spl|lufs|lu|s|ms|cm|m|deg|pa|percent|ppm|samples"
    r"|order|weight|share|ratio|speed|bits|q|depth|db_per_unit|per_minute)(_of_\w+)?$"
)
UNIT_IN_WORDS = re.compile(
    r"dB|Hz|LU|\bs\b|\bms\b|second|share|ratio|metre|%|samples|degrees|frames|unit|marks|0 and 1"
)


def functions():
    for path in sorted(CORE.rglob("*.py")):
        tree = ast.parse(path.read_text())
        source = "Source: " in (ast.get_docstring(tree) or "") or cites(ast.get_docstring(tree))
        for owner in (tree, *(x for x in tree.body if isinstance(x, ast.ClassDef))):
            if isinstance(owner, ast.ClassDef) and owner.name.startswith("_"):
                continue
            said = (ast.get_docstring(owner) or "") if isinstance(owner, ast.ClassDef) else ""
            for found in owner.body:
                if isinstance(found, ast.FunctionDef) and not found.name.startswith("_"):
                    if any(ast.unparse(mark) == "overload" for mark in found.decorator_list):
                        continue
                    name = f"{path.relative_to(CORE)}:{found.name}"
                    yield name, found, said, source


def cites(text):
    """Whether a text names a standard or a paper."""
    return bool(re.search(r"ITU|ISO|IEC|AES|EBU|ECMA|RFC|\b(19|20)\d\d\b|[Pp]ractice", text or ""))


def arrays(function):
    kinds = [a.annotation for a in (*function.args.args, *function.args.kwonlyargs)]
    kinds.append(function.returns)
    return [k for k in kinds if k and re.search(r"\bSamples\b|NDArray", ast.unparse(k))]


def numbers(function):
    for argument in (*function.args.args, *function.args.kwonlyargs):
        kind = argument.annotation
        if kind and NUMBER.fullmatch(ast.unparse(kind)) and not UNIT_IN_NAME.search(argument.arg):
            yield argument.arg


def wants(function, owner, sourced):
    """What a public function does not say of what it takes and gives."""
    text = ast.get_docstring(function) or ""
    if not text:
        yield "a docstring"
    if not sourced and not cites(text + owner):
        yield "its source"
    if arrays(function) and not SHAPE.search(text + owner):
        yield "the shape of its arrays"
    yield from (f"the unit of {name}" for name in numbers(function) if name not in text)
    given = ast.unparse(function.returns) if function.returns else ""
    has_unit = UNIT_IN_NAME.search(function.name) or UNIT_IN_WORDS.search(text)
    if NUMBER.fullmatch(given) and not has_unit:
        yield "the unit of what it gives"
    raises = any(isinstance(x, ast.Raise) and x.exc is not None for x in ast.walk(function))
    if raises and not re.search("[Rr]aise", text):
        yield "what it raises"


def test_a_public_function_says_what_it_takes_and_gives():
    told = {name: list(wants(*found)) for name, *found in functions()}
    assert len(told) > 100
    assert {name: missing for name, missing in told.items() if missing} == {}
