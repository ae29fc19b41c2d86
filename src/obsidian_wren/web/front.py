"""What answers first: the page itself, before anything that computes is loaded.

Importing the application takes longer than a person should wait for a page. The front serves the
built files at once and hands everything under ``/api`` to the application, which loads beside it; a
request that comes too early waits for it. Nothing under ``/api`` is answered to whoever does not
know the token, but for the proof of who is asked.
"""

from __future__ import annotations

import hashlib
import json
import logging
import mimetypes
import os
import re
import threading
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _, spoken
from obsidian_wren.web.access import Access

_ENGLISH = Path(__file__).with_name("static")
_IN_LANGUAGE = _ENGLISH.with_name(f"static-{spoken().tag}")
# The page as it was built: another one that is named, that of the language that is spoken, else the
# English one.
STATIC = Path(
    os.environ.get("OBSIDIAN_WREN_PAGE") or (_IN_LANGUAGE if _IN_LANGUAGE.is_dir() else _ENGLISH)
)
_OWN_NAMES = ("127.0.0.1", "localhost", "[::1]")
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self';"
        " img-src 'self' data:; connect-src 'self'; media-src 'self' blob:; worker-src 'self';"
        " base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "microphone=(self), camera=(), geolocation=()",
}
FOREIGN = {"code": "foreign", "sentence": _("This page answers its own machine only.")}
# The page itself, and the one that listens.
_PAGES = ("/", "/listener")
_STATE = "/api/state"
# Where a page and the program prove themselves to each other.
_SESSION = "/api/session"
# Says of an answer that it is the state as the program left it.
LEFT = "Wren-Left"
_WAIT_S = 60.0
_LOG = logging.getLogger(__name__)
_FAILED = _(
    "The program could not open its data folder. Nothing in it was changed. Run “obsidian-wren"
    " doctor”: it checks the folder and says what is wrong."
)

Wsgi = Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]


def page_mark() -> str:
    """Tells one built page from another; empty where none was built."""
    try:
        return hashlib.blake2b((STATIC / "index.html").read_bytes(), digest_size=8).hexdigest()
    except OSError:
        return ""


@cache
def page_language() -> str:
    """The language of the built page, by its tag; empty where none was built."""
    with suppress(OSError):
        found = re.search(r'<html lang="([\w-]+)"', (STATIC / "index.html").read_text("utf-8"))
        return found[1] if found else ""
    return ""


def _is_for_state(environ: dict[str, Any]) -> bool:
    """Whether a page of ours looks; a browser names the origin of whoever else asks."""
    asked = (environ.get("REQUEST_METHOD"), environ.get("PATH_INFO"))
    site = environ.get("HTTP_SEC_FETCH_SITE", "none")
    return (
        asked == ("GET", _STATE)
        and "HTTP_ORIGIN" not in environ
        and site in ("none", "same-origin")
    )


def own_host(host: str) -> bool:
    """Whether a ``Host`` names this machine."""
    name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
    # A name is the same in capitals, and with the dot that ends it.
    return name.lower().removesuffix(".") in _OWN_NAMES


class Front:
    """A WSGI application.

    ``load`` makes the one behind it and may raise; what it tells then answers every request. Until
    it is there the state that was ``left`` answers for it.
    """

    def __init__(
        self, load: Callable[[], Wsgi], access: Access | None = None, left: bytes | None = None
    ) -> None:
        self._access = access or Access(None, 0)
        # Every file that can be asked for is known beforehand, so no request ever names a path.
        self._files = {
            f"/{path.relative_to(STATIC).as_posix()}": path
            for path in STATIC.rglob("*")
            if path.is_file()
        }
        self._behind: Wsgi | None = None
        self._failed: str | None = None
        self._ready = threading.Event()
        self._load = load
        self._left = left

    def start(self) -> None:
        """Load what is behind, beside what is served already."""
        threading.Thread(target=self._work, daemon=True).start()

    def _work(self) -> None:
        try:
            self._behind = self._load()
        except Told as error:
            self._failed = str(error)
        except Exception:
            _LOG.exception("The program could not start")
            self._failed = _FAILED
        finally:
            self._ready.set()

    def __call__(
        self, environ: dict[str, Any], start_response: Callable[..., Any]
    ) -> Iterable[bytes]:
        """Answer one request."""
        if not own_host(environ.get("HTTP_HOST", "")):
            return _json(start_response, "403 Forbidden", FOREIGN)
        path = environ.get("PATH_INFO", "/")
        if not path.startswith("/api/"):
            cookie = (
                self._access.welcome(environ.get("QUERY_STRING", "")) if path in _PAGES else None
            )
            if cookie is not None:
                # Away from the address bar and the history at once.
                start_response(
                    "303 See Other",
                    [
                        ("Location", path),
                        ("Set-Cookie", cookie),
                        ("Cache-Control", "no-store"),
                        *HEADERS.items(),
                    ],
                )
                return [b""]
            return self._file("/index.html" if path in _PAGES else path, start_response)
        if path == _SESSION and environ.get("REQUEST_METHOD") in ("GET", "POST"):
            return self._session(environ, start_response)
        if not self._access.allows(environ):
            return _json(start_response, "401 Unauthorized", self._access.refusal)
        if self._left is not None and not self._ready.is_set() and _is_for_state(environ):
            headers = [("Content-Type", "application/json"), ("Cache-Control", "no-store")]
            start_response("200 OK", [*headers, (LEFT, "1"), *HEADERS.items()])
            return [self._left]
        self._ready.wait(_WAIT_S)
        if self._behind is None:
            sentence = self._failed or _(
                "The program is still starting. Wait a moment, then load the page again."
            )
            return _json(
                start_response, "503 Service Unavailable", {"code": "start", "sentence": sentence}
            )
        return self._behind(environ, start_response)

    def _session(
        self, environ: dict[str, Any], start_response: Callable[..., Any]
    ) -> Iterable[bytes]:
        """``GET`` with a nonce: the proof that this is the program. ``GET`` without one: the key,
        for a page that was let in. ``POST`` of an answered nonce: the cookie of this start.

        A foreign page gets nothing that it can read or keep: no answer names another origin.
        """
        query = parse_qs(environ.get("QUERY_STRING", ""))
        named = {name: values[0] for name, values in query.items()}
        if environ["REQUEST_METHOD"] == "POST":
            cookie = self._access.renew(named.get("nonce", ""), named.get("proof", ""))
            if cookie is None:
                return _json(start_response, "401 Unauthorized", self._access.refusal)
            return _json(start_response, "200 OK", {}, ("Set-Cookie", cookie))
        if "nonce" in named:
            proof = self._access.prove(named["nonce"])
            if proof is None:
                return _json(start_response, "401 Unauthorized", self._access.refusal)
            return _json(start_response, "200 OK", proof)
        if not self._access.allows(environ):
            return _json(start_response, "401 Unauthorized", self._access.refusal)
        return _json(start_response, "200 OK", {"key": self._access.key})

    def _file(self, path: str, start_response: Callable[..., Any]) -> Iterable[bytes]:
        found = self._files.get(path)
        if found is None:
            what = (
                _("The page was not built. Run “make set-up”.")
                if path == "/index.html"
                else _("Not found.")
            )
            return _json(start_response, "404 Not Found", {"code": "not-found", "sentence": what})
        kind = (
            "text/javascript"
            if found.suffix == ".js"
            else mimetypes.guess_type(found.name)[0] or "application/octet-stream"
        )
        # Built files carry their hash in the name; only pages change under their names.
        keep = "no-cache" if found.suffix == ".html" else "max-age=31536000, immutable"
        start_response(
            "200 OK", [("Content-Type", kind), ("Cache-Control", keep), *HEADERS.items()]
        )
        return [found.read_bytes()]


def _json(
    start_response: Callable[..., Any],
    status: str,
    body: Mapping[str, str | None],
    *headers: tuple[str, str],
) -> Iterable[bytes]:
    kind = ("Content-Type", "application/json")
    start_response(status, [kind, ("Cache-Control", "no-store"), *headers, *HEADERS.items()])
    return [json.dumps(body).encode()]
