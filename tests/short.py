"""Takes that are as long as they must be to be known, and no longer.

Run by itself: prepare the demo's data over them.
"""

import sys

from obsidian_wren.cli import starting
from obsidian_wren.cli.main import main
from obsidian_wren.core.mix.block import BlockCost
from obsidian_wren.devices import browser
from obsidian_wren.service.live import preparing
from obsidian_wren.service.opening import boathouse
from obsidian_wren.service.takes import beginning, ending

ENOUGH_S = {
    "rest": 8.0,
    "in-use": 12.0,
    "talk": 18.0,
    "loud": 8.0,
    "soft": 12.0,
    "passage": 26.0,
    "reference": 26.0,
}


def fix_what_the_machine_chooses():
    """Blocks of 10 ms and the least buffer, however fast or slow this machine is, and a voice that
    has loaded everything, too.

    A page on a slow machine sends its pieces late: it is not taken for one that is gone.
    """
    browser._PATIENCE_S, ending._SILENT_AFTER_S = 20.0, 12.0
    preparing._rehearsed = lambda *_: (BlockCost(10.0, 0.1, 0.0),)
    # What is forked has loaded what a voice needs.
    starting.simulated_voice_command = lambda: ()
    preparing.buffer_ms = lambda _: 10.0


def shorten():
    """Takes of usual purposes last as long as :data:`ENOUGH_S` says, unless another length is
    asked for."""
    beginning.DEFAULT_SECONDS.update(ENOUGH_S)
    # Most tests need one rig.
    boathouse.fill_demo = boathouse.fill_with_boathouse


if __name__ == "__main__":
    shorten()
    sys.exit(main(["demo", "--prepare", "--data", sys.argv[1]]))
