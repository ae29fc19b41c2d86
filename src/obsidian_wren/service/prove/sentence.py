"""What is heard in a series: the sentence, raw, treated, or without one stage."""

from __future__ import annotations

from obsidian_wren.core.chain.engine import VoiceChain, render
from obsidian_wren.core.decibels import Samples
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.titles import WITHOUT, series_title
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Take

RAW, TREATED = "raw", "treated"


def sentence_take(ctx: RigContext) -> Take:
    """The take that a series is heard on: the passage, or talk. Raises Refused."""
    take = ctx.takes.passage or ctx.takes.talk
    if take is None:
        raise Refused("no-take", "There is no sentence to compare. Read the passage in Tone first.")
    return take


def pairs_of(ctx: RigContext) -> list[tuple[str, str, str]]:
    """What can be compared: title, and the names of both."""
    specs = chain_rows.keyed_specs(ctx)
    if specs is None:
        return []
    seconds = [RAW, *(f"{WITHOUT}{key}" for key, spec in specs.items() if spec.on)]
    return [(series_title(second), TREATED, second) for second in seconds]


def heard_as(ctx: RigContext, take: Take, name: str) -> Samples:
    """A take as one of a pair sounds, in step with the other ``(n,)``. Raises Refused."""
    raw = measuring.samples_of(ctx.ws, take)
    if name == RAW:
        return raw
    off = (name.removeprefix(WITHOUT),) if name.startswith(WITHOUT) else ()
    specs = chain_rows.chain_specs(ctx, off=off)
    if specs is None:
        raise Refused(
            "no-chain", "There is nothing to treat it with yet: Tone has to be fitted first."
        )
    sound: Samples = ctx.ws.sounds.get(
        (take.sha256, tuple(specs)), lambda: render(specs, raw, rate_hz=take.rate_hz)
    )
    return sound


def delay_saved_ms(ctx: RigContext, key: str, rate_hz: int) -> float:
    """How much less delay the chain has without a stage, ms."""
    whole, without = chain_rows.chain_specs(ctx), chain_rows.chain_specs(ctx, off=(key,))
    if whole is None or without is None:
        return 0.0
    delays = [VoiceChain(specs, rate_hz).delay_samples for specs in (whole, without)]
    return (delays[0] - delays[1]) * 1000.0 / rate_hz
