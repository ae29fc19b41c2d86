"""What is live in the process of the voice, as the page's program knows it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.mix.marker_codes import MarkerCodes
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.voice_link import VoiceLink
from obsidian_wren.service.live.voice_tracks import LentMicrophone, Tracks
from obsidian_wren.voice import asking, records
from obsidian_wren.voice.frames import frame_json
from obsidian_wren.voice.marker_flight import HeardMarker
from obsidian_wren.voice.paths import KEPT_S, PathDelay
from obsidian_wren.voice.shared import Wanted

# So old may be what is known of it when somebody asks.
_FRESH_S = 0.1


@dataclass(frozen=True)
class VoiceSeat:
    """A listener of what is live: its key and number, what it is called, the title of its feed,
    None for headphones; by how much its clock is slower than ours as far as that is learned, and
    how long sound waits at its edge beyond a block."""

    key: str
    number: int
    name: str
    own_feed: str | None
    drift_ppm: float
    waiting_s: float
    settings: ProgramSettings = field(default_factory=ProgramSettings)


class VoiceRun:
    """One run; it is asked of the voice with :meth:`begin`, or was found with how it stands."""

    def __init__(
        self,
        link: VoiceLink,
        wanted: records.Start,
        take: Samples | None = None,
        *,
        stands: records.Status | None = None,
    ) -> None:
        self._wanted, self._is_begun = wanted, stands is not None
        self.rate_hz = wanted.rate_hz
        self.finished = threading.Event()
        self.marker_in_flight = False
        self._link, self._take = link, take
        self._stands, self._asked_s = stands or records.Status(), 0.0
        self._is_over = False
        self._lost_why: str | None = None
        self._began: Callable[[], None] = lambda: None
        self._tracks: dict[str, Tracks] = {}
        if stands is not None:
            self._see(stands)

    def begin(self, before: VoiceRun | None) -> None:
        """Be live, in the place of what was. Raises Refused; what was goes on then."""
        try:
            if self._take is not None:
                self._link.ask(records.KeepTake(records.bytes_of(self._take)))
            self._link.ask(self._wanted)
        except asking.VoiceRefused as error:
            raise Refused(error.code, str(error)) from error
        if before is not None:
            before.over()
        self._is_begun, self._asked_s = True, 0.0

    @property
    def wanted(self) -> records.Start:
        """What it runs, as it was changed by now."""
        if self._is_begun and not self._is_over and self._link.running is not None:
            self._wanted = self._link.running
        return self._wanted

    def stop(self) -> None:
        """End; listeners get nothing from then on."""
        self._tell(records.Stop())
        self.over()
        try:
            self._link.renew()
        except asking.VoiceRefused as error:
            self._link.told("trouble", {"sentence": str(error)})

    def over(self) -> None:
        """It runs no more, or nobody here follows it any more."""
        self._is_over = True
        self._end()

    def _end(self) -> None:
        self.finished.set()
        for tracks in list(self._tracks.values()):
            tracks.end()

    def stop_because(self, why: str) -> None:
        """End, and say why."""
        self._tell(records.Stop())
        self.lose(why)

    def lose(self, why: str) -> None:
        """The voice ended by itself."""
        self._lost_why = why
        self._end()

    def look(self) -> bool:
        """See how it stands; whether it began or ended to sound since it was looked at."""
        before, found = self.finished.is_set(), self._link.status()
        if found is None or self._is_over:
            return False
        if found.running is None:
            # It was begun anew and could not run.
            self._end()
        else:
            self._stands = found
            self._see(found)
        return before != self.finished.is_set()

    def meter(
        self, tell: Callable[[str, dict[str, Any]], None], watched: Callable[[], bool]
    ) -> None:
        """Tell twenty times a second how loud the treated voice is, as long as it is ``watched``.
        Raises Refused."""
        meter = BlockMeter(self.rate_hz)

        def hear(blocks: tuple[Samples, ...]) -> None:
            if watched():
                for frame in meter.add(blocks[0][:, 0]):
                    tell("frame", frame_json(frame, "run"))

        self.follow("meter", [records.Track("voice treated")], hear)

    def _see(self, stands: records.Status) -> None:
        if stands.live:
            self._lost_why = None
            self.finished.clear()
        elif stands.silent_because is not None:
            self.finished.set()

    @property
    def _now(self) -> records.Status:
        if time.monotonic() - self._asked_s > _FRESH_S:
            found = self._link.status()
            self._asked_s = time.monotonic()
            if found is not None and found.running is not None:
                self._stands = found
        return self._stands

    @property
    def stopped_why(self) -> str | None:
        """Why it is silent."""
        return self._lost_why or self._stands.silent_because

    @property
    def source_gone(self) -> bool:
        """Whether it is worth trying again: the microphone went away, or the voice."""
        return self._lost_why is not None or self._stands.source_gone

    @property
    def dropouts(self) -> int:
        """Gaps so far."""
        return self._now.gaps

    @property
    def microphone_gaps(self) -> int:
        """How often sound was lost before the voice had it."""
        return self._now.microphone_gaps

    @property
    def recorded(self) -> records.RecordingStatus | None:
        """What is recorded of it."""
        return self._now.recording

    @property
    def loudspeaker(self) -> records.LoudspeakerStatus | None:
        """What is taken out of what a loudspeaker plays, where it is."""
        return self._now.loudspeaker

    @property
    def load(self) -> float:
        """The share of a core."""
        return self._now.load

    @property
    def block_s(self) -> float:
        """How long a block is, s."""
        return self._now.block_s or self.wanted.block_s

    @property
    def priority_raised(self) -> bool:
        """Whether the system lets it come first."""
        return self._now.priority_raised

    @property
    def beside(self) -> set[str]:
        """What is heard beside the voice, by key."""
        return set(self.wanted.sources)

    @property
    def seats(self) -> tuple[VoiceSeat, ...]:
        """Who listens."""
        known = self._now.seats
        return tuple(
            VoiceSeat(
                seat.key,
                seat.number,
                seat.name,
                seat.feed,
                known[seat.key].drift_ppm if seat.key in known else 0.0,
                known[seat.key].waiting_s if seat.key in known else seat.waiting_s,
                ProgramSettings() if seat.program is None else seat.program.settings,
            )
            for seat in self.wanted.seats
        )

    def delay_of(self, seat: VoiceSeat) -> PathDelay:
        """Where the time of a listener's path goes."""
        found = self._now.seats.get(seat.key)
        if found is None:
            return PathDelay(0.0, 0.0, 1000.0 * self.block_s, 0.0)
        return PathDelay(found.chain_ms, found.mix_ms, found.block_ms, found.edge_ms)

    def change_chain(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages without a click."""
        stages = tuple(records.stage_of(spec) for spec in specification)
        self._change(records.ChangeChain(stages))

    def change_mixes(self, mixes: Sequence[Mix], inputs: Mapping[str, str]) -> None:
        """Go over to other mixes without a click."""
        self._change(records.ChangeMixes(tuple(mixes), dict(inputs)))

    def mute(self, listeners: frozenset[str]) -> None:
        """Keep the voice out of the mixes of these listeners."""
        self._change(records.Mute(listeners))

    def treat_return(self, of: str, specs: Sequence[StageSpec]) -> None:
        """Treat the return from a listener without a click."""
        self._change(records.TreatReturn(of, tuple(records.stage_of(spec) for spec in specs)))

    def _change(self, asked: records.Request) -> None:
        if records.after(self.wanted, asked) != self.wanted:
            self._tell(asked)

    def press_clip(self, number: int, sound: Samples) -> None:
        """Play a clip ``(n,)``."""
        self._tell(records.PressClip(number, records.bytes_of(sound)))

    def release_clip(self, number: int) -> None:
        """Stop a clip."""
        self._tell(records.PressClip(number))

    def push(self, samples: Samples) -> None:
        """The next piece ``(n,)`` of a microphone that the page opened. Raises VoiceRefused."""
        self._link.ask(records.Push(records.bytes_of(samples)))

    def sent_to(self, key: str, seconds: float) -> Samples:
        """The last of what was sent to a listener, ``(n,)``."""
        return self._sound(records.AskSound(key, "sent", seconds))

    def returned(self) -> dict[str, Samples]:
        """What came back so far from each listener that something comes back from, ``(n,)``."""
        return {
            key: self._sound(records.AskSound(key, "returned", KEPT_S))
            for key in self.wanted.returns
        }

    def _sound(self, asked: records.AskSound) -> Samples:
        try:
            found = cast(records.Sound, self._link.ask(asked))
        except asking.VoiceRefused:
            return np.zeros(0)
        return records.samples_of(found.samples)

    def send_marker(
        self,
        codes: MarkerCodes,
        done: Callable[[dict[str, HeardMarker]], None],
        began: Callable[[], None] = lambda: None,
        failed: Callable[[str], None] = lambda sentence: None,
    ) -> None:
        """Hear every feed first, as any program would, then send every code; ``began`` is called
        when it is sent. ``done`` or ``failed`` is called from a thread."""
        self.marker_in_flight, self._began = True, began
        asked = records.SendMarker(
            records.bytes_of(codes.raw),
            records.bytes_of(codes.treated),
            {key: records.bytes_of(code) for key, code in codes.feeds.items()},
            {key: records.bytes_of(code) for key, code in codes.returns.items()},
        )

        def work() -> None:
            try:
                found = cast(records.MarkerHeard, self._link.ask_aside(asked))
                done({key: _heard(one, found.lost) for key, one in found.at.items()})
            except asking.VoiceRefused as error:
                failed(str(error))
            finally:
                self.marker_in_flight = False

        threading.Thread(target=work, name="marker", daemon=True).start()

    def marker_began(self) -> None:
        """The marker is sent now."""
        self._began()

    def follow(
        self, name: str, tracks: Sequence[Wanted], hear: Callable[[tuple[Samples, ...]], None]
    ) -> Callable[[], None]:
        """Hear tracks under a name from now on, blocks ``(n, channels)`` of each; gives what ends
        it, when everything that was there has been heard. Raises Refused."""
        try:
            found = Tracks(self._link, name, tracks, hear)
        except (asking.VoiceRefused, OSError) as error:
            raise Refused("not-live", str(error)) from error
        self._tracks[name] = found

        def end() -> None:
            self._tracks.pop(name, None)
            found.end()

        return end

    def lend(self, name: str) -> LentMicrophone | None:
        """The microphone that is live, for somebody else too; None where it is another one."""
        if self.finished.is_set() or self.wanted.source != "system":
            return None
        if self.wanted.microphone != name:
            return None
        try:
            return LentMicrophone(
                self._link, is_over=self.finished.is_set, lost=lambda: self.microphone_gaps
            )
        except (asking.VoiceRefused, OSError):
            return None

    def _tell(self, request: records.Request) -> None:
        """What is asked while the voice is begun anew is what it is begun with."""
        try:
            self._link.ask(request)
        except asking.VoiceRefused as error:
            self._link.told("trouble", {"sentence": str(error)})


def _heard(found: records.Heard, lost: int) -> HeardMarker:
    return HeardMarker(
        found.rate_hz,
        found.takes_hz,
        records.samples_of(found.heard),
        records.samples_of(found.returned),
        records.samples_of(found.sent_before),
        records.samples_of(found.heard_before),
        found.began_s,
        found.start,
        found.before_s,
        found.arrived_s,
        lost + found.gaps,
    )
