"""Who may speak to the program: whoever knows the token that its start printed.

The program listens on this machine only, but other people may have accounts on it, and whoever
starts a program of their own gets a port that ours has left. So a page never holds anything that
is worth more than its own start and port:

- the address that the start prints carries the *token*. The page that is opened with it gets a
  cookie back: a word of this start, which is no token and dies with the program;
- a page that was let in is handed the *key* of this folder and port and keeps it in its memory.
  Before it sends anything after a lost connection, it asks for a proof: the program answers the
  page's nonce with what only the key gives (:meth:`Access.prove`), and the page answers the
  program's nonce for the cookie of the new start (:meth:`Access.renew`). The port is part of both,
  so that nobody can have another program answer for them.

Programs send the token as ``Authorization: Bearer TOKEN``, and ask for the same proof first.

Source: challenge and response with a shared key, ISO/IEC 9798-4 (mutual, three passes); HMAC,
RFC 2104.
"""

from __future__ import annotations

import hmac
import re
import secrets
import threading
from collections import OrderedDict
from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qs

from obsidian_wren.core.wording import _

# Challenges that were handed out and not answered yet; the oldest goes first.
_MOST_CHALLENGES = 256
_NONCE = re.compile(r"[A-Za-z0-9_-]{16,64}")
_NONCE_BYTES = 24


def key_of(token: str, port: int) -> str:
    """What a page keeps in its memory: made of the token, good for one port, and no token."""
    return _digest(token, f"key of port {port}")


def proof_of_program(key: str, page_nonce: str, program_nonce: str) -> str:
    """What the program answers to a page's nonce."""
    return _digest(key, f"program {page_nonce} {program_nonce}")


def proof_of_page(key: str, page_nonce: str, program_nonce: str) -> str:
    """What a page answers to the program's nonce."""
    return _digest(key, f"page {page_nonce} {program_nonce}")


def _digest(key: str, text: str) -> str:
    return hmac.digest(key.encode(), text.encode(), "sha256").hex()


class Access:
    """``token`` None lets everybody on this machine in."""

    def __init__(self, token: str | None, port: int) -> None:
        self._token = token
        # Programs on other ports of one host see each other's cookies.
        self._cookie = f"wren-{port}"
        self._word = secrets.token_urlsafe(_NONCE_BYTES)
        self._port = port
        self._key = None if token is None else key_of(token, port)
        self._challenges: OrderedDict[str, str] = OrderedDict()
        self._lock = threading.Lock()

    @property
    def refusal(self) -> dict[str, str]:
        """What is answered to whoever does not know it."""
        return {
            "code": "token",
            "sentence": (
                _(
                    "This page does not know the program’s token. Open the whole address"
                    " printed at the start: http://127.0.0.1:{port}/?token=…",
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
        kind, _, given = authorization.partition(" ")
        if kind.lower() == "bearer" and _equal(given.strip(), self._token):
            return True
        return any(_equal(value, self._word) for value in _cookies(cookies, self._cookie))

    def welcome(self, query: str) -> str | None:
        """The cookie for a page that is opened with the token in its address; None for any
        other."""
        given = parse_qs(query).get("token", [""])[0]
        if self._token is None or not _equal(given, self._token):
            return None
        return self._set_cookie()

    @property
    def key(self) -> str | None:
        """What a page that was let in keeps in its memory; None where there is no token."""
        return self._key

    def prove(self, page_nonce: str) -> dict[str, str] | None:
        """The program's own nonce and its proof, for a page that has not sent anything yet; None
        for a nonce that is none."""
        if self._key is None or not _NONCE.fullmatch(page_nonce):
            return None
        program_nonce = secrets.token_urlsafe(_NONCE_BYTES)
        with self._lock:
            self._challenges[program_nonce] = page_nonce
            while len(self._challenges) > _MOST_CHALLENGES:
                self._challenges.popitem(last=False)
        proof = proof_of_program(self._key, page_nonce, program_nonce)
        return {"nonce": program_nonce, "proof": proof}

    def renew(self, program_nonce: str, proof: str) -> str | None:
        """The cookie of this start for a page that knows the key; None for any other. A nonce
        serves once."""
        with self._lock:
            page_nonce = self._challenges.pop(program_nonce, None)
        if self._key is None or page_nonce is None:
            return None
        if not _equal(proof, proof_of_page(self._key, page_nonce, program_nonce)):
            return None
        return self._set_cookie()

    def _set_cookie(self) -> str:
        # Of a session: it is worth nothing once the program has ended.
        return f"{self._cookie}={self._word}; Path=/; HttpOnly; SameSite=Strict"


def _cookies(header: str, name: str) -> list[str]:
    """Every value under a name. What other programs of this host keep there is not looked at,
    whatever shape it has."""
    pairs = (pair.strip().partition("=") for pair in header.split(";"))
    return [value.strip() for found, _, value in pairs if found == name]


def _equal(given: str, held: str) -> bool:
    return hmac.compare_digest(given.encode("utf-8", "surrogatepass"), held.encode())
