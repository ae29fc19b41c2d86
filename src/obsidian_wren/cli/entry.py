"""Where every command begins. ``tell`` is done before anything else is loaded: somebody has
pressed a key."""

from __future__ import annotations

import sys


def main() -> int:
    """Run one command; returns the exit code."""
    words = sys.argv[1:]
    if words[:1] == ["tell"] and not {"-h", "--help"}.intersection(words) and len(words) > 1:
        from obsidian_wren.cli.tell import tell

        return tell(words[1:])
    from obsidian_wren.cli.main import main as whole

    return whole()
