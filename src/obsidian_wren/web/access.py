"""Who may speak to the program: whoever knows the token that its start printed.

The program listens on this machine only, but other people may have accounts on it. The address that
the start prints carries a token; the page that is opened with it gets it back as a cookie that
scripts cannot read and other sites cannot send. Programs send it as ``Authorization: Bearer
TOKEN``.
"""

from __future__ import annotations

import hmac
from collections.abc import Mapping
from http.cookies import CookieError, SimpleCookie
from typing import Any
from urllib.parse import parse_qs

from obsidian_wren.core.wording import worded

_YEAR_S = 365 * 24 * 3600


class Access:
    """``token`` None lets everybody on this machine in."""

    def __init__(self, token: str | None, port: int) -> None:
        self._token = token
        # Programs on other ports of one host see each other's cookies.
        self._cookie = f"wren-{port}"
        self._port = port

    @property
    def refusal(self) -> dict[str, str]:
        """What is answered to whoever does not know it."""
        return {
            "code": "token",
            "sentence": (
                worded(
                    "This page does not know the program’s token. Open the whole address that"
                    " the start printed: http://127.0.0.1:{port}/?token=…",
                    port=self._port,
                )
            ),
        }

    def allows(self, environ: Mapping[str, Any]) -> bool:
        """Whether a request may reach the data, by its cookie or its ``Authorization``."""
        return self.knows(environ.get("HTTP_COOKIE", ""), environ.get("HTTP_AUTHORIZATION", ""))

    def knows(self, cookies: str, authorization: str) -> bool:
        """The same, from the two headers."""
        if self._token is None:
            return True
        kind, _, said = authorization.partition(" ")
        if kind.lower() == "bearer" and self._is_it(said.strip()):
            return True
        try:
            held = SimpleCookie(cookies).get(self._cookie)
        except CookieError:
            return False
        return held is not None and self._is_it(held.value)

    def welcome(self, query: str) -> str | None:
        """The cookie for a page that is opened with the token in its address; None for any
        other."""
        said = parse_qs(query).get("token", [""])[0]
        if self._token is None or not self._is_it(said):
            return None
        return f"{self._cookie}={self._token}; Path=/; Max-Age={_YEAR_S}; HttpOnly; SameSite=Strict"

    def _is_it(self, said: str) -> bool:
        return self._token is not None and hmac.compare_digest(said.encode(), self._token.encode())
