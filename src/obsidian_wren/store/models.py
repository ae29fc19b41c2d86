"""The tables. Times are UTC ISO strings; JSON columns hold plain values only."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

JsonBody = dict[str, Any]


class Base(DeclarativeBase):
    """All tables."""


class Response(Base):
    """A microphone's response as it was handed out: rows of Hz, dB and, where given, phase in degrees."""

    __tablename__ = "response"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    rows: Mapped[list[list[float]]] = mapped_column(JSON)


class Microphone(Base):
    """A microphone that is kept, to be used in any rig."""

    __tablename__ = "microphone"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    pattern: Mapped[str] = mapped_column(String(20))
    sensitivity_mv_pa: Mapped[float | None]
    self_noise_dba: Mapped[float | None]
    max_spl_db: Mapped[float | None]
    needs_phantom: Mapped[bool | None]
    response_id: Mapped[int | None] = mapped_column(ForeignKey("response.id"))


class Interface(Base):
    """An interface that is kept. ``knob`` says whether its preamp is marked in dB or numbered."""

    __tablename__ = "interface"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    knob: Mapped[str] = mapped_column(String(10))
    gain_low_db: Mapped[float | None]
    gain_high_db: Mapped[float | None]
    gain_step_db: Mapped[float]
    dial_low: Mapped[float]
    dial_high: Mapped[float]
    dial_step: Mapped[float]
    pad_db: Mapped[float | None]
    max_input_dbu: Mapped[float | None]
    ein_dbu: Mapped[float | None]
    has_phantom: Mapped[bool | None]
    direct_monitoring: Mapped[bool | None]
    rates_hz: Mapped[list[int]] = mapped_column(JSON)
    bits: Mapped[list[int]] = mapped_column(JSON)


class Room(Base):
    """A room that is kept. ``noise_dba`` is what the newest resting take told of it."""

    __tablename__ = "room"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    length_m: Mapped[float | None]
    width_m: Mapped[float | None]
    height_m: Mapped[float | None]
    surfaces: Mapped[str | None] = mapped_column(String(20))
    noise_dba: Mapped[float | None]


class Rig(Base):
    """One microphone, interface, room and placement, where its controls stand, and where its sound comes from.

    ``gain_db`` is the preamp in dB, ``dial`` its number where it is numbered; ``things_off`` names what is switched off in the
    simulated room. ``wishes`` holds what the person wants of the treated voice, where it differs from what is usual; ``stage_order``
    the stages in the person's order, empty for the default.
    """

    __tablename__ = "rig"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    microphone_id: Mapped[int] = mapped_column(ForeignKey("microphone.id"))
    interface_id: Mapped[int] = mapped_column(ForeignKey("interface.id"))
    room_id: Mapped[int] = mapped_column(ForeignKey("room.id"))
    distance_cm: Mapped[float]
    angle_deg: Mapped[float]
    height_cm: Mapped[float]
    pop_screen: Mapped[bool]
    foam: Mapped[bool]
    shock_mount: Mapped[bool]
    support: Mapped[str] = mapped_column(String(20))
    rate_hz: Mapped[int]
    bits: Mapped[int]
    source: Mapped[str] = mapped_column(String(20))
    spec_json: Mapped[str]
    device_key: Mapped[str | None] = mapped_column(String(80))
    gain_db: Mapped[float | None]
    dial: Mapped[float | None]
    pad_on: Mapped[bool]
    trim_db: Mapped[float]
    program_db: Mapped[float]
    phantom_on: Mapped[bool | None]
    aim_low_dbfs: Mapped[float]
    aim_high_dbfs: Mapped[float]
    things_off: Mapped[list[str]] = mapped_column(JSON)
    wishes: Mapped[JsonBody] = mapped_column(JSON)
    stage_order: Mapped[list[str]] = mapped_column(JSON)

    microphone: Mapped[Microphone] = relationship(lazy="joined")
    interface: Mapped[Interface] = relationship(lazy="joined")
    room: Mapped[Room] = relationship(lazy="joined")


class Desk(Base):
    """Which rig is in hand. One row."""

    __tablename__ = "desk"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))


class Taper(Base):
    """What a control's positions are in dB, as learned: of an interface's dial, or of a device's slider."""

    __tablename__ = "taper"

    interface_id: Mapped[int] = mapped_column(ForeignKey("interface.id"), primary_key=True)
    control: Mapped[str] = mapped_column(String(20), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class Computer(Base):
    """The sound settings of the stand-in computer. One row."""

    __tablename__ = "computer"

    id: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class KnownDevice(Base):
    """A sound device that was seen, under a key of ours that outlives its system name, with the person's name for it."""

    __tablename__ = "known_device"

    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    own_name: Mapped[str | None] = mapped_column(String(80))
    body: Mapped[JsonBody] = mapped_column(JSON)


class Change(Base):
    """One change that a person made: what it is called, and each thing before and after, for undo and redo."""

    __tablename__ = "change"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[str] = mapped_column(String(32))
    title: Mapped[str] = mapped_column(String(160))
    undone: Mapped[bool]
    body: Mapped[JsonBody] = mapped_column(JSON)


class Take(Base):
    """A recording with a purpose. ``fault`` says why it cannot be used, under a code; ``facts`` are those of the rig that it was made at.

    ``channels`` is what its channels said of each other; ``ended`` why it stopped by itself; ``discarded`` takes are out of sight.
    """

    __tablename__ = "take"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    purpose: Mapped[str] = mapped_column(String(20), index=True)
    sha256: Mapped[str] = mapped_column(String(64))
    rate_hz: Mapped[int]
    frames: Mapped[int]
    source: Mapped[str] = mapped_column(String(20))
    facts: Mapped[JsonBody] = mapped_column(JSON)
    channels: Mapped[JsonBody | None] = mapped_column(JSON)
    half: Mapped[bool]
    notes: Mapped[list[str]] = mapped_column(JSON)
    fault: Mapped[str | None]
    fault_code: Mapped[str | None] = mapped_column(String(40))
    discarded: Mapped[bool]
    ended: Mapped[str | None]
    taken_at: Mapped[str] = mapped_column(String(32))

    @property
    def gain_db(self) -> float | None:
        """Preamp gain that it was made at, dB; None where unknown."""
        gain = self.facts.get("gain_db")
        return None if gain is None else float(gain)


class Reading(Base):
    """The numbers measured from a take."""

    __tablename__ = "reading"

    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class Setting(Base):
    """One parameter of one stage. ``value`` is a number, or a band for the equalizer."""

    __tablename__ = "setting"
    __table_args__ = (UniqueConstraint("rig_id", "stage", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    stage: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(40))
    value: Mapped[Any] = mapped_column(JSON)
    unit: Mapped[str] = mapped_column(String(10))
    derived: Mapped[Any] = mapped_column(JSON)
    pinned: Mapped[bool]
    because: Mapped[str]


class StageRow(Base):
    """Whether a stage runs: in force, as derived, pinned by the person, because. ``matter`` holds settings that are no numbers."""

    __tablename__ = "stage"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    runs: Mapped[bool]
    derived: Mapped[bool]
    pinned: Mapped[bool]
    because: Mapped[str]
    matter: Mapped[JsonBody] = mapped_column(JSON)


class Target(Base):
    """An imported target for the tone: rows of Hz and dB."""

    __tablename__ = "target"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    rows: Mapped[list[list[float]]] = mapped_column(JSON)


class Derivation(Base):
    """What a rule answered beyond settings, and what it used: the evidence of a step."""

    __tablename__ = "derivation"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)
    used: Mapped[JsonBody] = mapped_column(JSON)


class Settled(Base):
    """A step that a person settled, with what it stood on then."""

    __tablename__ = "settled"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    basis: Mapped[JsonBody] = mapped_column(JSON)
    at: Mapped[str] = mapped_column(String(32))


class Destination(Base):
    """A listener: whether it is in use, the input that it picked, what is set in it, which sources it gets (None: those of its kind), and
    what a person holds of its mix."""

    __tablename__ = "destination"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    place: Mapped[int]
    on: Mapped[bool]
    picks: Mapped[str | None] = mapped_column(String(120))
    settings: Mapped[JsonBody] = mapped_column(JSON)
    sends: Mapped[list[list[str]] | None] = mapped_column(JSON)
    pins: Mapped[JsonBody] = mapped_column(JSON)


class Source(Base):
    """Something that can be heard beside what comes back: whether it is in use, and what is set of it."""

    __tablename__ = "source"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    place: Mapped[int]
    on: Mapped[bool]
    settings: Mapped[JsonBody] = mapped_column(JSON)


class Clip(Base):
    """A short sound on a key. Times in seconds of its file; loudness as trimmed; ``fault`` says why it cannot sound."""

    __tablename__ = "clip"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    sha256: Mapped[str] = mapped_column(String(64))
    rate_hz: Mapped[int]
    frames: Mapped[int]
    start_s: Mapped[float]
    end_s: Mapped[float]
    lufs: Mapped[float | None]
    key: Mapped[str | None] = mapped_column(String(1))
    place: Mapped[int]
    fault: Mapped[str | None]


class Proof(Base):
    """What a marker found at a destination."""

    __tablename__ = "proof"

    id: Mapped[int] = mapped_column(primary_key=True)
    destination: Mapped[str] = mapped_column(ForeignKey("destination.key"))
    picks: Mapped[str | None] = mapped_column(String(120))
    good: Mapped[bool]
    body: Mapped[JsonBody] = mapped_column(JSON)
    at: Mapped[str] = mapped_column(String(32))


class LiveWish(Base):
    """Whether the person wants to be live, kept so that a run resumes; the block and the buffer where they are held, and the common case
    chosen last. One row."""

    __tablename__ = "live_wish"

    id: Mapped[int] = mapped_column(primary_key=True)
    live: Mapped[bool]
    block_ms: Mapped[float | None]
    buffer_ms: Mapped[float | None]
    case: Mapped[str | None] = mapped_column(String(20))
    tracks: Mapped[JsonBody] = mapped_column(JSON)


class Recording(Base):
    """A file that the recorder wrote: one track of one session of recording. ``waveform`` holds highest absolute samples; ``size_bytes`` what
    it was when it was finished; ``fault`` says what is wrong with it since."""

    __tablename__ = "recording"

    id: Mapped[int] = mapped_column(primary_key=True)
    file_name: Mapped[str] = mapped_column(String(120))
    title: Mapped[str] = mapped_column(String(120))
    session: Mapped[str] = mapped_column(String(40), index=True)
    track: Mapped[str] = mapped_column(String(40))
    part: Mapped[int]
    channels: Mapped[int]
    rate_hz: Mapped[int]
    frames: Mapped[int]
    loudness_lufs: Mapped[float | None]
    true_peak_dbtp: Mapped[float | None]
    waveform: Mapped[list[float]] = mapped_column(JSON)
    discarded: Mapped[bool]
    at: Mapped[str] = mapped_column(String(32))
    size_bytes: Mapped[int | None]
    fault: Mapped[str | None]
