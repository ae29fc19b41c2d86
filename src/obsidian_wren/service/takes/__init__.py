"""Takes: begun, followed, kept."""

from obsidian_wren.service.takes.state import current

__all__ = ["current"]
