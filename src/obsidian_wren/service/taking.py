"""Takes: begun, followed, kept. From the simulated rig at real pace or fast, from a file, or in pieces from the browser."""

from __future__ import annotations

import contextlib
import threading
import time
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import cast

import numpy as np
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.graph import Value
from obsidian_wren.core.measure import faults, integrity, levels
from obsidian_wren.core.measure.live import BlockMeter, Frame
from obsidian_wren.core.measure.steadiness import FRAME_S, Steadiness, frames_of, how_steady
from obsidian_wren.formats.plain import plain
from obsidian_wren.formats.sound import read_sound
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import controls_of, facts_of
from obsidian_wren.service.history import change
from obsidian_wren.service.kept import current_takes, now
from obsidian_wren.service.ports import Controls, SoundStream, SourceGone
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.views import Control, ProgressView, Purpose, Source, SteadyView
from obsidian_wren.service.watching import frame_json
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.models import Change, Reading, Rig, Take

DEFAULT_SECONDS: dict[str, float] = {
    "rest": 15.0, "in-use": 20.0, "muted": 8.0, "other-gain": 12.0, "talk": 30.0, "loud": 12.0, "soft": 15.0, "passage": 40.0, "dial": 5.0,
    "clap": 6.0, "sweep": 8.0, "reference": 40.0,
}  # fmt: skip
# The simulated talker has said everything by then.
LONGEST_UNTIL_STEADY_S = 60.0
_SHORTEST_SPOKEN_S = 10.0
LONGEST_TAKE_S = 600.0
_BLOCK_S = 0.05
_SILENT_AFTER_S = 4.0
_TELL_EVERY_S = 0.09


@dataclass
class RunningTake:
    """The take in progress."""

    part: take_files.Part
    seconds: float
    started: float = field(default_factory=time.monotonic)
    told: float = 0.0
    last_piece: float = field(default_factory=time.monotonic)
    next_piece: int = 0
    level_dbfs: float | None = None
    peak_dbfs: float | None = None
    state: str = "recording"
    until_steady: bool = False
    steady: Steadiness | None = None
    ended: str | None = None
    stop: threading.Event = field(default_factory=threading.Event)
    frames: list[Frame] = field(default_factory=list)
    loose: Samples = field(default_factory=lambda: np.zeros(0))
    powers: Samples = field(default_factory=lambda: np.zeros(0))
    peaks: Samples = field(default_factory=lambda: np.zeros(0))
    meter: BlockMeter = field(init=False)

    def __post_init__(self) -> None:
        """A meter at the take's rate."""
        self.meter = BlockMeter(self.part.info.rate_hz)

    def view(self) -> ProgressView:
        """What the page shows of it."""
        info = self.part.info
        return ProgressView(
            purpose=cast(Purpose, info.purpose),
            source=cast(Source, info.source),
            seconds=self.seconds,
            done_s=round(self.part.frames / info.rate_hz, 2),
            level_dbfs=self.level_dbfs,
            peak_dbfs=self.peak_dbfs,
            state="measuring" if self.state == "measuring" else "recording",
            until_steady=self.until_steady,
            steady=None if self.steady is None else SteadyView(**plain(self.steady)),
        )

    def add(self, block: Samples, *, metered: bool = True) -> None:
        """Keep a block and follow its level. Of several channels the loudest is followed. Nobody watches a take faster than time."""
        self.part.append(block)
        if block.ndim > 1:
            block = block[:, int(np.abs(block).max(axis=0).argmax())]
        level, peak = levels.rms_dbfs(block), levels.peak_dbfs(block)
        self.level_dbfs = round(level, 1) if np.isfinite(level) else None
        self.peak_dbfs = round(peak, 1) if np.isfinite(peak) else None
        if metered:
            self.frames += self.meter.add(block)
        if self.until_steady:
            self._follow_steadiness(block)

    def take_frames(self) -> list[Frame]:
        """The meter's frames since they were last asked for."""
        found, self.frames = self.frames, []
        return found

    def _follow_steadiness(self, block: Samples) -> None:
        """Once a second: is the talk known well enough? Then the take ends by itself."""
        rate = self.part.info.rate_hz
        self.loose = np.concatenate([self.loose, block])
        if len(self.loose) < rate:
            return
        power, peaks = frames_of(self.loose, rate_hz=rate)
        self.loose = self.loose[len(power) * round(FRAME_S * rate) :]
        self.powers, self.peaks = np.concatenate([self.powers, power]), np.concatenate([self.peaks, peaks])
        self.steady = how_steady(self.powers, self.peaks)
        if self.steady is not None and self.steady.steady and self.steady.spoken_s >= _SHORTEST_SPOKEN_S:
            error = max(self.steady.active_error_db, self.steady.peak_error_db)
            self.ended = f"Ended by itself after {self.steady.spoken_s:.0f} s of speech: level and peaks are known to ±{error:.1f} dB, nine times in ten."
            self.stop.set()


def _begin(
    ws: Workshop, purpose: Purpose, seconds: float, source: Source, rate_hz: int, *, notes: tuple[str, ...] = (),
    position: float | None = None, learns: Control = "preamp", channels: int = 1, until_steady: bool = False,
) -> RunningTake:  # fmt: skip
    _require_length(seconds)
    with ws.lock:
        release_abandoned(ws)
        if ws.take is not None:
            raise Refused("take-runs", "A take is already running. Stop it first.")
        ws.folder.require_space(round(seconds * rate_hz * 8 * channels))
        with ws.sessions() as session:
            facts = _facts(ws, session, the_rig(ws, session), purpose, position, learns)
        info = take_files.PartInfo(purpose, rate_hz, source, facts, now(), notes, channels)
        ws.take = RunningTake(take_files.Part(ws.folder, info), seconds, until_steady=until_steady)
        return ws.take


def _require_length(seconds: float) -> None:
    if not 1.0 <= seconds <= LONGEST_TAKE_S:
        raise Refused("seconds", f"A take lasts between 1 s and {LONGEST_TAKE_S / 60:.0f} min. Choose a length in between.")


def _facts(ws: Workshop, session: Session, rig: Rig, purpose: str, position: float | None, learns: Control = "preamp") -> dict[str, Value]:
    """What a take is made at. ``position`` is the other gain, or the mark at which a dial is learned."""
    facts = facts_of(ws, session, rig)
    if purpose == "other-gain":
        if position is None:
            raise Refused("no-gain", "Say at which gain the room is taken: 10 dB lower tells the converter from the rest.")
        facts["gain_db"] = position
    if purpose == "dial":
        if position is None:
            raise Refused("no-position", "Say at which mark the control stands.")
        facts["slider" if learns == "slider" else "dial"] = position
        facts["learns"] = learns
    return facts


def _controls_for(ws: Workshop, session: Session, rig: Rig, purpose: str, position: float | None, learns: Control) -> Controls:
    """Where the simulated rig's controls stand for a take; they go back after it."""
    controls = controls_of(ws, session, rig)
    if position is None:
        return controls
    if purpose == "other-gain":
        return replace(controls, gain_db=position, dial=None)
    if purpose == "dial":
        return replace(controls, slider_percent=position) if learns == "slider" else replace(controls, dial=position)
    return controls


def start_simulated(
    ws: Workshop, purpose: Purpose, *, seconds: float | None = None, pace: Pace | None = None, position: float | None = None,
    learns: Control = "preamp", until_steady: bool = False,
) -> None:  # fmt: skip
    """Begin a take from the simulated rig; it ends by itself, at the latest after its seconds, earlier when talk is steady."""
    wanted = seconds or DEFAULT_SECONDS[purpose]
    if until_steady:
        wanted = min(seconds or LONGEST_UNTIL_STEADY_S, LONGEST_UNTIL_STEADY_S)
    _require_length(wanted)
    if ws.take is not None:
        raise Refused("take-runs", "A take is already running. Stop it first.")
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        if rig.source != "simulated":
            raise Refused("source", "Sound does not come from the simulated rig. Choose it in Rig, or use your own sound.")
        source = simulated_source(ws, session, rig)
        repeat = session.scalar(select(func.count()).select_from(Take).where(Take.purpose == purpose)) or 0
        controls = _controls_for(ws, session, rig, purpose, position, learns)
    stream = source.open_take(purpose, seconds=wanted, repeat=repeat, controls=controls)
    first = stream.read(round(_BLOCK_S * source.rate_hz))
    running = _begin(
        ws, purpose, wanted, "simulated", source.rate_hz, position=position, learns=learns,
        channels=1 if first.ndim == 1 else first.shape[1], until_steady=until_steady,
    )  # fmt: skip
    worker = threading.Thread(target=_follow, args=(ws, running, stream, pace or ws.pace, first), daemon=True)
    running.started = time.monotonic()
    worker.start()
    if (pace or ws.pace) == "fast":
        worker.join()


def _follow(ws: Workshop, running: RunningTake, source: SoundStream, pace: Pace, block: Samples) -> None:
    count = round(_BLOCK_S * source.rate_hz)
    try:
        while len(block) and not running.stop.is_set():
            running.add(block, metered=pace == "real")
            if pace == "real":
                due = running.started + running.part.frames / source.rate_hz
                time.sleep(max(0.0, due - time.monotonic()))
                _tell(ws, running)
            block = source.read(count)
        finish(ws, running)
    except (FolderError, SourceGone, OSError) as error:
        _abandon(ws, running)
        ws.bus.tell("trouble", {"sentence": str(error)})
        ws.changed()
    except Exception as error:
        _abandon(ws, running)
        sentence = f"Measuring failed inside ({type(error).__name__}); the take is kept as a half take. Try to use it, or take it again."
        ws.bus.tell("trouble", {"sentence": sentence})
        ws.changed()
    finally:
        source.close()


def _tell(ws: Workshop, running: RunningTake) -> None:
    """Progress a few times a second, and every frame of the meter."""
    for frame in running.take_frames():
        ws.bus.tell("frame", frame_json(frame, "take"))
    if time.monotonic() - running.told > _TELL_EVERY_S:
        running.told = time.monotonic()
        ws.bus.tell("progress", running.view().model_dump())


def _abandon(ws: Workshop, running: RunningTake) -> None:
    """Let go of a take; its part stays as a half take when it holds anything."""
    running.part.close()
    if running.part.frames == 0:
        take_files.drop_part(ws.folder, running.part.id)
    with ws.lock:
        if ws.take is running:
            ws.take = None


def release_abandoned(ws: Workshop) -> None:
    """A browser's take whose pieces stopped coming becomes a half take."""
    running = ws.take
    if running is None or running.part.info.source != "browser" or running.state != "recording":
        return
    if time.monotonic() - running.last_piece > _SILENT_AFTER_S:
        _abandon(ws, running)
        ws.changed()


def stop_take(ws: Workshop) -> None:
    """End the take now and keep what is there."""
    running = ws.take
    if running is None:
        raise Refused("no-take", "No take is running.")
    running.stop.set()
    if running.part.info.source == "browser":
        finish(ws, running)


def start_browser(
    ws: Workshop, purpose: Purpose, *, rate_hz: int, seconds: float, not_obeyed: list[str], position: float | None = None,
    learns: Control = "preamp", until_steady: bool = False,
) -> str:  # fmt: skip
    """Begin a take whose pieces the page sends. ``not_obeyed`` names processing that the browser left on. Returns its id."""
    if not 8_000 <= rate_hz <= 192_000:
        raise Refused("rate", "The browser's rate is outside 8 to 192 kHz. Choose 48 kHz in the sound settings of the computer.")
    notes: tuple[str, ...] = ()
    if not_obeyed:
        notes = (
            f"The browser left {' and '.join(not_obeyed)} on although it was asked not to: levels and tone are not those of your "
            "microphone. Try another browser.",
        )
    running = _begin(
        ws, purpose, seconds, "browser", rate_hz, notes=notes, position=position, learns=learns, until_steady=until_steady
    )  # fmt: skip
    ws.changed()
    return running.part.id


def add_piece(ws: Workshop, take_id: str, number: int, samples: Samples) -> bool:
    """Keep the next piece; True when the take has enough. Pieces come in order; one that came before is passed over, a gap is refused."""
    running = ws.take
    if running is None or running.part.id != take_id:
        raise Refused("no-take", "This take is no longer running; what came before is kept as a half take.")
    if number < running.next_piece:
        return running.ended is not None
    if number > running.next_piece:
        raise Refused("gap", "A piece of the take went missing on the way. Stop and take it again.")
    running.next_piece += 1
    running.last_piece = time.monotonic()
    running.add(samples)
    running.told = 0.0
    _tell(ws, running)
    return running.ended is not None


def finish(ws: Workshop, running: RunningTake) -> int | None:
    """Turn the part into a whole take, measure it, derive what follows. Returns the take's id."""
    running.state = "measuring"
    ws.bus.tell("progress", running.view().model_dump())
    running.part.close()
    try:
        info = running.part.info
        samples = take_files.read_part(ws.folder, running.part.id, channels=info.channels)
        if not len(samples):
            take_files.drop_part(ws.folder, running.part.id)
            return None
        take_id = keep(ws, info, samples, half=False, ended=running.ended)
        take_files.drop_part(ws.folder, running.part.id)
        fault = _fault_of(ws, take_id)
        if fault is not None:
            ws.bus.tell("trouble", {"sentence": fault})
        return take_id
    finally:
        with ws.lock:
            if ws.take is running:
                ws.take = None
        ws.changed()


def _fault_of(ws: Workshop, take_id: int) -> str | None:
    with ws.sessions() as session:
        return session.get_one(Take, take_id).fault


def keep(
    ws: Workshop, info: take_files.PartInfo, samples: Samples, *, half: bool, ended: str | None = None, channel: int | None = None
) -> int:
    """Write a take, its row and its reading. A take that cannot be used is kept with the sentence that says why.

    Of ``(n, channels)`` one channel is chosen, and what the channels say of each other is kept.
    """
    fault, notes = None, list(info.notes)
    channels = integrity.compare_channels(samples) if samples.ndim > 1 else None
    chosen = samples if samples.ndim == 1 else samples[:, (channel or 1) - 1]
    try:
        chosen, channel_notes = faults.choose_channel(samples, channel)
        notes += [note.sentence for note in channel_notes]
        notes += [note.sentence for note in faults.check(chosen, rate_hz=info.rate_hz, purpose=cast(faults.Purpose, info.purpose))]
    except faults.BadTake as error:
        fault = str(error)
    digest = take_files.keep_take(ws.folder, chosen, rate_hz=info.rate_hz)
    with ws.sessions.begin() as session:
        take = Take(
            rig_id=the_rig(ws, session).id, purpose=info.purpose, sha256=digest, rate_hz=info.rate_hz, frames=len(chosen),
            source=info.source, facts=info.facts, channels=None if channels is None else plain(channels), half=half, notes=notes,
            fault=fault, discarded=False, ended=ended, taken_at=now(),
        )  # fmt: skip
        session.add(take)
        session.flush()
        take_id = take.id
    if fault is None:
        measure_and_derive(ws, take_id)
    return take_id


def measure_and_derive(ws: Workshop, take_id: int) -> None:
    """Measure a new take and derive what it gives. A take that cannot carry its rule stays with the sentence that says why."""
    from obsidian_wren.service import deriving, measuring

    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        take = session.get_one(Take, take_id)
        measuring.keep_reading(ws, session, rig, take, current_takes(session, rig).quiet)
        try:
            deriving.derive_after_take(ws, session, rig, take)
        except Refused as error:
            # What was derived from the take before it stands.
            take.fault = str(error)


def measure_missing(ws: Workshop) -> int:
    """At a start: read the takes that have no reading, and derive what stands on them. Returns how many there were."""
    from obsidian_wren.service import deriving, measuring

    with ws.sessions.begin() as session:
        missing = measuring.takes_without_reading(session)
        for take in missing:
            rig = session.get_one(Rig, take.rig_id)
            measuring.keep_reading(ws, session, rig, take, current_takes(session, rig).quiet)
        for rig_id in {take.rig_id for take in missing}:
            deriving.derive_after_change(ws, session, session.get_one(Rig, rig_id))
    return len(missing)


def keep_file(
    ws: Workshop, purpose: Purpose, path: Path, *, channel: int | None, position: float | None = None, learns: Control = "preamp"
) -> int:  # fmt: skip
    """Make a take of a sound file. Raises BadTake where the file or its sound cannot serve; nothing is kept then."""
    sound = read_sound(path)
    samples, _ = faults.choose_channel(sound.samples, channel)
    faults.check(samples, rate_hz=sound.rate_hz, purpose=cast(faults.Purpose, purpose))
    with ws.sessions() as session:
        facts = _facts(ws, session, the_rig(ws, session), purpose, position, learns)
    info = take_files.PartInfo(purpose, sound.rate_hz, "file", facts, now())
    take_id = keep(ws, info, sound.samples, half=False, channel=channel)
    ws.changed()
    fault = _fault_of(ws, take_id)
    if fault is not None:
        raise Refused("unusable", fault)
    return take_id


def keep_half(ws: Workshop, part_id: str) -> int:
    """Make a take of one that was cut off."""
    half = _half(ws, part_id)
    samples = take_files.read_part(ws.folder, part_id, channels=half.info.channels)
    take_id = keep(ws, half.info, samples, half=True)
    take_files.drop_part(ws.folder, part_id)
    ws.changed()
    return take_id


def discard_half(ws: Workshop, part_id: str) -> None:
    """Throw a cut-off take away."""
    _half(ws, part_id)
    take_files.drop_part(ws.folder, part_id)
    ws.changed()


def _half(ws: Workshop, part_id: str) -> take_files.HalfTake:
    running = ws.take.part.id if ws.take else None
    for half in take_files.list_halves(ws.folder, running=running):
        if half.id == part_id:
            return half
    raise Refused("no-half", "This half take is no longer there.")


def discard_empty_halves(ws: Workshop) -> str | None:
    """At a start: drop parts too short to be of use; returns the word for the person."""
    dropped = 0
    for half in take_files.list_halves(ws.folder, running=None):
        if half.frames < faults.SHORTEST_S * half.info.rate_hz:
            take_files.drop_part(ws.folder, half.id)
            dropped += 1
    if not dropped:
        return None
    what = "A take" if dropped == 1 else f"{dropped} takes"
    return f"{what} cut off within the first {faults.SHORTEST_S:.0f} s held too little and {'was' if dropped == 1 else 'were'} discarded."


def discard_take(ws: Workshop, take_id: int) -> None:
    """Put a take out of sight; undo brings it back. What stood on it is derived from the one before it."""
    from obsidian_wren.service import deriving

    with ws.sessions() as session:
        take = session.get(Take, take_id)
        if take is None or take.discarded:
            raise Refused("no-take", "This take is no longer there.")
        purpose = take.purpose
    with change(ws, f"Discarded a take ({purpose})") as session:
        take = session.get_one(Take, take_id)
        take.discarded = True
        session.flush()
        deriving.derive_after_change(ws, session, session.get_one(Rig, take.rig_id))
    ws.changed()


def purge_discarded(ws: Workshop) -> None:
    """At a start: takes that were discarded so long ago that nothing can bring them back go for good, with their files."""
    with ws.sessions.begin() as session:
        reachable = {key for change_ in session.scalars(select(Change)) for key in change_.body}
        gone = [t for t in session.scalars(select(Take).where(Take.discarded.is_(True))) if f"discarded/{t.id}" not in reachable]
        digests = {take.sha256 for take in gone}
        for take in gone:
            session.execute(delete(Reading).where(Reading.take_id == take.id))
            session.delete(take)
        session.flush()
        shared = set(session.scalars(select(Take.sha256).where(Take.sha256.in_(digests))))
    for digest in digests - shared:
        with contextlib.suppress(OSError):
            take_files.take_path(ws.folder, digest).unlink()
