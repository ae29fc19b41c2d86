"""The voice: what is live as it was asked for, taken up again by itself where the microphone went
away, and feeds that are silent where nothing is."""

from __future__ import annotations

import gc
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import msgspec
import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.wording import worded
from obsidian_wren.ports.system_sound import NoSoundServer, SystemFeed, SystemSound
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice import records
from obsidian_wren.voice.channel import OneChannel
from obsidian_wren.voice.moving import ensure_joined
from obsidian_wren.voice.pace import PATIENCE_S, Pacing
from obsidian_wren.voice.paths import Seat, VoicePath
from obsidian_wren.voice.run import LiveRun
from obsidian_wren.voice.silence import Silence
from obsidian_wren.voice.system_ends import NamedInput
from obsidian_wren.voice.unread import Unread, join_anew

_LOOK_EVERY_S = 0.2
_NO_DUCKING = Ducking(0.0, 15.0, 250.0, 400.0)
Tell = Callable[[str, dict[str, Any]], None]


class Voice:
    """Over a sound server; ``tell`` is given what happens, from any thread."""

    def __init__(self, system: SystemSound, tell: Tell) -> None:
        self._system, self._tell = system, tell
        self._wanted: records.Start | None = None
        self._run: LiveRun | None = None
        self._because: str | None = None
        self._gaps_before = 0
        self._feeds: dict[str, SystemFeed] = {}
        self._unread = Unread()
        self._titles: dict[str, str] = {}
        # Held while something is begun or ended, never while sound is made.
        self._changing = threading.RLock()
        self._woken, self._ended = threading.Event(), threading.Event()
        self._silence = Silence(self._silent)
        system.look()
        self._end_watch = system.watch(self._woken.set)
        self._attendant = threading.Thread(target=self._attend, name="attendant", daemon=True)
        self._attendant.start()

    def start(self, wanted: records.Start) -> None:
        """Be live. Raises SourceGone, NoSoundServer; what was live goes on where it cannot be."""
        with self._changing:
            run = self._made(wanted)
            before, self._run = self._run, run
            self._gaps_before = 0
            if before is not None:
                before.stop()
            self._wanted, self._because = wanted, None
            self._begin(run)

    def _begin(self, run: LiveRun) -> None:
        # What is loaded by now stays: looking through it would hold a block up.
        gc.collect()
        gc.freeze()
        gc.disable()
        run.start()

    def change_chain(self, stages: tuple[records.Stage, ...]) -> None:
        """Go over to other stages without a click."""
        specs = [records.spec_of(stage) for stage in stages]
        with self._changing:
            if self._wanted is not None:
                self._wanted = msgspec.structs.replace(self._wanted, stages=stages)
            if self._run is not None:
                self._run.change_chain(specs)

    def change_mixes(self, asked: records.ChangeMixes) -> None:
        """Go over to other mixes without a click."""
        with self._changing:
            if self._wanted is not None:
                self._wanted = msgspec.structs.replace(
                    self._wanted, mixes=asked.mixes, inputs=asked.inputs
                )
            if self._run is not None:
                self._run.change_mixes(asked.mixes, asked.inputs)

    def mute(self, listeners: frozenset[str]) -> None:
        """Keep the voice out of the mixes of these listeners."""
        with self._changing:
            if self._wanted is not None:
                self._wanted = msgspec.structs.replace(self._wanted, muted=listeners)
            if self._run is not None:
                self._run.mute(listeners)

    def stop(self) -> None:
        """Be live no more."""
        with self._changing:
            run, self._run, self._wanted, self._because = self._run, None, None, None
            if run is not None:
                run.stop()
        gc.enable()

    def status(self) -> records.Status:
        """How things stand."""
        run, wanted = self._run, self._wanted
        if run is None or wanted is None:
            return records.Status(silent_because=self._because, running=wanted)
        passed = None if self._because is not None else run.passing.take()
        delay_ms = None
        if passed is not None and run.seats:
            ours = run.delay_of(run.seats[0])
            delay_ms = ours.total_ms + (passed.waited_ms or 0.0)
        return records.Status(
            live=self._because is None,
            level_dbfs=None if passed is None else passed.level_dbfs,
            peak_dbfs=None if passed is None else passed.peak_dbfs,
            delay_ms=delay_ms,
            gaps=self._gaps_before + run.dropouts,
            load=run.load,
            block_s=run.block_s,
            priority_raised=run.priority_raised,
            silent_because=self._because,
            running=wanted,
        )

    def end(self) -> None:
        """Everything ends; feeds that programs record carry silence until nobody does."""
        self._ended.set()
        self._woken.set()
        self.stop()
        self._attendant.join(timeout=5)
        self._end_watch()
        kept = set[str]()
        with suppress(NoSoundServer):
            kept = self._system.hand_over(self._feeds, stay=False)
        self._silence.end()
        for key, feed in self._feeds.items():
            feed.close()
            if key not in kept:
                with suppress(NoSoundServer):
                    self._system.remove_input(key)

    def _made(self, wanted: records.Start) -> LiveRun:
        specs = [records.spec_of(stage) for stage in wanted.stages]
        # What loads with the first block would hold the microphone up.
        VoiceChain(specs, wanted.rate_hz).process(np.zeros(round(wanted.block_s * wanted.rate_hz)))
        for seat in wanted.seats:
            self._ensure(seat.key, seat.feed, seat.channels)
        microphone = self._system.open_microphone(
            wanted.microphone,
            rate_hz=wanted.rate_hz,
            channels=wanted.channel + 1,
            block_s=wanted.block_s,
            patience_s=PATIENCE_S,
        )
        stream = OneChannel(microphone, wanted.channel)
        run = LiveRun(
            [VoicePath("voice", stream, specs)],
            [self._seat(seat, wanted.rate_hz) for seat in wanted.seats],
            wanted.inputs,
            wanted.mixes,
            ducking=wanted.ducking or _NO_DUCKING,
            tell=self._tell,
            pacing=Pacing(
                None,
                urgent=True,
                block_s=wanted.block_s,
                adapts=wanted.adapts,
                brokered=True,
            ),
            metered=wanted.metered,
        )
        run.mute(wanted.muted)
        return run

    def _ensure(self, key: str, title: str, channels: int) -> None:
        feed, wanted = self._feeds.get(key), (title, channels)
        if feed is not None and feed.is_whole and (self._titles[key], feed.channels) == wanted:
            return
        if feed is not None:
            feed.close()
        self._feeds[key] = ensure_joined(self._system, key, title, channels)
        self._titles[key] = title

    def _seat(self, seat: records.SeatRecord, rate_hz: int) -> Seat:
        end = NamedInput(
            self._system,
            seat.key,
            seat.kind,
            seat.name,
            feed=lambda: self._feeds.get(seat.key),
            wrote=lambda: None,
            back=lambda: None,
        )
        end.picks = seat.feed
        return Seat(
            seat.key,
            seat.number,
            end,
            own_feed=seat.feed,
            rate_hz=rate_hz,
            channels=seat.channels,
            waiting_s=seat.waiting_s,
        )

    def _silent(self) -> list[tuple[SystemFeed, float]]:
        run = self._run
        if run is not None and not run.finished.is_set():
            return []
        return [(feed, 0.0) for feed in list(self._feeds.values())]

    def _attend(self) -> None:
        """Follow what changes by itself: programs that were moved away, a microphone that went away
        and is back, a feed that is lost."""
        while not self._ended.is_set():
            changed = self._woken.wait(_LOOK_EVERY_S)
            self._woken.clear()
            if self._ended.is_set():
                return
            if changed:
                self._system.look()
            for listener, feed in self._system.take_back():
                self._tell(
                    "trouble",
                    {
                        "sentence": worded(
                            "The sound server had moved {program} to your microphone itself. It"
                            " hears “{title}” again.",
                            program=listener.program,
                            title=feed.title,
                        )
                    },
                )
            for key in self._unread.due(self._system, self._feeds):
                with self._changing, suppress(NoSoundServer):
                    join_anew(self._system, self._feeds, self._titles, key)
            self._take_up()

    def _take_up(self) -> None:
        run, wanted = self._run, self._wanted
        if run is None or wanted is None or not run.finished.is_set():
            return
        if self._because is None:
            self._because = run.stopped_why
            self._tell("changed", {})
        if not run.source_gone:
            return
        with self._changing:
            if self._run is not run or self._wanted is None:
                return
            try:
                made = self._made(self._wanted)
            except (SourceGone, NoSoundServer):
                return
            self._gaps_before += run.dropouts
            self._run, self._because = made, None
            self._begin(made)
        self._tell("changed", {})
