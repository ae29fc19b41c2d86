"""What a person can be told: the one kind of error whose words leave the program.

Everything else that is raised is a fault inside; its words stay in the log.
"""

from __future__ import annotations

from typing import Any


class Told(Exception):
    """``code`` is stable; the message is a sentence for the person that says what to do."""

    def __init__(self, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code = code

    def __reduce__(self) -> tuple[Any, ...]:
        # It may be raised in another process than the one that tells it.
        return _as_it_was, (type(self), str(self), vars(self))


def _as_it_was(kind: type[Told], sentence: str, known: dict[str, Any]) -> Told:
    error = kind.__new__(kind, sentence)
    error.__dict__.update(known)
    return error
