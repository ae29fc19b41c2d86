"""Write the OpenAPI document that the page's types are made from."""

from __future__ import annotations

import json
import pathlib
import sys
from typing import Any

from obsidian_wren.web.app import create_app

OUT = pathlib.Path(__file__).resolve().parents[1] / "frontend/src/lib/openapi.json"


def _named(part: Any) -> set[str]:
    """Schemas that a part of the document names."""
    if isinstance(part, dict):
        own = {part["$ref"].rsplit("/", 1)[1]} if "$ref" in part else set()
        return own.union(*map(_named, part.values()))
    return set().union(*map(_named, part)) if isinstance(part, list) else set()


def make_answers_whole(document: dict[str, Any]) -> None:
    """What is answered carries every field, also one with a default; what is asked may leave those
    out."""
    schemas = document["components"]["schemas"]
    asked, todo = set(), set()
    for path in document["paths"].values():
        for operation in path.values():
            if isinstance(operation, dict):
                todo |= _named(operation.get("requestBody", {}))
                todo |= _named(operation.get("parameters", []))
    while todo:
        name = todo.pop()
        asked.add(name)
        todo |= _named(schemas[name]) - asked
    for name, schema in schemas.items():
        if name not in asked and "properties" in schema:
            schema["required"] = sorted(schema["properties"])


def main() -> None:
    out = pathlib.Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    out.parent.mkdir(parents=True, exist_ok=True)
    document = create_app(None, describe=True).api_doc
    make_answers_whole(document)
    out.write_text(json.dumps(document, indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    main()
