"""What is live: the run, listening in, the headphones."""

from obsidian_wren.service.live.state import current

__all__ = ["current"]
