"""Listeners, sources, clips, what was proved, and recordings."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base, JsonBody


class DestinationRow(Base):
    """A listener: whether it is in use, the input that it picked, what is set in it, which
    sources it gets (None: those of its kind), and what a person holds of its mix. ``title`` is the
    name of its feed where the person gave one; ``plays`` the program whose sound comes back from
    it, or the output that it is played to."""

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
    title: Mapped[str | None] = mapped_column(String(80))
    plays: Mapped[str | None] = mapped_column(String(80))


class SourceRow(Base):
    """Something that can be heard beside the return: whether it is in use, and what is set
    of it."""

    __tablename__ = "source"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    place: Mapped[int]
    on: Mapped[bool]
    settings: Mapped[JsonBody] = mapped_column(JSON)


class Clip(Base):
    """A short sound on a key.

    Times in seconds of its file; loudness as trimmed; ``fault`` says why it cannot sound.
    """

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
    """Whether the person wants to be live, kept so that a run resumes; the block and the buffer
    where they are held, the common case chosen last, and whether feeds stay in the system when the
    program ends, which feeds are muted or of push-to-talk, and whether what a loudspeaker plays is
    taken out, None as derived; ``watches``: whether what happens to the rig is noticed meanwhile.
    One row."""

    __tablename__ = "live_wish"

    id: Mapped[int] = mapped_column(primary_key=True)
    live: Mapped[bool]
    block_ms: Mapped[float | None]
    buffer_ms: Mapped[float | None]
    case: Mapped[str | None] = mapped_column(String(20))
    tracks: Mapped[JsonBody] = mapped_column(JSON)
    feeds_stay: Mapped[bool] = mapped_column(default=False)
    muting: Mapped[JsonBody] = mapped_column(JSON, default=dict)
    loudspeaker: Mapped[bool | None]
    watches: Mapped[bool] = mapped_column(default=True)


class Recording(Base):
    """A file that the recorder wrote: one track of one session of recording.

    ``waveform`` holds highest absolute samples; ``size_bytes`` what it was when it was finished;
    ``fault`` says what is wrong with it since.
    """

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
