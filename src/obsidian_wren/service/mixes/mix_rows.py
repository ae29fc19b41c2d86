"""What the mixes stand on, read from rows alone, so that the first page need not wait for what
computes."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.prediction import Outcome
from obsidian_wren.core.mix.routes import Tap
from obsidian_wren.core.wording import spoken
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import beside, scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Clip, Derivation, Rig, SettingRow, StageRow

# Where the answer is kept.
STEP = "mixes"
# Counted up when the rules answer otherwise, so that what older ones answered is derived again.
_RULES = 4


@dataclass(frozen=True)
class KeptSend:
    """A source in a mix: the signal that is tapped, its gain, how far it drops under the voice, the
    loudness at which it arrives, whether a person holds it, and why."""

    source: str
    tap: Tap
    signal: str
    gain_db: float
    duck_db: float
    lufs: float | None
    pinned: bool
    because: str


@dataclass(frozen=True)
class KeptMix:
    """A listener's mix with what it would sound like; ``kept_out``: sources and why not;
    ``voice_gain_db``: None where it has no voice; ``word_levels``: of each word in it, dBFS."""

    aim_lufs: float
    ceiling_dbtp: float
    channels: int
    because: str
    sends: tuple[KeptSend, ...]
    kept_out: tuple[tuple[str, str], ...]
    outcome: Outcome
    # What older versions kept has neither; it is derived anew.
    voice_gain_db: float | None = None
    word_levels: tuple[float, ...] = ()

    @property
    def voice_lufs(self) -> float:
        """About the loudness at which the voice stands in it; what a feed's own code is sent
        under."""
        found = [send.lufs for send in self.sends if send.source == "voice"]
        return self.aim_lufs if not found or found[0] is None else found[0]

    def as_run(self, key: str) -> Mix:
        """As the engine runs it."""
        sends = tuple(MixSend(send.signal, send.gain_db, send.duck_db) for send in self.sends)
        return Mix(key, sends, self.channels, self.ceiling_dbtp)


@dataclass(frozen=True)
class KeptMixes:
    """Every listener's mix by key, as they were derived; ``ducking`` is None before; ``sources``:
    the loudness of each that was measured; ``second``: what the second microphone's chain does;
    ``cut``: routes that would have looped."""

    listeners: dict[str, KeptMix] = field(default_factory=dict)
    ducking: Ducking | None = None
    ducking_because: str = ""
    sources: dict[str, float] = field(default_factory=dict)
    second: tuple[str, ...] = ()
    cut: tuple[str, ...] = ()
    rate_hz: int | None = None

    @property
    def as_run(self) -> tuple[Mix, ...]:
        """As the engine runs them."""
        return tuple(mix.as_run(key) for key, mix in self.listeners.items())


def _chain_of(ctx: RigContext) -> tuple[object, ...]:
    settings = ctx.session.scalars(
        select(SettingRow)
        .where(SettingRow.rig_id == ctx.rig.id)
        .order_by(SettingRow.stage, SettingRow.name)
    )
    stages = ctx.session.scalars(
        select(StageRow).where(StageRow.rig_id == ctx.rig.id).order_by(StageRow.kind)
    )
    return (
        [[row.stage, row.name, row.value] for row in settings],
        [[row.kind, row.runs, row.data] for row in stages],
        ctx.rig.stage_order,
    )


def basis_of(ctx: RigContext) -> str:
    """Everything that the mixes stand on, as one word: they are stale when it differs."""
    chain, take_set = _chain_of(ctx), ctx.takes.voice
    listeners = [
        [row.key, row.name, row.on, row.sends, row.pins] for row in scene.destinations(ctx.session)
    ]
    heard = [[row.key, row.name, row.on, row.settings] for row in scene.sources(ctx.session)]
    pads = [
        [row.sha256, row.start_s, row.end_s]
        for row in ctx.session.scalars(select(Clip).order_by(Clip.id))
    ]
    stands_on = [take.sha256 if take else None for take in (take_set, ctx.takes.floor)]
    person = beside.person_of(ctx)
    if person is not None and beside.PERSON in {row.key for row in scene.heard(ctx.session)}:
        take = person.takes.voice
        heard.append([_chain_of(person), None if take is None else take.sha256])
    # They are kept with their sentences.
    words = spoken().tag
    body = json.dumps([_RULES, words, chain, stands_on, listeners, heard, pads], sort_keys=True)
    return hashlib.sha256(body.encode()).hexdigest()[:16]


def kept_mixes(session: Session, rig: Rig) -> KeptMixes:
    """What was derived last; empty before that."""
    row = session.get(Derivation, (rig.id, STEP))
    return KeptMixes() if row is None else convert(KeptMixes, row.body)


def is_outdated(ctx: RigContext) -> bool:
    """Whether the mixes are to be derived: for the first time, or anew."""
    row = ctx.session.get(Derivation, (ctx.rig.id, STEP))
    return row is None or row.used.get("basis") != basis_of(ctx)


def stale(ctx: RigContext) -> bool:
    """Whether the kept mixes stand on something that changed since."""
    return ctx.session.get(Derivation, (ctx.rig.id, STEP)) is not None and is_outdated(ctx)
