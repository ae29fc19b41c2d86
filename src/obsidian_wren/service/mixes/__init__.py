"""Who is there to hear and to be heard, and the mix that each gets."""

from obsidian_wren.service.mixes.state import current

__all__ = ["current"]
