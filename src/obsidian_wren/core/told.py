"""What a person can be told: the one kind of error whose words leave the program.

Everything else that is raised is a fault inside; its words stay in the log.
"""

from __future__ import annotations


class Told(Exception):
    """``code`` is stable; the message is a sentence for the person that says what to do."""

    def __init__(self, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code = code
