"""Where the program came without its kernels compiled ahead, they are compiled for this processor
once, when it starts for the first time; the result is kept beside it, or in the person's own cache
where that place cannot be written."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import cache_from_source
from pathlib import Path

import obsidian_wren
from obsidian_wren.core.wording import _

_PACKAGE = Path(obsidian_wren.__file__).parent
_AHEAD = _PACKAGE / "core" / "compiled" / "note.py"
# Compiled behind all that it calls.
_LAST = _PACKAGE / "core" / "chain" / "one_pass.py"
# How many there are, as counted when they were last compiled from nothing: only for telling.
_ABOUT = 232
_RATE_HZ, _MOMENT = 48_000.0, 24_000


def are_compiled() -> bool:
    """Whether what computes came compiled, or was since the program was installed."""
    if _AHEAD.is_file():
        # Where it does not fit, each kernel is compiled at its first call.
        return True
    installed = _LAST.stat().st_mtime
    return any(path.stat().st_mtime >= installed for path in _compiled())


def _compiled() -> Iterator[Path]:
    name = f"{_LAST.stem}.*.py{sys.version_info.major}{sys.version_info.minor}.nbi"
    folder = os.environ.get("NUMBA_CACHE_DIR")
    beside = Path(cache_from_source(str(_LAST))).parent
    return Path(folder).glob(f"*/{name}") if folder else beside.glob(name)


@contextmanager
def telling_how_far(tell: Callable[[str], None]) -> Iterator[None]:
    """Say how far compiling is, whatever is done inside."""
    from numba.core import event

    class CompileCount(event.Listener):
        done = 0

        def on_start(self, event: event.Event) -> None:
            pass

        def on_end(self, event: event.Event) -> None:
            self.done += 1
            tell(
                _(
                    "Compiling for this processor: {done} of about {max}.",
                    done=self.done,
                    max=max(_ABOUT, self.done),
                )
            )

    with event.install_listener("numba:compile", CompileCount()):
        yield


def run_everything() -> None:
    """Have whatever a calibration can need do a moment of work, so that all of it is compiled: a
    calibration itself runs only the stages that its room and voice ask for."""
    import numpy as np

    from obsidian_wren.core.chain.engine import VoiceChain
    from obsidian_wren.core.chain.offline import render
    from obsidian_wren.core.chain.one_of_each import one_of_each
    from obsidian_wren.core.mix.ducking import Ducking
    from obsidian_wren.core.mix.engine import Mix, MixEngine, MixSend
    from obsidian_wren.core.mix.resampling import Resampler

    noise = np.random.default_rng(1).normal(0.0, 0.05, _MOMENT)
    stages = list(one_of_each().values())
    for chain in [*([stage] for stage in stages), stages]:
        VoiceChain(chain, _RATE_HZ).process(noise)
    render(stages, noise, rate_hz=_RATE_HZ)
    sends = MixSend("voice treated", 0.0), MixSend("music", 0.0, 6.0)
    mixes = [Mix(str(channels), sends, channels) for channels in (1, 2)]
    engine = MixEngine(mixes, ducking=Ducking(-40.0, 15.0, 250.0, 400.0), rate_hz=_RATE_HZ)
    engine.process({"voice treated": noise, "music": noise})
    for channels in (1, 2):
        resampler = Resampler(from_hz=44_100.0, to_hz=_RATE_HZ, channels=channels)
        resampler.process(noise if channels == 1 else np.column_stack([noise, noise]))
    for path in _compiled():
        # What was compiled of the same text before an installation is used as it is, and would be
        # held for old at every start.
        path.touch()
