"""A refusal: something a person asked for that cannot be done, with what to do instead."""

from __future__ import annotations

from obsidian_wren.core.told import Told


class Refused(Told):
    """``code`` is stable; the message is the sentence for the person."""
