"""The live run: voices, players and returns into the mixes, a mix to every listener, block by
block, with the marker on request."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import peak_dbfs, rms_dbfs
from obsidian_wren.core.mix.block import BlockWatch, load_mark
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.mix.marker_codes import MarkerCodes
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import Player, SourceGone
from obsidian_wren.voice.marker_flight import HeardMarker, MarkerInFlight
from obsidian_wren.voice.pace import Pace, Pacing
from obsidian_wren.voice.passed import PassedBlocks
from obsidian_wren.voice.paths import HeldBack, PathDelay, ReturnPath, Seat, VoicePath
from obsidian_wren.voice.priority import come_first, quick_switching
from obsidian_wren.voice.records import LoudspeakerStatus
from obsidian_wren.voice.safe_mixer import SafeMixer

if TYPE_CHECKING:
    from obsidian_wren.core.mix.spill_gate import SpillGate


def picked(
    seat: Seat,
    inputs: Mapping[str, str],
    signals: Mapping[str, Samples],
    mixed: Mapping[str, Samples],
    count: int,
) -> Samples:
    """A block ``(count,)`` or ``(count, channels)`` of what a listener has picked; two inputs are
    folded to one channel and added."""
    name = inputs.get(seat.program.picks or "") if seat.own_feed is not None else f"mix {seat.key}"
    block = _input(name, signals, mixed, count)
    also = inputs.get(seat.program.settings.also or "")
    if also is None:
        return block
    return mono(block) + mono(_input(also, signals, mixed, count))


def _input(
    name: str | None, signals: Mapping[str, Samples], mixed: Mapping[str, Samples], count: int
) -> Samples:
    """What an input carries; silence where there is no such input."""
    if name is None:
        return np.zeros(count)
    if name.startswith("mix "):
        return mixed.get(name.removeprefix("mix "), np.zeros(count))
    return signals.get(name, np.zeros(count))


class _SpillGains:
    """The gains of two voices against each other's spill, when the sound is there that they are
    for."""

    def __init__(self, gate: SpillGate, voices: Sequence[VoicePath]) -> None:
        self.gate, self._voices = gate, voices
        self._late = [
            HeldBack(self._delay(path), path.stream.rate_hz, before=1.0) for path in voices
        ]
        self._opened = 0.0

    def _delay(self, path: VoicePath) -> int:
        return path.delay_samples - self.gate.ahead_samples

    def lower(
        self, signals: dict[str, Samples], blocks: Mapping[str, Samples], *, opened: bool
    ) -> None:
        """Lower what is treated by what the ``blocks`` of both microphones say; ``opened``:
        neither."""
        first, second = self._voices
        gains = self.gate.process(blocks[first.key], blocks[second.key])
        ramp = np.linspace(self._opened, float(opened), gains.shape[1])
        self._opened = float(opened)
        for path, late, gain in zip(self._voices, self._late, gains, strict=True):
            late.change(self._delay(path))
            held = late.process(gain)
            signals[f"{path.key} treated"] = signals[f"{path.key} treated"] * (
                held + (1.0 - held) * ramp
            )


_TELL_EVERY_S = 0.2
_LOAD_SHARE = 0.02
# A limiter that takes less is not worth a word.
_WORTH_TELLING_DB = 0.5
Tell = Callable[[str, dict[str, object]], None]
# Blocks of every signal, and of every mix, as one goes by: what a recorder takes its tracks from.
Tap = Callable[[Mapping[str, Samples], Mapping[str, Samples]], None]


class LiveRun:
    """One run.

    ``inputs`` maps the names that programs pick to a signal (``voice raw``) or to a listener's mix
    (``mix KEY``).

    A seat that picks nothing is given
    its own mix. Signals are named as in the mixes: ``voice treated``, ``music``, ``return-KEY``.
    """

    def __init__(
        self,
        voices: Sequence[VoicePath],
        seats: Sequence[Seat],
        inputs: Mapping[str, str],
        mixes: Sequence[Mix],
        *,
        players: Mapping[str, Player] | None = None,
        returns: Sequence[ReturnPath] = (),
        ducking: Ducking,
        tell: Tell,
        pacing: Pacing,
        tap: Tap | None = None,
        played: str = "",
        spill: SpillGate | None = None,
    ) -> None:
        self.rate_hz = voices[0].stream.rate_hz
        self.block_s = pacing.block_s
        self.stopped_why: str | None = None
        # The microphone went away, so it is worth trying again.
        self.source_gone = False
        self.finished = threading.Event()
        self.load = 0.0
        self.priority_raised = False
        # Blocks in which anyone lost sound: that came too late, that the microphone sent and nobody
        # took in time, that an edge lacked, or that did not get to who listens.
        self.dropouts = 0
        self.passing = PassedBlocks()
        self._voices = list(voices)
        self._spill = None if spill is None else _SpillGains(spill, self._voices[:2])
        self._seats = list(seats)
        self.inputs = dict(inputs)
        self._mixer = SafeMixer(mixes, ducking, self.rate_hz, [path.key for path in voices])
        self._players = dict(players or {})
        self.returns = list(returns)
        self._tell = tell
        self._pacing = pacing
        self._tap = tap
        # From what it is known what a loudspeaker plays.
        self._known_from = played
        self._blocks = BlockWatch(1000.0 * self.block_s) if pacing.adapts else None
        self._stop = threading.Event()
        self._marker: MarkerInFlight | None = None
        self._lock = threading.Lock()
        self._lost_before = self._lost
        self._thread = threading.Thread(target=self._work, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End; listeners get nothing from then on."""
        self._stop.set()
        self._thread.join(timeout=5)

    @property
    def microphone_gaps(self) -> int:
        """How often sound was lost before anybody here had it."""
        return sum(int(getattr(path.stream, "gaps", 0)) for path in self._voices)

    @property
    def _lost(self) -> int:
        return self.microphone_gaps + sum(
            seat.edge.dropouts + seat.program.gaps for seat in self._seats
        )

    @property
    def seats(self) -> tuple[Seat, ...]:
        """Who listens."""
        return tuple(self._seats)

    def delay_of(self, seat: Seat) -> PathDelay:
        """Where the time of a listener's path goes."""
        per_ms = self.rate_hz / 1000.0
        chain = self._voices[0].delay_samples / per_ms
        return PathDelay(
            chain,
            self._mixer.delay_samples / per_ms,
            1000.0 * self.block_s,
            1000.0 * (seat.edge.delay_s + seat.program.delay_s),
        )

    def loudspeaker(self) -> LoudspeakerStatus | None:
        """What is taken out of what a loudspeaker plays, where it is."""
        removal = self._voices[0].removal
        if removal is None:
            return None
        return LoudspeakerStatus(
            None if removal.lag_s is None else 1000.0 * removal.lag_s,
            removal.lowered_db,
            removal.drift_ppm,
            1000.0 * removal.delay_samples / self.rate_hz,
        )

    def change_chain(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages or settings of the first voice without a gap or a click."""
        with self._lock:
            self._voices[0].change(specification)

    def change_mixes(self, mixes: Sequence[Mix], inputs: Mapping[str, str]) -> None:
        """Go over to other mixes without a click. Who listens stays as it is."""
        with self._lock:
            self._mixer.change(mixes)
            self.inputs = dict(inputs)

    def mute(self, listeners: frozenset[str]) -> None:
        """Keep the voices out of the mixes of these listeners, without a click."""
        with self._lock:
            self._mixer.mute(listeners)

    def treat_return(self, of: str, specs: Sequence[StageSpec]) -> None:
        """Treat the return from a listener from now on, without a click."""
        with self._lock:
            for path in self.returns:
                if path.of == of:
                    path.treat(specs)

    def sent_to(self, key: str, seconds: float) -> Samples:
        """The last of what was sent to a listener, ``(n,)``."""
        found = next((seat.sent for seat in self._seats if seat.key == key), None)
        return np.zeros(0) if found is None else _last(found, round(seconds * self.rate_hz))

    def returned(self) -> dict[str, Samples]:
        """What came back so far from each listener that something comes back from, ``(n,)``."""
        return {path.of: path.raw.since(path.raw.oldest()) for path in self.returns}

    @property
    def marker_in_flight(self) -> bool:
        """Whether a marker is on its way."""
        return self._marker is not None

    def send_marker(
        self,
        codes: MarkerCodes,
        done: Callable[[dict[str, HeardMarker]], None],
        began: Callable[[], None] = lambda: None,
        failed: Callable[[str], None] = lambda sentence: None,
    ) -> None:
        """Send every code with the coming blocks; ``began`` is called first. Nothing of it can be
        ``failed``: what ends on the way never says that it is done."""
        marker = MarkerInFlight(codes, self.rate_hz, done)
        began()
        with self._lock:
            self._marker = marker

    def _work(self) -> None:
        with quick_switching(urgent=self._pacing.urgent):
            self._run()

    def _run(self) -> None:
        self.priority_raised = self._pacing.urgent and come_first(brokered=self._pacing.brokered)
        pace, told_s = Pace(self.rate_hz, self._pacing.speed), 0.0
        try:
            while not self._stop.is_set():
                count = round(self.block_s * self.rate_hz)
                blocks = {path.key: path.read(count) for path in self._voices}
                first = blocks[self._voices[0].key]
                at = time.perf_counter()
                treated = self.step(blocks)
                share = (time.perf_counter() - at) / (len(first) / self.rate_hz)
                self.load += (share - self.load) * _LOAD_SHARE
                arrived_s = getattr(self._voices[0].stream, "arrived_s", None)
                self.passing.add(
                    treated, None if arrived_s is None else time.monotonic() - arrived_s
                )
                self._count(late=pace.keep(len(first)))
                self._adapt()
                if time.monotonic() - told_s > _TELL_EVERY_S:
                    told_s = time.monotonic()
                    self._tell("live", self._live(treated))
        except SourceGone as error:
            self.stopped_why, self.source_gone = str(error), True
        except Exception as error:
            self.stopped_why = _(
                "The run had an internal error ({name}) and stopped; listeners get silence."
                " Start it again.",
                name=type(error).__name__,
            )
        finally:
            for path in self._voices:
                path.stream.close()
            for player in self._players.values():
                player.close()
            for back in self.returns:
                back.program.close()
            self.finished.set()
            self._tell("changed", {})

    def _adapt(self) -> None:
        """Another size from the next block on: neither the chain nor the mixes ask for one."""
        if self._blocks is None:
            return
        before = self._blocks.block_ms
        after = self._blocks.see(self.dropouts, time.monotonic())
        if after != before:
            self.block_s = after / 1000.0
            self._tell("changed", {})

    def _count(self, *, late: bool) -> None:
        lost = self._lost
        self.dropouts += late or lost > self._lost_before
        self._lost_before = lost

    def _live(self, treated: Samples) -> dict[str, object]:
        return {
            "level_dbfs": _shown(rms_dbfs(treated)),
            "peak_dbfs": _shown(peak_dbfs(treated)),
            "load": round(self.load, 3),
            "load_mark": load_mark(self.load),
            "duck": round(self._mixer.duck_share, 2),
            "lowered_db": None if self._spill is None else _lowered(self._spill.gate),
            "room_moved_db": _shown(self._voices[0].chain.strayed_db),
            "to": {key: _shown(level) for key, level in self._mixer.levels_dbfs.items()},
            "limited": {
                key: round(gain, 1)
                for key, gain in self._mixer.take_limited_db().items()
                if gain <= -_WORTH_TELLING_DB
            },
        }

    def step(self, blocks: Mapping[str, Samples]) -> Samples:
        """One block of every voice through to every listener; returns the first voice treated."""
        first = self._voices[0].key
        count = len(blocks[first])
        with self._lock:
            marker = self._marker
            if marker is not None:
                marker.begin(self._seats)
            signals = self._played(count)
            if marker is not None:
                marker.on_returns(signals, count)
            played = self._heard_aloud(signals, count)
            for path in self._voices:
                raw = into_chain = blocks[path.key]
                if marker is not None and path.key == first:
                    raw, into_chain = marker.on_voice(raw)
                signals[f"{path.key} raw"], signals[f"{path.key} treated"] = path.treat(
                    raw, into_chain, played
                )
                signals[f"{path.key} as heard"] = blocks[path.key]
                # Programs that pick the device itself hear it raw.
                signals[f"{path.key} at once"] = raw
            if self._spill is not None:
                # What is measured by a marker is not what one of two people is lowered by.
                self._spill.lower(signals, blocks, opened=marker is not None)
            troubles = [sentence for path in self._voices for sentence in path.troubles()]
            mixed, mixing_trouble = self._mixer.process(signals, count)
            if marker is not None:
                marker.on_mixes(mixed, count)
            inputs = self.inputs
        for sentence in [*troubles, *mixing_trouble]:
            self._trouble(sentence)
        for seat in self._seats:
            if not seat.failed:
                self._give(seat, picked(seat, inputs, signals, mixed, count))
        if self._tap is not None:
            self._tap(signals, mixed)
        if marker is not None and marker.over:
            self._marker = None
            # Looking for it takes longer than a block lasts, so it is done beside the run.
            heard = marker.heard_by(self._seats)
            threading.Thread(target=marker.done, args=(heard,), daemon=True).start()
        return signals[f"{first} treated"]

    def _heard_aloud(self, signals: Mapping[str, Samples], count: int) -> Samples:
        """What a loudspeaker plays meanwhile, ``(count,)``, as far as it is known; a simulated room
        hears it."""
        aloud = np.zeros(count)
        for name, block in signals.items():
            if name.startswith("return-") if self._known_from != "computer" else name == "computer":
                aloud = aloud + mono(block)
        play = getattr(self._voices[0].stream, "play", None)
        if play is not None:
            play(aloud)
        return aloud

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
                self._trouble(
                    _(
                        "The return from {name} failed ({error}) and is silent now; everything"
                        " else goes on.",
                        name=path.program.name,
                        error=error,
                    )
                )
        return found

    def _give(self, seat: Seat, block: Samples) -> None:
        try:
            seat.hear(block)
        except Exception as error:
            # One listener that fails must not silence the others.
            seat.failed = True
            self._trouble(
                _(
                    "{name} failed ({error}) and gets nothing more; everything else goes on."
                    " Stop live, fix it, start again.",
                    name=seat.program.name,
                    error=error,
                )
            )

    def _trouble(self, sentence: str) -> None:
        self._tell("trouble", {"sentence": sentence})


def _lowered(gate: SpillGate) -> list[float]:
    """How far each of two people is lowered now, since only the other one talks, dB."""
    return [round(lowered, 1) for lowered in gate.lowered_db]


def _shown(level: float | None) -> float | None:
    return round(level, 1) if level is not None and np.isfinite(level) else None


def _last(ring: Ring, count: int) -> Samples:
    return ring.since(max(ring.oldest(), ring.position - count))
