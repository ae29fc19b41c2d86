"""A refusal: something a person asked for that cannot be done, with what to do instead."""

from __future__ import annotations


class Refused(Exception):
    """``code`` is stable; the message is the sentence for the person."""

    def __init__(self, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code = code
