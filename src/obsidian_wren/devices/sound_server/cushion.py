"""How much should wait in a pipe that a sound server reads: enough that a block may come a little
late, and no more, since whoever listens hears all of it as delay."""

from __future__ import annotations

# What is there just before a block is written is looked at for so long.
_LOOK_S = 0.5
# The least that should wait then; twice of it after each time that nothing did, up to the most, and
# half of it again after a calm minute.
_LEAST_S, _MOST_S, _CALM_S = 0.004, 0.016, 60.0
# Beside a block so much more may wait.
_SPARE_S = 0.006


class Cushion:
    """Told at each block what waits, it says now and then by how much that is too little or too
    much."""

    def __init__(self, now_s: float) -> None:
        self.wanted_s = _LEAST_S
        self._since_s = self._calm_since_s = now_s
        self._low_s: float | None = None

    def look_again(self, now_s: float) -> None:
        """Nobody read: what waited until now says nothing."""
        self._since_s, self._low_s = now_s, None

    def lacks_s(self, now_s: float, waiting_s: float, block_s: float) -> float:
        """Seconds that are to come in beside the next block, or less than none where some are to
        go; 0 for most blocks. ``waiting_s`` waits before it comes."""
        self._low_s = waiting_s if self._low_s is None else min(self._low_s, waiting_s)
        if now_s - self._since_s < _LOOK_S:
            return 0.0
        low_s = self._low_s
        self.look_again(now_s)
        if low_s <= 0.0:
            self.wanted_s = min(2.0 * self.wanted_s, _MOST_S)
            self._calm_since_s = now_s
        elif now_s - self._calm_since_s > _CALM_S:
            self.wanted_s = max(self.wanted_s / 2.0, _LEAST_S)
            self._calm_since_s = now_s
        if low_s < self.wanted_s / 2.0:
            return self.wanted_s - low_s
        surplus_s = low_s - self.wanted_s - block_s - _SPARE_S
        return min(0.0, -surplus_s)
