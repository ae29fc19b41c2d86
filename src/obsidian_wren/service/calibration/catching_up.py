"""What follows from a person's change, worked out behind its answer where a program runs: the
change is kept and heard at once, and its numbers come as a new revision."""

from __future__ import annotations

import logging
from collections.abc import Mapping

from obsidian_wren.core.told import Told
from obsidian_wren.service.calibration import current
from obsidian_wren.service.calibration.chain_rows import keyed_specs
from obsidian_wren.service.calibration.deriving import derive_after_change, derive_rig
from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.calibration.kept_words import word_anew
from obsidian_wren.service.context import AppContext, Overtaken
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import is_in_hand

_LOG = logging.getLogger(__name__)
_LONGEST_S = 30.0


def follow_change(ctx: RigContext, *, refit: bool = False) -> None:
    """Within a change: what it gives, behind the answer where that runs, else at once. Either way
    the chain that is heard has it at once."""
    background = current(ctx.app).background
    specs = keyed_specs(ctx) if background.runs else None
    if specs is None:
        derive_after_change(ctx, refit=refit)
        return
    if is_in_hand(ctx.session, ctx.rig):
        ctx.announce(ChainChanged(tuple(specs.values()), tuple(specs)))
    background.ask(ctx.rig.id, refit=refit)


def wait_derived(app: AppContext) -> None:
    """Wait until what follows from every change is there."""
    current(app).background.wait(_LONGEST_S)


def start_catching_up(app: AppContext) -> None:
    """Work behind from now on, until the program ends."""
    background = current(app).background

    def work(rigs: Mapping[int, bool]) -> None:
        try:
            for rig_id, refit in rigs.items():
                app.work(derive_rig, rig_id, refit, go_on=background.go_on)
        except Told as error:
            app.bus.tell("trouble", {"sentence": str(error)})
        except Overtaken:
            raise
        except Exception:
            # What it stood on is marked as old, and can be derived again with a press.
            _LOG.exception("What follows from a change could not be worked out")

    background.start(work, app.changed)
    app.at_end(background.stop)
    word_anew(app)
