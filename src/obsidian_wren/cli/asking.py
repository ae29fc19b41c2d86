"""What a program that runs already is asked from the command line."""

from __future__ import annotations

import http.client
import json
import secrets
import urllib.request
from hmac import compare_digest
from pathlib import Path
from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.token import token_of
from obsidian_wren.web.access import key_of, proof_of_program

_PATIENCE_S = 10.0
_LARGEST_ANSWER = 1_000_000


def show_memory(folder: Path, port: int, *, as_json: bool) -> int:
    """``doctor --memory``: what the program over a data folder holds. Raises Refused where none
    answers."""
    token = token_of(folder / "token")
    try:
        _require_ours(token, port)
        found = _ask(port, "memory", {"Authorization": f"Bearer {token}"})
    except (OSError, http.client.HTTPException, ValueError) as error:
        raise Refused(
            "no-program",
            _(
                "No program answers at port {port} for {folder}. Start it, or name its port"
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
        _("The program's memory use is unknown.")
        if whole is None
        else _("The program uses {whole:.0f} MB.", whole=whole)
    )
    if found["worker_mb"] is not None:
        print(_("The worker uses {worker:.0f} MB, of which:", worker=found["worker_mb"]))
    for held in found["held"]:
        most = "" if held["most_mb"] is None else _(" of {most_mb:.0f}", most_mb=held["most_mb"])
        print(f"  {held['mb']:6.1f} MB{most}  {held['what']}")
    return 0


def _require_ours(token: str, port: int) -> None:
    """Have whoever has the port prove that it is the program over this folder, before the token is
    sent. Raises ValueError."""
    nonce = secrets.token_urlsafe(24)
    found = _ask(port, f"session?nonce={nonce}", {})
    proof = proof_of_program(key_of(token, port), nonce, str(found.get("nonce")))
    if not compare_digest(str(found.get("proof")).encode(), proof.encode()):
        raise ValueError("another program has the port")


def _ask(port: int, path: str, headers: dict[str, str]) -> dict[str, Any]:
    request = urllib.request.Request(f"http://127.0.0.1:{port}/api/{path}", headers=headers)
    with urllib.request.urlopen(request, timeout=_PATIENCE_S) as answer:
        found = json.loads(answer.read(_LARGEST_ANSWER))
    if not isinstance(found, dict):
        raise ValueError("no record")
    return found
