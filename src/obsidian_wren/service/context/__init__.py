"""What every service stands on while the program runs."""

from obsidian_wren.service.context.app_context import AppContext, FolderFinding, Pace
from obsidian_wren.service.context.bus import END, Bus
from obsidian_wren.service.context.cache import Asked, Cache
from obsidian_wren.service.context.worker import Overtaken, Worker

__all__ = [
    "END",
    "AppContext",
    "Asked",
    "Bus",
    "Cache",
    "FolderFinding",
    "Overtaken",
    "Pace",
    "Worker",
]
