"""Takes: begun, followed, kept. From the simulated rig at real pace or fast, from a file, or in pieces from the browser."""

from __future__ import annotations

import json
import logging
import re
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, cast

import numpy as np
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.graph import Value
from obsidian_wren.core.measure import faults, integrity, levels
from obsidian_wren.core.measure.live import BlockMeter, Frame
from obsidian_wren.core.measure.steadiness import FRAME_S, Steadiness, frames_of, how_steady
from obsidian_wren.core.told import Told
from obsidian_wren.formats.plain import plain
from obsidian_wren.formats.sound import read_sound
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import controls_of, facts_of
from obsidian_wren.service.history import change
from obsidian_wren.service.kept import PURPOSES, current_takes, now
from obsidian_wren.service.ports import Controls, SoundStream, SourceGone
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.sound_notes import sentences_of
from obsidian_wren.service.views import Control, ProgressView, Purpose, Source, SteadyView
from obsidian_wren.service.watching import frame_json
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.models import Change, Clip, Reading, Rig, Take

DEFAULT_SECONDS: dict[str, float] = {
    "rest": 15.0, "in-use": 20.0, "muted": 8.0, "other-gain": 12.0, "talk": 30.0, "loud": 12.0, "soft": 15.0, "passage": 40.0, "dial": 5.0,
    "clap": 6.0, "sweep": 8.0, "reference": 40.0,
}  # fmt: skip
# The simulated talker has said everything by then.
LONGEST_UNTIL_STEADY_S = 60.0
_SHORTEST_SPOKEN_S = 10.0
LONGEST_TAKE_S = 300.0
_BLOCK_S = 0.05
_SILENT_AFTER_S = 4.0
_LOOK_EVERY_S = 0.5
_TELL_EVERY_S = 0.09
_OVERRUN_S = 1.0
# As long as measuring and deriving may take on a slow machine.
_PATIENCE_S = 120.0
_LOG = logging.getLogger(__name__)


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
    # recording, then measuring, then over; who ends it takes it from the first to the second, once.
    state: str = "recording"
    lock: threading.Lock = field(default_factory=threading.Lock)
    over: threading.Event = field(default_factory=threading.Event)
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

    @property
    def frames_left(self) -> int:
        """How much more it may hold: its length, and what a page sends while it is told to stop."""
        return round((self.seconds + _OVERRUN_S) * self.part.info.rate_hz) - self.part.frames

    @property
    def whole(self) -> bool:
        """Whether it has all that it was begun for."""
        return self.ended is not None or self.part.frames >= round(self.seconds * self.part.info.rate_hz)

    def claim_end(self) -> bool:
        """True for the one who may end it; nothing is added from then on."""
        with self.lock:
            if self.state != "recording":
                return False
            self.state = "measuring"
            return True

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
            rig = the_rig(ws, session)
            facts, rig_id = _facts(ws, session, rig, purpose, position, learns), rig.id
        info = take_files.PartInfo(purpose, rate_hz, source, facts, now(), notes, channels, rig_id)
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
    except Exception:
        _LOG.exception("A take failed")
        _abandon(ws, running)
        sentence = "The take could not be finished; what was recorded is kept as a half take. Try to use it, or take it again."
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
    running.claim_end()
    running.part.close()
    if running.part.frames == 0:
        take_files.drop_part(ws.folder, running.part.id)
    _let_go(ws, running)


def _let_go(ws: Workshop, running: RunningTake) -> None:
    with ws.lock:
        ws.ended_takes.append(running.part.id)
        if ws.take is running:
            ws.take = None
    running.over.set()


def release_abandoned(ws: Workshop) -> None:
    """A browser's take whose pieces stopped coming is kept when it is whole, and becomes a half take when it is not."""
    running = ws.take
    if running is None or running.part.info.source != "browser" or running.state != "recording":
        return
    if time.monotonic() - running.last_piece > _SILENT_AFTER_S:
        if running.whole:
            finish(ws, running)
            return
        if running.claim_end():
            _abandon(ws, running)
            ws.changed()


def stop_take(ws: Workshop) -> None:
    """End the take now and keep what is there. Who comes second waits until it is kept, or finds it kept already."""
    running = ws.take
    if running is None and ws.ended_takes:
        return
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
    threading.Thread(target=_watch_over, args=(ws, running), daemon=True).start()
    ws.changed()
    return running.part.id


def _watch_over(ws: Workshop, running: RunningTake) -> None:
    """End a take whose page is gone."""
    while not running.over.wait(_LOOK_EVERY_S):
        try:
            release_abandoned(ws)
        except Told as error:
            ws.bus.tell("trouble", {"sentence": str(error)})


def add_piece(ws: Workshop, take_id: str, number: int, samples: Samples) -> bool:
    """Keep the next piece; True when the take has enough.

    Pieces come in order; one that came before is passed over, a gap is refused, and what comes after the end is dropped.
    """
    running = ws.take
    if running is None or running.part.id != take_id:
        if take_id in ws.ended_takes:
            return True
        raise Refused("no-take", "This take is no longer running; what came before is kept as a half take.")
    with running.lock:
        if running.state != "recording" or running.ended is not None:
            return True
        if number < running.next_piece:
            return False
        if number > running.next_piece:
            raise Refused("gap", "A piece of the take went missing on the way. Stop and take it again.")
        running.next_piece += 1
        running.last_piece = time.monotonic()
        running.add(samples[: max(0, running.frames_left)])
        running.told = 0.0
        _tell(ws, running)
        return running.ended is not None or running.frames_left <= 0


def finish(ws: Workshop, running: RunningTake) -> int | None:
    """Turn the part into a whole take, measure it, derive what follows. Returns the take's id, None for who came second."""
    if not running.claim_end():
        running.over.wait(_PATIENCE_S)
        return None
    ws.bus.tell("progress", running.view().model_dump())
    running.part.close()
    try:
        info = running.part.info
        samples = take_files.read_part(ws.folder, running.part.id, channels=info.channels)
        if not len(samples):
            take_files.drop_part(ws.folder, running.part.id)
            return None
        take_id = keep(ws, info, samples, half=False, ended=running.ended, part_id=running.part.id)
        fault = _fault_of(ws, take_id)
        if fault is not None:
            ws.bus.tell("trouble", {"sentence": fault})
        return take_id
    finally:
        _let_go(ws, running)
        ws.changed()


def _fault_of(ws: Workshop, take_id: int) -> str | None:
    with ws.sessions() as session:
        return session.get_one(Take, take_id).fault


def keep(
    ws: Workshop, info: take_files.PartInfo, samples: Samples, *, half: bool, ended: str | None = None,
    channels: integrity.Channels | None = None, part_id: str | None = None,
) -> int:  # fmt: skip
    """Write a take, its row and its reading. A take that cannot be used is kept with the sentence that says why.

    Of ``(n, channels)`` one channel is chosen, and what the channels say of each other is kept; of a file that is known already. The part that it was goes once its row
    stands.
    """
    fault, notes = None, list(info.notes)
    if samples.ndim > 1:
        channels = integrity.compare_channels(samples)
    chosen = samples if samples.ndim == 1 else samples[:, 0]
    try:
        chosen, channel_notes = faults.choose_channel(samples, None)
        notes += [note.sentence for note in channel_notes]
        notes += [note.sentence for note in faults.check(chosen, rate_hz=info.rate_hz, purpose=cast(faults.Purpose, info.purpose))]
    except faults.BadTake as error:
        fault = error
    taken_at = now()
    with ws.sessions() as session:
        rig = _rig_of(ws, session, info)
        described = {
            **_described(info, taken_at), "rig": rig.name, "half": half, "ended": ended, "notes": notes,
            "channels": None if channels is None else plain(channels),
        }  # fmt: skip
    digest = take_files.keep_take(ws.folder, chosen, rate_hz=info.rate_hz, described=described)
    with ws.sessions.begin() as session:
        take = Take(
            rig_id=_rig_of(ws, session, info).id, purpose=info.purpose, sha256=digest, rate_hz=info.rate_hz, frames=len(chosen),
            source=info.source, facts=info.facts, channels=described["channels"], half=half, notes=notes,
            fault=None if fault is None else str(fault), fault_code=None if fault is None else fault.code, discarded=False, ended=ended,
            taken_at=taken_at,
        )  # fmt: skip
        session.add(take)
        session.flush()
        take_id = take.id
    if part_id is not None:
        take_files.drop_part(ws.folder, part_id)
    if fault is None:
        measure_and_derive(ws, take_id)
    return take_id


def _described(info: take_files.PartInfo, taken_at: str) -> dict[str, Any]:
    """What a take is, as it is said beside its sound."""
    return {"as": "take", "purpose": info.purpose, "rate_hz": info.rate_hz, "source": info.source, "facts": info.facts, "at": taken_at}


def _rig_of(ws: Workshop, session: Session, info: take_files.PartInfo) -> Rig:
    """The rig that a take was begun on; the one in hand where that one is gone or was never said."""
    rig = session.get(Rig, info.rig_id) if info.rig_id is not None else None
    return rig or the_rig(ws, session)


def measure_and_derive(ws: Workshop, take_id: int) -> None:
    """Measure a new take and derive what it gives. A take that cannot carry its rule stays with the sentence that says why."""
    from obsidian_wren.service import deriving, measuring

    with _answered(ws, take_id), ws.sessions.begin() as session:
        take = session.get_one(Take, take_id)
        rig = session.get_one(Rig, take.rig_id)
        measuring.keep_reading(ws, session, rig, take, current_takes(session, rig).quiet)
    with ws.sessions() as session:
        if session.get_one(Take, take_id).fault is not None:
            return
    with _answered(ws, take_id), ws.sessions.begin() as session:
        take = session.get_one(Take, take_id)
        deriving.derive_after_take(ws, session, session.get_one(Rig, take.rig_id), take)


@contextmanager
def _answered(ws: Workshop, take_id: int) -> Iterator[None]:
    """What the rules refuse, or find no answer to, becomes the fault of the take. What was derived from the take before it stands."""
    try:
        yield
    except FolderError as error:
        if not isinstance(error, take_files.SoundLost):
            raise
        _mark(ws, take_id, error.code, str(error))
    except Told as error:
        _mark(ws, take_id, error.code, str(error))
    except Exception:
        _LOG.exception("The rules found no answer for a take")
        _mark(ws, take_id, "no-answer", _NO_ANSWER)


_NO_ANSWER = (
    "The rules find no answer for this take, so it is not used; what was derived before it stands. "
    "Check the level and the microphone, then take it again."
)


def _mark(ws: Workshop, take_id: int, code: str, sentence: str) -> None:
    with ws.sessions.begin() as session:
        take = session.get_one(Take, take_id)
        take.fault, take.fault_code = sentence, code


def measure_missing(ws: Workshop) -> int:
    """At a start: read the takes that have no reading, and derive what stands on them. Returns how many there were."""
    from obsidian_wren.service import deriving, measuring

    with ws.sessions() as session:
        missing = [(take.id, take.rig_id) for take in measuring.takes_without_reading(session)]
    for take_id, rig_id in missing:
        with _answered(ws, take_id), ws.sessions.begin() as session:
            rig = session.get_one(Rig, rig_id)
            measuring.keep_reading(ws, session, rig, session.get_one(Take, take_id), current_takes(session, rig).quiet)
    for rig_id in {rig_id for _, rig_id in missing}:
        newest = max(take_id for take_id, of in missing if of == rig_id)
        with _answered(ws, newest), ws.sessions.begin() as session:
            deriving.derive_after_change(ws, session, session.get_one(Rig, rig_id))
    return len(missing)


def keep_file(
    ws: Workshop, purpose: Purpose, path: Path, *, channel: int | None, position: float | None = None, learns: Control = "preamp"
) -> int:  # fmt: skip
    """Make a take of a sound file. Raises BadTake where the file or its sound cannot serve; nothing is kept then."""
    sound = read_sound(path, channel=channel)
    faults.check(sound.samples, rate_hz=sound.rate_hz, purpose=cast(faults.Purpose, purpose))
    with ws.sessions() as session:
        facts = _facts(ws, session, the_rig(ws, session), purpose, position, learns)
        rig_id = the_rig(ws, session).id
    notes = tuple(sentences_of(sound, sound.notes))
    info = take_files.PartInfo(purpose, sound.rate_hz, "file", facts, now(), notes, rig_id=rig_id)
    take_id = keep(ws, info, sound.samples, half=False, channels=sound.channels)
    ws.changed()
    fault = _fault_of(ws, take_id)
    if fault is not None:
        raise Refused("unusable", fault)
    return take_id


def keep_half(ws: Workshop, part_id: str) -> int:
    """Make a take of one that was cut off."""
    half = _half(ws, part_id)
    samples = take_files.read_part(ws.folder, part_id, channels=half.info.channels)
    if half.info.purpose not in PURPOSES:
        raise Refused(
            "purpose", "A newer Obsidian Wren began this take, and this one does not know what it is for. Throw it away, or update."
        )
    take_id = keep(ws, half.info, samples, half=True, part_id=part_id)
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


def take_up_parts(ws: Workshop) -> None:
    """At a start: parts too short to be of use go with a word, and what is no part is put aside and told."""
    strays = take_files.strays(ws.folder)
    for half in take_files.list_halves(ws.folder, running=None):
        if half.info.purpose not in PURPOSES or not take_files.holds_sound(ws.folder, half):
            # A newer version knows what it is for, or something else lies in its place.
            strays += [ws.folder.parts / f"{half.id}{ending}" for ending in (".json", ".f32")]
    if strays:
        place = ws.folder.put_aside(*strays)
        names = ", ".join(path.name for path in strays[:3]) + (f" and {len(strays) - 3} more" if len(strays) > 3 else "")
        ws.find(
            "stray-part",
            f"Among the takes in progress lay what could not be read: {names}.",
            f"It was put into “{place.relative_to(ws.folder.path)}” of the data folder. Delete it when you do not miss anything.",
        )
    dropped = 0
    for half in take_files.list_halves(ws.folder, running=None):
        if half.frames < faults.SHORTEST_S * half.info.rate_hz:
            take_files.drop_part(ws.folder, half.id)
            dropped += 1
    if dropped:
        what = "A take" if dropped == 1 else f"{dropped} takes"
        ws.message = (
            f"{what} cut off within the first {faults.SHORTEST_S:.0f} s held too little and {'was' if dropped == 1 else 'were'} discarded."
        )


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
    """At a start: takes that were discarded so long ago that nothing can bring them back go for good, with the sounds that only they held."""
    with ws.sessions.begin() as session:
        reachable = {key for change_ in session.scalars(select(Change)) for key in change_.body}
        gone = [t for t in session.scalars(select(Take).where(Take.discarded.is_(True))) if f"discarded/{t.id}" not in reachable]
        digests = {take.sha256 for take in gone}
        for take in gone:
            session.execute(delete(Reading).where(Reading.take_id == take.id))
            session.delete(take)
        session.flush()
        unheld = digests - held_sounds(session)
    for digest in unheld:
        take_files.remove_take(ws.folder, digest)


_DIGEST = re.compile(r"\b[0-9a-f]{64}\b")


def held_sounds(session: Session) -> set[str]:
    """The digests of every sound that something refers to: takes, clips, and what undo or redo can bring back."""
    found = set(session.scalars(select(Take.sha256))) | set(session.scalars(select(Clip.sha256)))
    for change_ in session.scalars(select(Change)):
        found.update(_DIGEST.findall(json.dumps(change_.body)))
    return found
