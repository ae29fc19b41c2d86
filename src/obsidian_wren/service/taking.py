"""Takes: begun, followed, kept. From the simulated rig at real pace or fast, from a file, or in pieces from the browser."""

from __future__ import annotations

import contextlib
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import cast

import numpy as np
from sqlalchemy import delete, func, select

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import faults, levels
from obsidian_wren.formats.sound import read_sound
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import now
from obsidian_wren.service.ports import SoundStream, SourceGone
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.views import ProgressView, Purpose, Source
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.models import Reading, Take

DEFAULT_SECONDS: dict[str, float] = {"rest": 15.0, "talk": 30.0, "passage": 40.0}
LONGEST_TAKE_S = 600.0
_BLOCK_S = 0.05
_SILENT_AFTER_S = 4.0


@dataclass
class RunningTake:
    """The take in progress."""

    part: take_files.Part
    seconds: float
    started: float = field(default_factory=time.monotonic)
    last_piece: float = field(default_factory=time.monotonic)
    next_piece: int = 0
    level_dbfs: float | None = None
    peak_dbfs: float | None = None
    state: str = "recording"
    stop: threading.Event = field(default_factory=threading.Event)

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
        )

    def add(self, block: Samples) -> None:
        """Keep a block and follow its level."""
        self.part.append(block)
        level, peak = levels.rms_dbfs(block), levels.peak_dbfs(block)
        self.level_dbfs = round(level, 1) if np.isfinite(level) else None
        self.peak_dbfs = round(peak, 1) if np.isfinite(peak) else None


def _begin(ws: Workshop, purpose: Purpose, seconds: float, source: Source, rate_hz: int, notes: tuple[str, ...] = ()) -> RunningTake:
    if not 1.0 <= seconds <= LONGEST_TAKE_S:
        raise Refused("seconds", f"A take lasts between 1 s and {LONGEST_TAKE_S / 60:.0f} min. Choose a length in between.")
    with ws.lock:
        release_abandoned(ws)
        if ws.take is not None:
            raise Refused("take-runs", "A take is already running. Stop it first.")
        ws.folder.require_space(round(seconds * rate_hz * 8))
        with ws.sessions() as session:
            rig = the_rig(ws, session)
            info = take_files.PartInfo(
                purpose, rate_hz, source, rig.gain_db, rig.distance_cm, rig.angle_deg, now(), notes
            )  # fmt: skip
        ws.take = RunningTake(take_files.Part(ws.folder, info), seconds)
        return ws.take


def start_simulated(ws: Workshop, purpose: Purpose, *, seconds: float | None = None, pace: Pace | None = None) -> None:
    """Begin a take from the simulated rig; it ends by itself."""
    wanted = seconds or DEFAULT_SECONDS[purpose]
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        if rig.source != "simulated":
            raise Refused("source", "Sound does not come from the simulated rig. Choose it in Rig, or use your own sound.")
        source = simulated_source(ws, rig)
        repeat = session.scalar(select(func.count()).select_from(Take).where(Take.purpose == purpose)) or 0
    running = _begin(ws, purpose, wanted, "simulated", source.rate_hz)
    try:
        stream = source.open_take(purpose, seconds=wanted, repeat=repeat)
    except Exception:
        _abandon(ws, running)
        raise
    worker = threading.Thread(target=_follow, args=(ws, running, stream, pace or ws.pace), daemon=True)
    running.started = time.monotonic()
    worker.start()
    if (pace or ws.pace) == "fast":
        worker.join()


def _follow(ws: Workshop, running: RunningTake, source: SoundStream, pace: Pace) -> None:
    count = round(_BLOCK_S * source.rate_hz)
    told = 0.0
    try:
        while not running.stop.is_set():
            block = source.read(count)
            if not len(block):
                break
            running.add(block)
            if pace == "real":
                due = running.started + running.part.frames / source.rate_hz
                time.sleep(max(0.0, due - time.monotonic()))
                if time.monotonic() - told > 0.09:
                    told = time.monotonic()
                    ws.bus.tell("progress", running.view().model_dump())
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


def start_browser(ws: Workshop, purpose: Purpose, *, rate_hz: int, seconds: float, not_obeyed: list[str]) -> str:
    """Begin a take whose pieces the page sends. ``not_obeyed`` names processing that the browser left on. Returns its id."""
    if not 8_000 <= rate_hz <= 192_000:
        raise Refused("rate", "The browser's rate is outside 8 to 192 kHz. Choose 48 kHz in the sound settings of the computer.")
    notes: tuple[str, ...] = ()
    if not_obeyed:
        notes = (
            f"The browser left {' and '.join(not_obeyed)} on although it was asked not to: levels and tone are not those of your "
            "microphone. Try another browser.",
        )
    running = _begin(ws, purpose, seconds, "browser", rate_hz, notes)
    ws.changed()
    return running.part.id


def add_piece(ws: Workshop, take_id: str, number: int, samples: Samples) -> None:
    """Keep the next piece. Pieces come in order; one that came before is passed over, a gap is refused."""
    running = ws.take
    if running is None or running.part.id != take_id:
        raise Refused("no-take", "This take is no longer running; what came before is kept as a half take.")
    if number < running.next_piece:
        return
    if number > running.next_piece:
        raise Refused("gap", "A piece of the take went missing on the way. Stop and take it again.")
    running.next_piece += 1
    running.last_piece = time.monotonic()
    running.add(samples)
    ws.bus.tell("progress", running.view().model_dump())


def finish(ws: Workshop, running: RunningTake) -> int | None:
    """Turn the part into a whole take, measure it, derive what follows. Returns the take's id."""
    running.state = "measuring"
    ws.bus.tell("progress", running.view().model_dump())
    running.part.close()
    try:
        samples = take_files.read_part(ws.folder, running.part.id)
        if not len(samples):
            take_files.drop_part(ws.folder, running.part.id)
            return None
        take_id = keep(ws, running.part.info, samples, half=False)
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


def keep(ws: Workshop, info: take_files.PartInfo, samples: Samples, *, half: bool) -> int:
    """Write a take, its row and its reading. A take that cannot be used is kept with the sentence that says why."""
    from obsidian_wren.service import calibrating

    fault, notes = None, list(info.notes)
    try:
        notes += [note.sentence for note in faults.check(samples, rate_hz=info.rate_hz, purpose=cast(faults.Purpose, info.purpose))]
    except faults.BadTake as error:
        fault = str(error)
    digest = take_files.keep_take(ws.folder, samples, rate_hz=info.rate_hz)
    with ws.sessions.begin() as session:
        take = Take(
            rig_id=the_rig(ws, session).id, purpose=info.purpose, sha256=digest, rate_hz=info.rate_hz, frames=len(samples),
            source=info.source, gain_db=info.gain_db, distance_cm=info.distance_cm, angle_deg=info.angle_deg,
            half=half, notes=notes, fault=fault, taken_at=now(),
        )  # fmt: skip
        session.add(take)
        session.flush()
        take_id = take.id
    if fault is None:
        calibrating.measure_and_derive(ws, take_id)
    return take_id


def keep_file(ws: Workshop, purpose: Purpose, path: Path, *, channel: int | None) -> int:
    """Make a take of a sound file. Raises BadTake where the file or its sound cannot serve; nothing is kept then."""
    sound = read_sound(path)
    samples, channel_notes = faults.choose_channel(sound.samples, channel)
    faults.check(samples, rate_hz=sound.rate_hz, purpose=cast(faults.Purpose, purpose))
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        info = take_files.PartInfo(
            purpose, sound.rate_hz, "file", rig.gain_db, rig.distance_cm, rig.angle_deg, now(),
            tuple(note.sentence for note in channel_notes),
        )  # fmt: skip
    take_id = keep(ws, info, samples, half=False)
    ws.changed()
    fault = _fault_of(ws, take_id)
    if fault is not None:
        raise Refused("unusable", fault)
    return take_id


def keep_half(ws: Workshop, part_id: str) -> int:
    """Make a take of one that was cut off."""
    half = _half(ws, part_id)
    samples = take_files.read_part(ws.folder, part_id)
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
    """Remove a take from the list; its file goes when no other take is the same sound."""
    with ws.sessions.begin() as session:
        take = session.get(Take, take_id)
        if take is None:
            raise Refused("no-take", "This take is no longer there.")
        digest = take.sha256
        session.execute(delete(Reading).where(Reading.take_id == take_id))
        session.delete(take)
        session.flush()
        shared = session.scalar(select(func.count()).select_from(Take).where(Take.sha256 == digest))
    if not shared:
        with contextlib.suppress(OSError):
            take_files.take_path(ws.folder, digest).unlink()
    ws.changed()
