"""Write the OpenAPI document that the page's types are made from."""

from __future__ import annotations

import json
import pathlib
import sys

from obsidian_wren.web.app import create_app

OUT = pathlib.Path(__file__).resolve().parents[1] / "frontend/src/lib/openapi.json"


def main() -> None:
    out = pathlib.Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_text(json.dumps(create_app(None, describe=True).api_doc, indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    main()
