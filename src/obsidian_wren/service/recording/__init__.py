"""The recorder and its files."""

from obsidian_wren.service.recording.state import current

__all__ = ["current"]
