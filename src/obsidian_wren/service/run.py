"""The live run: voices, players and returns into the mixes, a mix to every listener, block by block, with the marker on request."""

from __future__ import annotations

import os
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

import numpy as np

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import peak_dbfs, rms_dbfs
from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixEngine
from obsidian_wren.core.mix.marker import MARKER_S, feed_path, marker_level_dbfs, marker_sound
from obsidian_wren.core.mix.returns import ReturnPlan
from obsidian_wren.service.paths import PathDelay, ReturnPath, Seat, VoicePath
from obsidian_wren.service.ports import Player, SourceGone
from obsidian_wren.service.watching import frame_json

BLOCK_S = 0.01
# A page on another core cannot hold the run up; a machine that sleeps can.
_LATE_S = 0.25
_TELL_EVERY_S = 0.2
# As late as anything that is still called live arrives.
_MARKER_TAIL_S = 1.2
_LOAD_SHARE = 0.02
_REAL_TIME, _NICE = 10, -10
# A block lets go of the interpreter a hundred times, and gets it back from a busy thread only after so long: usually that is 5 ms each.
_SWITCH_S = 5e-5
# A limiter that takes less is not worth a word.
_WORTH_TELLING_DB = 0.5
Tell = Callable[[str, dict[str, object]], None]
# Blocks of every signal, and of every mix, as one goes by: what a recorder takes its tracks from.
Tap = Callable[[Mapping[str, Samples], Mapping[str, Samples]], None]


@dataclass(frozen=True)
class Heard:
    """What one listener heard of a marker: from the instant it was sent, at its rate, and what came back from it; what was sent to it
    in the last seconds at the run's rate, beside what it heard of that, not yet aligned."""

    rate_hz: int
    takes_hz: int
    heard: Samples
    returned: Samples
    sent_before: Samples
    heard_before: Samples


@dataclass
class _MarkerInFlight:
    raw: Samples
    treated: Samples
    feeds: dict[str, Samples]
    needed: int
    done: Callable[[dict[str, Heard]], None]
    at: int = 0
    starts: dict[str, tuple[int, int]] = field(default_factory=dict)


class LiveRun:
    """One run. ``inputs`` maps the names that programs pick to a signal (``voice raw``) or to a listener's mix (``mix KEY``).

    ``speed``: 1 for the pace of sound, more to be through sooner, None as fast as the source gives. ``urgent`` asks the system to run it
    before other programs. A seat that picks nothing is given its own mix. Signals are named as in the mixes: ``voice treated``, ``music``,
    ``return-KEY``.
    """

    def __init__(
        self, voices: Sequence[VoicePath], seats: Sequence[Seat], inputs: Mapping[str, str], mixes: Sequence[Mix], *,
        players: Mapping[str, Player] | None = None, returns: Sequence[ReturnPath] = (), ducking: Ducking, tell: Tell, speed: float | None,
        urgent: bool = False, block_s: float = BLOCK_S, aside: Callable[[Samples], None] = lambda block: None, tap: Tap | None = None,
    ) -> None:  # fmt: skip
        self.rate_hz = voices[0].stream.rate_hz
        self.block_s = block_s
        self.stopped_why: str | None = None
        self.finished = threading.Event()
        self.load = 0.0
        self.priority_raised = False
        self.levels_dbfs: dict[str, float] = {}
        self._limited_db: dict[str, float] = {}
        self._late = 0
        self._voices = list(voices)
        self._seats = list(seats)
        self.inputs = dict(inputs)
        self._mixes = list(mixes)
        self._ducking = ducking
        self._engine = self._new_engine()
        self._players = dict(players or {})
        self.returns = list(returns)
        self._tell = tell
        self._speed = speed
        self._urgent = urgent
        self._aside = aside
        self._tap = tap
        self._stop = threading.Event()
        self._marker: _MarkerInFlight | None = None
        self._broken = False
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._work, daemon=True)

    def _new_engine(self) -> MixEngine:
        return MixEngine(self._mixes, over="voice treated", ducking=self._ducking, rate_hz=self.rate_hz)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End; listeners get nothing from then on."""
        self._stop.set()
        self._thread.join(timeout=5)

    def lose(self, why: str) -> None:
        """The source is gone: end, and say why."""
        self.stopped_why = why
        self.stop()

    @property
    def dropouts(self) -> int:
        """Gaps that anyone heard: blocks that came too late, and edges that ran dry."""
        return self._late + sum(seat.edge.dropouts for seat in self._seats)

    @property
    def beside(self) -> set[str]:
        """What is heard beside the first voice, by key."""
        return {path.key for path in self._voices[1:]} | set(self._players)

    @property
    def seats(self) -> tuple[Seat, ...]:
        """Who listens."""
        return tuple(self._seats)

    def delay_of(self, seat: Seat) -> PathDelay:
        """Where the time of a listener's path goes."""
        per_ms = self.rate_hz / 1000.0
        chain = self._voices[0].chain.delay_samples / per_ms
        return PathDelay(chain, self._engine.delay_samples / per_ms, 1000.0 * self.block_s, 1000.0 * seat.edge.delay_s)

    def change_chain(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages or settings of the first voice without a gap or a click."""
        with self._lock:
            self._voices[0].change(specification)

    def change_mixes(self, mixes: Sequence[Mix], inputs: Mapping[str, str]) -> None:
        """Go over to other mixes without a click. Who listens stays as it is."""
        with self._lock:
            self._mixes = list(mixes)
            self._engine.change(mixes)
            self.inputs = dict(inputs)

    def treat_return(self, of: str, plan: ReturnPlan) -> None:
        """Treat what comes back from a listener from now on, without a click."""
        with self._lock:
            for path in self.returns:
                if path.of == of:
                    path.treat(plan)

    @property
    def marker_in_flight(self) -> bool:
        """Whether a marker is on its way."""
        return self._marker is not None

    def send_marker(self, level_dbfs: float, feed_lufs: Mapping[str, float], done: Callable[[dict[str, Heard]], None]) -> None:
        """Send every code with the coming blocks: raw and treated at a level, each feed's own 24 dB under its loudness."""
        raw = marker_sound("raw", level_dbfs=level_dbfs, rate_hz=self.rate_hz)
        treated = marker_sound("treated", level_dbfs=level_dbfs, rate_hz=self.rate_hz)
        feeds = {
            seat.key: marker_sound(feed_path(seat.number), level_dbfs=marker_level_dbfs(feed_lufs[seat.key]), rate_hz=self.rate_hz)
            for seat in self._seats
            if seat.key in feed_lufs
        }
        needed = round((MARKER_S + _MARKER_TAIL_S) * self.rate_hz)
        with self._lock:
            self._marker = _MarkerInFlight(raw, treated, feeds, needed, done)

    def _work(self) -> None:
        count = round(self.block_s * self.rate_hz)
        self.priority_raised = self._urgent and _come_first()
        switching = sys.getswitchinterval()
        sys.setswitchinterval(_SWITCH_S)
        began, done_frames, told = time.monotonic(), 0, 0.0
        meter = BlockMeter(self.rate_hz)
        try:
            while not self._stop.is_set():
                blocks = {path.key: path.read(count) for path in self._voices}
                first = blocks[self._voices[0].key]
                self._aside(first)
                at = time.perf_counter()
                treated = self.step(blocks)
                share = (time.perf_counter() - at) / (len(first) / self.rate_hz)
                self.load += (share - self.load) * _LOAD_SHARE
                per_second = self.rate_hz * (self._speed or 1.0)
                if not done_frames:
                    # What loads with the first block is not late for anybody.
                    began = time.monotonic() - len(first) / per_second
                done_frames += len(first)
                if self._speed is not None:
                    wait = began + done_frames / per_second - time.monotonic()
                    if wait < -_LATE_S:
                        self._late += 1
                        began -= wait
                    elif wait > 0:
                        time.sleep(wait)
                else:
                    time.sleep(0.0005)
                for frame in meter.add(treated):
                    self._tell("frame", frame_json(frame, "run"))
                if time.monotonic() - told > _TELL_EVERY_S:
                    told = time.monotonic()
                    self._tell("live", self._live(treated))
        except SourceGone as error:
            self.stopped_why = str(error)
        except Exception as error:
            self.stopped_why = f"The run failed inside ({type(error).__name__}) and stopped; listeners get silence. Start it again."
        finally:
            sys.setswitchinterval(switching)
            for path in self._voices:
                path.stream.close()
            self.finished.set()
            self._tell("changed", {})

    def _live(self, treated: Samples) -> dict[str, object]:
        # The lowest gain since it was told last: a peak that is held passes in a few blocks.
        limited, self._limited_db = self._limited_db, {}
        return {
            "level_dbfs": _shown(rms_dbfs(treated)), "peak_dbfs": _shown(peak_dbfs(treated)), "load": round(self.load, 3),
            "duck": round(self._engine.duck_share, 2), "to": {key: _shown(level) for key, level in self.levels_dbfs.items()},
            "limited": {key: round(gain, 1) for key, gain in limited.items() if gain <= -_WORTH_TELLING_DB},
        }  # fmt: skip

    def step(self, blocks: Mapping[str, Samples]) -> Samples:
        """One block of every voice through to every listener; returns the first voice treated."""
        first = self._voices[0].key
        count = len(blocks[first])
        with self._lock:
            marker = self._marker
            if marker is not None and marker.at == 0:
                # Asked for while a block is being given, a position read then would be one block early.
                marker.starts = {s.key: (s.program.position, s.program.returned_position) for s in self._seats}
            signals: dict[str, Samples] = {}
            for path in self._voices:
                raw = into_chain = blocks[path.key]
                if marker is not None and path.key == first:
                    raw, into_chain = raw + _piece(marker.raw, marker.at, count), raw + _piece(marker.treated, marker.at, count)
                signals[f"{path.key} raw"], signals[f"{path.key} treated"] = path.treat(raw, into_chain)
                # Programs that pick the device itself hear it as it comes.
                signals[f"{path.key} at once"] = raw
            troubles = [sentence for path in self._voices for sentence in path.troubles()]
            signals |= self._played(count)
            mixed = self._mixed(signals, count)
            if marker is not None:
                for key, code in marker.feeds.items():
                    if key in mixed:
                        mixed[key] = mixed[key] + _piece(code, marker.at, count)[:, None]
                marker.at += count
            inputs = self.inputs
        for sentence in troubles:
            self._tell("trouble", {"sentence": sentence})
        for seat in self._seats:
            if not seat.failed:
                self._give(seat, self._picked(seat, inputs, signals, mixed, count))
        if self._tap is not None:
            self._tap(signals, mixed)
        if marker is not None and marker.at >= marker.needed:
            self._marker = None
            # Looking for it takes longer than a block lasts, so it is done beside the run.
            threading.Thread(target=marker.done, args=(self._heard(marker),), daemon=True).start()
        return signals[f"{first} treated"]

    def _played(self, count: int) -> dict[str, Samples]:
        found: dict[str, Samples] = {}
        for key, player in self._players.items():
            found[key] = player.read(count)
        for path in self.returns:
            if path.failed:
                continue
            try:
                found[f"return-{path.of}"] = path.take(count)
            except Exception as error:
                path.failed = True
                self._trouble(f"What comes back from {path.program.name} failed ({error}) and is silent now; the rest goes on.")
        return found

    def _mixed(self, signals: Mapping[str, Samples], count: int) -> dict[str, Samples]:
        """The mixes; silence where making them fails, and from then on with everything in them begun afresh."""
        try:
            mixed = self._engine.process(signals)
            self._broken = False
        except Exception as error:
            if self._broken:
                raise
            self._broken = True
            self._engine = self._new_engine()
            mixed = {mix.listener: np.zeros((count, mix.channels)) for mix in self._mixes}
            self._trouble(f"Mixing failed ({type(error).__name__}); every listener got silence for a moment, and it begins afresh.")
        for key, block in mixed.items():
            self.levels_dbfs[key] = rms_dbfs(block.mean(axis=1))
            self._limited_db[key] = min(self._limited_db.get(key, 0.0), self._engine.limited_db(key))
        return mixed

    def _picked(
        self, seat: Seat, inputs: Mapping[str, str], signals: Mapping[str, Samples], mixed: Mapping[str, Samples], count: int
    ) -> Samples:
        name = inputs.get(seat.program.picks or "") if seat.own_feed is not None else f"mix {seat.key}"
        block = _input(name, signals, mixed, count)
        also = inputs.get(seat.program.settings.also or "")
        if also is None:
            return block
        second = _input(also, signals, mixed, count)
        return _mono(block) + _mono(second)

    def _give(self, seat: Seat, block: Samples) -> None:
        try:
            seat.hear(block)
        except Exception as error:
            # One listener that fails must not silence the others.
            seat.failed = True
            self._trouble(f"{seat.program.name} failed ({error}) and gets nothing more; the rest goes on. Stop live, mend it, start again.")

    def _trouble(self, sentence: str) -> None:
        self._tell("trouble", {"sentence": sentence})

    def _heard(self, marker: _MarkerInFlight) -> dict[str, Heard]:
        found = {}
        for seat in self._seats:
            if seat.key not in marker.starts:
                continue
            heard, returned = marker.starts[seat.key]
            program, kept = seat.program, seat.sent.position - seat.sent.oldest()
            before = program.position - round(kept * program.takes_hz / self.rate_hz)
            found[seat.key] = Heard(
                program.rate_hz, program.takes_hz, program.heard_since(heard), program.returned_since(returned),
                seat.sent.since(seat.sent.oldest()), program.heard_since(before),
            )  # fmt: skip
        return found


def _come_first() -> bool:
    """Ask the system to run this thread before others, by its own rights for sound where it grants them, else by niceness."""
    with suppress(OSError, AttributeError):
        # Niceness counts only among the programs of one session, so a busy browser of another would still hold it up. What is begun from
        # here, such as looking for a marker, is not urgent.
        os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(_REAL_TIME))
        return True
    with suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
        return True
    return False


def _input(name: str | None, signals: Mapping[str, Samples], mixed: Mapping[str, Samples], count: int) -> Samples:
    """What an input carries; silence where there is no such input."""
    if name is None:
        return np.zeros(count)
    if name.startswith("mix "):
        return mixed.get(name.removeprefix("mix "), np.zeros(count))
    return signals.get(name, np.zeros(count))


def _mono(block: Samples) -> Samples:
    return block if block.ndim == 1 else np.asarray(block.mean(axis=1))


def _piece(sound: Samples, at: int, count: int) -> Samples:
    part = sound[at : at + count]
    return part if len(part) == count else np.concatenate([part, np.zeros(count - len(part))])


def _shown(level: float) -> float | None:
    return round(level, 1) if np.isfinite(level) else None


class Loop:
    """A take played round and round: the live source of someone who works from files."""

    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._samples = samples
        self._at = 0

    def read(self, count: int) -> Samples:
        """The next samples, from the beginning again after the end."""
        block = np.take(self._samples, np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._samples)
        return block

    def close(self) -> None:
        """Nothing to let go of."""
