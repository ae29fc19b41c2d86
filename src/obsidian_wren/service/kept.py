"""What the rows say: the takes and settings in force. Nothing here computes, so the first page need not wait for what does."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.chain.parameters import parameter
from obsidian_wren.core.derive.regions import region
from obsidian_wren.service.once import once
from obsidian_wren.service.send_views import InputView
from obsidian_wren.service.views import Purpose
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Desk, Destination, KnownDevice, Proof, Rig, Setting, StageRow, Take

RAW_NAME = "Line 3 (USB Audio 2.0)"
# Listeners that pick their input themselves.
_PICKING = ("call", "game chat", "stream")
PURPOSES: tuple[Purpose, ...] = get_args(Purpose)


def now() -> str:
    """This moment, UTC, as it is kept."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def is_in_hand(session: Session, rig: Rig) -> bool:
    """Whether a rig is the one that is worked with."""
    desk = session.get(Desk, 1)
    return desk is None or desk.rig_id == rig.id


def raw_name(session: Session, rig: Rig) -> str:
    """The name under which the system shows the rig's interface now."""
    device = session.get(KnownDevice, rig.device_key) if rig.device_key else None
    return RAW_NAME if device is None else str(device.body["system_name"])


def inputs_of(ws: Workshop, session: Session, rig: Rig) -> list[InputView]:
    """What other programs can pick: the raw device under the system's name, and the feed of every listener in use that picks."""
    from obsidian_wren.service.scene import destinations, feed_of

    found = [InputView(name=raw_name(session, rig), kind="raw", title=f"{rig.interface.name}, raw: {rig.microphone.name} as it comes")]
    for row in destinations(ws, session):
        feed = feed_of(row.kind)
        if feed is not None and row.on:
            found.append(InputView(name=feed, kind="treated", title=f"the mix for {row.name}", of=row.key))
    return found


@dataclass(frozen=True)
class Takes:
    """The takes that the settings stand on, by purpose."""

    by_purpose: dict[str, Take | None]

    def of(self, purpose: str) -> Take | None:
        """The newest usable take of a purpose."""
        return self.by_purpose.get(purpose)

    @property
    def quiet(self) -> Take | None:
        """The room at rest."""
        return self.of("rest")

    @property
    def talk(self) -> Take | None:
        """Normal talk."""
        return self.of("talk")

    @property
    def passage(self) -> Take | None:
        """The passage."""
        return self.of("passage")

    @property
    def voice(self) -> Take | None:
        """Normal talk, or the passage where there is none."""
        return self.talk or self.passage

    @property
    def floor(self) -> Take | None:
        """The room as it is really used where that was taken, else the room at rest."""
        return self.of("in-use") or self.quiet


def current_takes(session: Session, rig: Rig) -> Takes:
    """The newest usable take of each purpose."""
    usable = select(Take).where(Take.rig_id == rig.id, Take.fault.is_(None), Take.discarded.is_(False)).order_by(Take.id)
    newest: dict[str, Take | None] = dict.fromkeys(PURPOSES)
    for take in session.scalars(usable):
        newest[take.purpose] = take
    return Takes(newest)


def setting_row(session: Session, rig: Rig, stage: str, name: str) -> Setting | None:
    """One setting, None while it is not derived."""
    return session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.stage == stage, Setting.name == name)).first()


def band_rows(session: Session, rig: Rig) -> list[Setting]:
    """The equalizer's bands, lowest first."""
    rows = session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.stage == "equalizer")).all()
    return sorted(rows, key=lambda row: (row.value["frequency_hz"], row.id))


def setting_title(row: Setting) -> str:
    """The trade's word for a setting."""
    return region(float(row.value["frequency_hz"])) if row.stage == "equalizer" else parameter(row.stage, row.name).title


def stage_rows(session: Session, rig: Rig) -> dict[str, StageRow]:
    """The stages that are derived, by kind."""
    rows = once(session, ("stages", rig.id), lambda: session.scalars(select(StageRow).where(StageRow.rig_id == rig.id)).all())
    return {row.kind: row for row in rows}


def chain_is_whole(session: Session, rig: Rig) -> bool:
    """Whether every stage has its settings, so that the chain can run."""
    return set(stage_rows(session, rig)) == set(STAGE_KINDS)


def proved_listeners(session: Session) -> tuple[int, int]:
    """How many listeners in use that pick an input get what is meant, by the newest proof of each, and how many there are."""
    rows = [row for row in session.scalars(select(Destination)) if row.on and row.kind in _PICKING]
    newest = {proof.destination: proof for proof in session.scalars(select(Proof).order_by(Proof.id))}
    good = [row for row in rows if row.key in newest and newest[row.key].good and newest[row.key].picks == row.picks]
    return len(good), len(rows)
