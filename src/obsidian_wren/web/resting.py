"""What a program does while it rests: it gives memory back, and leaves its state for the next
start, so that one which is killed leaves it too."""

from __future__ import annotations

import logging
import threading
from typing import TYPE_CHECKING

from obsidian_wren.service import calibration, live, mixes, takes
from obsidian_wren.service.heap import (
    forget_transforms,
    give_back,
    give_back_freed,
    resident_bytes,
)
from obsidian_wren.web.left_state import LeftState

if TYPE_CHECKING:
    from obsidian_wren.service.workshop import Workshop

_LOG = logging.getLogger(__name__)
# Nothing changed for so long; or for so long that the next change may take half a second more.
_REST_S, _LONG_REST_S = 2.0, 60.0
# What is shown and heard takes memory too, without a change.
_GROWN_BYTES = 32 << 20


class Resting:
    """Gives back, and leaves the state of a workshop, whenever it has rested for a while, until
    :meth:`end`."""

    def __init__(
        self,
        ws: Workshop,
        left: LeftState,
        *,
        rest_s: float = _REST_S,
        long_rest_s: float = _LONG_REST_S,
    ) -> None:
        self._ws, self._left, self._rest_s = ws, left, rest_s
        self._long_rest = round(long_rest_s / rest_s)
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="resting", daemon=True)

    def begin(self) -> None:
        """Watch from now on, in a thread of its own."""
        self._thread.start()

    def end(self) -> None:
        """From here on nothing is left any more."""
        self._ended.set()
        if self._thread.is_alive():
            self._thread.join()

    def _watch(self) -> None:
        kept = rested = before = -1
        least = looks = 0
        while not self._ended.wait(self._rest_s):
            now = self._ws.revision
            if now != before or self._works():
                # Whoever never rests would hold them all along.
                forget_transforms()
                looks = 0
            else:
                looks += 1
                if looks == self._long_rest:
                    mixes.current(self._ws).materials.forget()
                    rested = -1
                is_live = live.current(self._ws).run is not None
                if kept != now and not is_live:
                    self._keep()
                    kept = now
                if rested != now or resident_bytes() > least + _GROWN_BYTES:
                    if is_live:
                        give_back_freed()
                    else:
                        give_back()
                    rested, least = now, resident_bytes()
            before = now

    def _works(self) -> bool:
        return (
            takes.current(self._ws).running is not None
            or calibration.current(self._ws).behind.waits
        )

    def _keep(self) -> None:
        from obsidian_wren.service.page.overview import overview_json

        try:
            self._left.keep_while_it_runs(lambda: overview_json(self._ws))
        except Exception:
            # It is of use only to the next start, which does without.
            _LOG.exception("The state could not be left for the next start")
