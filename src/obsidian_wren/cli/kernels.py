"""What computes is compiled for this processor once, when the program starts for the first time
where it is installed; the result is kept beside it, or in the person's own cache where that place
cannot be written."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import cache_from_source
from pathlib import Path

import obsidian_wren
from obsidian_wren.core.wording import worded

_PACKAGE = Path(obsidian_wren.__file__).parent
# Compiled behind all that it calls.
_LAST = _PACKAGE / "core" / "chain" / "one_pass.py"
# How many there are, as counted when they were last compiled from nothing: only for telling.
_ABOUT = 118


def keep_in_own_cache() -> None:
    """Keep what is compiled in the person's own cache, where it cannot lie beside the program."""
    if not os.access(_PACKAGE, os.W_OK):
        own = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        os.environ.setdefault("NUMBA_CACHE_DIR", str(own / "obsidian-wren"))


def are_compiled() -> bool:
    """Whether what computes was compiled since the program was installed."""
    name = f"{_LAST.stem}.*.py{sys.version_info.major}{sys.version_info.minor}.nbi"
    told = os.environ.get("NUMBA_CACHE_DIR")
    beside = Path(cache_from_source(str(_LAST))).parent
    found = Path(told).glob(f"*/{name}") if told else beside.glob(name)
    installed = _LAST.stat().st_mtime
    return any(path.stat().st_mtime >= installed for path in found)


@contextmanager
def telling_how_far(tell: Callable[[str], None]) -> Iterator[None]:
    """Say how far compiling is, whatever is done inside."""
    from numba.core import event

    class Count(event.Listener):
        done = 0

        def on_start(self, event: event.Event) -> None:
            pass

        def on_end(self, event: event.Event) -> None:
            self.done += 1
            tell(
                worded(
                    "Compiling for this processor: {done} of about {max}.",
                    done=self.done,
                    max=max(_ABOUT, self.done),
                )
            )

    with event.install_listener("numba:compile", Count()):
        yield
