"""Takes from a simulated room, written as sound files."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from obsidian_wren.core.wording import _

if TYPE_CHECKING:
    from obsidian_wren.service.files.reading import FileAnswer

_LONGEST_SIMULATED_S = 3600.0
_SHORTEST_SIMULATED_S = 0.1


def simulate(chosen: argparse.Namespace) -> FileAnswer:
    """``simulate``: one take, and what it is."""
    from obsidian_wren.formats.write_sound import write_sound
    from obsidian_wren.service.errors import Refused
    from obsidian_wren.service.files.reading import FileAnswer
    from obsidian_wren.simulation.spec import read_spec
    from obsidian_wren.simulation.world import SimulatedRig

    if not _SHORTEST_SIMULATED_S <= chosen.seconds <= _LONGEST_SIMULATED_S:
        raise Refused(
            "seconds",
            _("A simulated take lasts 0.1 s to 1 h. Choose a length in between."),
        )
    rig = SimulatedRig(read_spec(chosen.spec))
    if chosen.gain is not None:
        rig.turn(chosen.gain)
    samples = rig.take(chosen.take, seconds=chosen.seconds)
    write_sound(chosen.out, samples, rate_hz=rig.rate_hz)
    body = {
        "out": str(chosen.out),
        "take": chosen.take,
        "seconds": chosen.seconds,
        "rate_hz": rig.rate_hz,
        "gain_db": rig.knob.gain_db,
    }
    return FileAnswer(body, ())
