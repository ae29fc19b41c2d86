"""What every service stands on while the program runs."""

from obsidian_wren.service.workshop.asked import Asked
from obsidian_wren.service.workshop.bus import END, Bus
from obsidian_wren.service.workshop.remembered import Remembered
from obsidian_wren.service.workshop.worker import Overtaken, Worker
from obsidian_wren.service.workshop.workshop import FolderFinding, Pace, Workshop

__all__ = [
    "END",
    "Asked",
    "Bus",
    "FolderFinding",
    "Overtaken",
    "Pace",
    "Remembered",
    "Worker",
    "Workshop",
]
