"""The voice chain and its settings, derived from the readings."""

from obsidian_wren.service.calibration.state import current

__all__ = ["current"]
