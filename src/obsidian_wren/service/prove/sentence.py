"""What is heard in a series: a sentence, raw, treated, without one stage, as a version made it, or
through two microphones."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile, chain_spec, keyed_stages
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.titles import (
    BOTH,
    RAW,
    STAGE_OF,
    TREATED,
    VERSION,
    WITHOUT,
    PairNames,
    microphone_names,
    raw_names,
    stage_names,
    version_names,
    without_names,
)
from obsidian_wren.service.prove.two import spoken_of
from obsidian_wren.service.prove.two_takes import beside_of, names_of
from obsidian_wren.service.prove.versions import kept_file, version_of, version_title
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.side_by_side import beside
from obsidian_wren.store.models import Reading, Take


def sentence_take(ctx: RigContext) -> Take:
    """The take that a series is heard on: the passage, or talk. Raises Refused."""
    take = ctx.takes.passage or ctx.takes.talk
    if take is None:
        raise Refused(
            "no-take", _("There is no sentence to compare. Read the passage in Tone first.")
        )
    return take


def pair_names(ctx: RigContext, second: str) -> PairNames:
    """What a pair is called. Raises Refused where it is not there."""
    if second == RAW:
        return raw_names()
    if second.startswith(BOTH):
        return microphone_names(*names_of(ctx, both_take(ctx, second)))
    if second.startswith(VERSION):
        row = version_of(ctx, second.removeprefix(VERSION))
        return version_names(version_title(row))
    if second.startswith(STAGE_OF):
        stage, _at, version = second.removeprefix(STAGE_OF).partition("@")
        _stage_then(ctx, second)
        return stage_names(stage, version_title(version_of(ctx, version)))
    stage = second.removeprefix(WITHOUT)
    specs = chain_rows.keyed_specs(ctx) or {}
    if not second.startswith(WITHOUT) or stage not in specs or not specs[stage].on:
        raise Refused("no-pair", _("This pair no longer exists. Choose another one."))
    return without_names(stage)


def both_take(ctx: RigContext, second: str) -> Take:
    """The take of two microphones that a pair names. Raises Refused."""
    number = second.removeprefix(BOTH)
    take = ctx.session.get(Take, int(number)) if number.isdecimal() else None
    if take is None or take.purpose != "both" or take.rig_id != ctx.rig.id:
        raise Refused("no-pair", _("This take of two microphones is gone. Record both again."))
    return take


def take_of_pair(ctx: RigContext, second: str) -> Take:
    """The take that a pair is heard on. Raises Refused."""
    return both_take(ctx, second) if second.startswith(BOTH) else sentence_take(ctx)


def first_of(second: str) -> str:
    """The name of the first sound of a pair."""
    return RAW if second.startswith(BOTH) else TREATED


def heard_as(ctx: RigContext, take: Take, name: str) -> Samples:
    """A take as one of a pair sounds, in step with the other ``(n,)``. Raises Refused."""
    if take.purpose == "both":
        second = name.startswith(BOTH)
        channel = beside_of(ctx, take) if second else take
        sound = spoken_of(measuring.samples_of(ctx.app, channel), take.rate_hz)
        return _earlier(sound, _lag(ctx, take)) if second else sound
    raw = measuring.samples_of(ctx.app, take)
    if name == RAW:
        return raw
    specs = specs_as(ctx, name)
    rendered: Samples = ctx.app.sounds.get(
        (take.sha256, tuple(specs)), lambda: render(specs, raw, rate_hz=take.rate_hz, beside=beside)
    )
    return rendered


def _lag(ctx: RigContext, take: Take) -> int:
    """By how many samples the second of two microphones is later, as far as that is known."""
    reading = ctx.session.get(Reading, take.id)
    return round((reading.body["delay_samples"] or 0.0) if reading is not None else 0.0)


def _earlier(samples: Samples, count: int) -> Samples:
    """Samples moved earlier by a count, later where it is under 0, as many as before."""
    moved = np.roll(samples, -count)
    if count > 0:
        moved[-count:] = 0.0
    elif count < 0:
        moved[:-count] = 0.0
    return moved


def specs_as(ctx: RigContext, name: str) -> tuple[StageSpec, ...]:
    """The chain that makes one of a pair. Raises Refused."""
    if name.startswith(VERSION):
        return chain_spec(_file(ctx, name.removeprefix(VERSION)))
    if name.startswith(STAGE_OF):
        return _with_stage(ctx, name)
    off = (name.removeprefix(WITHOUT),) if name.startswith(WITHOUT) else ()
    specs = chain_rows.chain_specs(ctx, off=off)
    if specs is None:
        raise Refused(
            "no-chain",
            _("There is nothing to treat it with yet: fit the tone first."),
        )
    return specs


def _file(ctx: RigContext, version: str) -> CalibrationFile:
    return CalibrationFile.model_validate(kept_file(ctx, version_of(ctx, version)))


def _with_stage(ctx: RigContext, name: str) -> tuple[StageSpec, ...]:
    stage, then = _stage_then(ctx, name)
    specs = chain_rows.keyed_specs(ctx) or {}
    keys = [key for key in order_of(ctx.rig) if key in specs]
    return tuple(then if key == stage else specs[key] for key in keys)


def _stage_then(ctx: RigContext, name: str) -> tuple[str, StageSpec]:
    """A stage's key, and how a version set it. Raises Refused where either lacks it."""
    stage, _at, version = name.removeprefix(STAGE_OF).partition("@")
    file = _file(ctx, version)
    keys = list(keyed_stages(file))
    if stage not in keys or stage not in (chain_rows.keyed_specs(ctx) or {}):
        raise Refused("no-pair", _("This stage is not in both. Choose another one."))
    return stage, chain_spec(file)[keys.index(stage)]


def delay_saved_ms(ctx: RigContext, second: str, rate_hz: int) -> float:
    """How much less delay the chain has as the second of a pair, ms."""
    if second == RAW or second.startswith(BOTH):
        return 0.0
    whole = chain_rows.chain_specs(ctx)
    if whole is None:
        return 0.0
    delays = [VoiceChain(specs, rate_hz).delay_samples for specs in (whole, specs_as(ctx, second))]
    return (delays[0] - delays[1]) * 1000.0 / rate_hz
