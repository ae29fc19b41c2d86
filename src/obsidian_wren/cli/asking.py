"""What a program that runs already is asked from the command line."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from pathlib import Path

from obsidian_wren.core.wording import worded
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.token import token_of

_PATIENCE_S = 10.0


def show_memory(folder: Path, port: int, *, as_json: bool) -> int:
    """``doctor --memory``: what the program over a data folder holds. Raises Refused where none
    answers."""
    request = urllib.request.Request(
        f"http://127.0.0.1:{port}/api/memory",
        headers={"Authorization": f"Bearer {token_of(folder / 'token')}"},
    )
    try:
        with urllib.request.urlopen(request, timeout=_PATIENCE_S) as answer:
            found = json.load(answer)
    except (urllib.error.URLError, TimeoutError, ValueError) as error:
        raise Refused(
            "no-program",
            worded(
                "No program over {folder} answers at port {port}. Start it, or name its port"
                " with --port and its folder with --data.",
                folder=folder,
                port=port,
            ),
        ) from error
    if as_json:
        print(json.dumps(found, ensure_ascii=False))
        return 0
    whole = found["program_mb"]
    print(
        worded("The program holds an unknown amount; of this:")
        if whole is None
        else worded("The program holds {whole:.0f} MB; of this:", whole=whole)
    )
    for held in found["held"]:
        most = (
            "" if held["most_mb"] is None else worded(" of {most_mb:.0f}", most_mb=held["most_mb"])
        )
        print(f"  {held['mb']:6.1f} MB{most}  {held['what']}")
    return 0
