"""The voice: what is live as it was asked for, taken up again by itself where the microphone went
away, and feeds that are silent where nothing is."""

from __future__ import annotations

import gc
import logging
import threading
import time
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import choose_block
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.marker_codes import MarkerCodes
from obsidian_wren.core.mix.return_plan import SAFE
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import NoSoundServer, SystemSound
from obsidian_wren.ports.world import (
    Listener,
    Player,
    Probe,
    PushedStream,
    SoundStream,
    SourceGone,
)
from obsidian_wren.voice import records
from obsidian_wren.voice.channel import ChannelBeside, OneChannel
from obsidian_wren.voice.feeds import RunningFeeds
from obsidian_wren.voice.listening import HEARD, Listening
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.marker_flight import HeardMarker
from obsidian_wren.voice.moving import said_of
from obsidian_wren.voice.pace import PATIENCE_S, Pacing
from obsidian_wren.voice.pads import Pads
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.voice.rehearsal import rehearse
from obsidian_wren.voice.run import LiveRun
from obsidian_wren.voice.shared import SharedWriter
from obsidian_wren.voice.simulated import Simulated
from obsidian_wren.voice.system_ends import ByOurClock, NamedInput, PlayedTo

if TYPE_CHECKING:
    from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval
    from obsidian_wren.core.mix.spill_gate import SpillGate
    from obsidian_wren.voice.recorder import Recorder

_LOG = logging.getLogger(__name__)
_LOOK_EVERY_S, _LOOK_AGAIN_S, _LOOK_ANYWAY_S = 0.2, 0.5, 5.0
# So much is heard before a marker, to know what the way does to the voice.
# A computer that stands still gives little sound; it is waited for so long.
_HEARD_FIRST_S, _ON_ITS_WAY_S = 3.0, 30.0
_LOOK_S = 0.02
_NO_DUCKING = Ducking(0.0, 15.0, 250.0, 400.0)
Tell = Callable[[str, dict[str, Any]], None]


class VoiceSilent(Told, RuntimeError):
    """Nothing is live; says what to do."""


class Voice:
    """Over a sound server; ``tell`` is given what happens, from any thread. What others read lies
    in ``folder`` where the system has no nameless files. ``open_pushed`` makes a stream, at a rate,
    that is fed from outside. ``simulated`` is what is around it where nothing is real;
    ``is_alone``: the process is its own, so that nothing else in it needs to be looked through for
    what is not used any more, and the desktop may be asked for rights."""

    def __init__(
        self,
        system: SystemSound,
        tell: Tell,
        folder: Path,
        open_pushed: Callable[[int], PushedStream],
        *,
        simulated: Simulated | None = None,
        is_alone: bool = True,
    ) -> None:
        self._simulated, self._is_alone = simulated, is_alone
        self._listening: dict[str, Listening] = {}
        self._system, self._tell, self._folder = system, tell, folder
        self._open_pushed = open_pushed
        self._pushed: PushedStream | None = None
        self._take = np.zeros(1)
        self._wanted: records.Start | None = None
        self._run: LiveRun | None = None
        self._because: str | None = None
        self._gaps_before = 0
        self._ends = records.Ends()
        self._pads = Pads()
        self._recorder: Recorder | None = None
        self._shares: dict[str, SharedWriter] = {}
        self._looked_s = 0.0
        # Held while something is begun or ended, never while sound is made.
        self._changing = threading.RLock()
        self._woken, self._ended = threading.Event(), threading.Event()
        self._feeds = RunningFeeds(system, self._named, self._is_sounding, brokered=is_alone)
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
        if self._is_alone:
            # What is loaded by now stays: looking through it would hold a block up.
            gc.collect()
            gc.freeze()
            gc.disable()
        run.start()

    def change_chain(self, asked: records.ChangeChain) -> None:
        """Go over to other stages without a click."""
        specs = [records.spec_of(stage) for stage in asked.stages]
        with self._changing:
            self._follow(asked)
            if self._run is not None:
                self._run.change_chain(specs)

    def change_mixes(self, asked: records.ChangeMixes) -> None:
        """Go over to other mixes without a click."""
        with self._changing:
            self._follow(asked)
            if self._run is not None:
                self._run.change_mixes(asked.mixes, asked.inputs)

    def mute(self, asked: records.Mute) -> None:
        """Keep the voice out of the mixes of these listeners."""
        with self._changing:
            self._follow(asked)
            if self._run is not None:
                self._run.mute(asked.listeners)

    def _follow(self, asked: records.Request) -> None:
        if self._wanted is not None:
            self._wanted = records.after(self._wanted, asked)

    def rehearse(self, asked: records.Rehearse) -> records.Costs:
        """What blocks cost here and now."""
        specs = [records.spec_of(stage) for stage in asked.stages]
        how = partial(rehearse, specs, asked.mixes, asked.ducking, asked.rate_hz)
        return records.Costs(choose_block(how, asked.blocks_ms))

    def turn(self, asked: records.Turn) -> None:
        """Where the controls of simulated rigs stand."""
        with self._changing:
            self._follow(asked)
            self._world().turn(asked.controls)

    def let_talk(self, asked: records.LetTalk) -> None:
        """Who talks of two simulated people."""
        self._world().let_talk(asked.who)

    def set_programs(self, asked: records.SetPrograms) -> None:
        """What simulated programs pick, and have set."""
        with self._changing:
            self._follow(asked)
            for seat in () if self._wanted is None else self._wanted.seats:
                if seat.key in asked.of:
                    self._world().set_program(seat)

    def listen(self, asked: records.Listen) -> records.Shared:
        """Write what a simulated rig hears where whoever asks can read it."""
        with self._changing:
            self._unshare(asked.name)
            stream = self._world().open_rig(asked.rig, asked.purpose)
            share = SharedWriter([records.Track(HEARD)], stream.rate_hz, self._folder)
            self._listening[asked.name] = Listening(stream, share)
        return share.answer

    def _world(self) -> Simulated:
        if self._simulated is None:
            raise VoiceSilent(
                "not-simulated",
                _("Nothing is simulated around this voice. Choose a microphone in Rig."),
            )
        return self._simulated

    def push(self, asked: records.Push) -> None:
        """The next piece of a microphone that somebody else opened. Raises VoiceSilent."""
        if self._pushed is None or self._run is None or self._run.finished.is_set():
            raise VoiceSilent("not-live", _("You are no longer live."))
        self._pushed.push(records.samples_of(asked.sound))

    def keep_take(self, asked: records.KeepTake) -> None:
        """The take that what is live next may be begun from."""
        self._take = records.samples_of(asked.sound)

    def feeds(self, asked: records.Feeds) -> records.Troubles:
        """Make the inputs that are missing, take away what is out of use and nobody records."""
        with self._changing:
            self._follow(asked)
            return self._feeds.want(asked)

    def _is_sounding(self) -> bool:
        run = self._run
        return run is not None and not run.finished.is_set()

    def _named(self, key: str, title: str) -> None:
        """What is live knows its inputs by their titles."""
        for seat in () if self._run is None else self._run.seats:
            if seat.key == key:
                seat.program.picks = seat.own_feed = title

    def ends(self, asked: records.Ends) -> None:
        """Where the system's other ends are from now on."""
        with self._changing:
            self._ends = asked
            self._follow(asked)

    def treat_return(self, asked: records.TreatReturn) -> None:
        """Treat the return from a listener without a click."""
        specs = [records.spec_of(stage) for stage in asked.stages]
        with self._changing:
            self._follow(asked)
            if self._run is not None:
                self._run.treat_return(asked.of, specs)

    def press_clip(self, asked: records.PressClip) -> None:
        """Play a clip, or stop it."""
        if asked.sound:
            self._pads.press(asked.number, records.samples_of(asked.sound))
        else:
            self._pads.release(asked.number)

    def sound_of(self, asked: records.AskSound) -> records.Sound:
        """The last seconds of what was sent to a listener, or of its return as it came."""
        if asked.what in ("heard", "given back"):
            return self._at_program(asked)
        run = self._live()
        found = (
            run.sent_to(asked.of, asked.seconds)
            if asked.what == "sent"
            else run.returned().get(asked.of, np.zeros(0))[-round(asked.seconds * run.rate_hz) :]
        )
        return records.Sound(run.rate_hz, records.bytes_of(found))

    def _at_program(self, asked: records.AskSound) -> records.Sound:
        program = self._world().program(asked.of)
        probe = None if program is None else program.probe
        if probe is None:
            return records.Sound(1, b"")
        back = round(asked.seconds * probe.rate_hz)
        found = (
            probe.heard_since(probe.position - back)
            if asked.what == "heard"
            else probe.returned_since(probe.returned_position - back)
        )
        return records.Sound(probe.rate_hz, records.bytes_of(found))

    def send_marker(self, asked: records.SendMarker) -> records.MarkerHeard:
        """Hear every feed first, as any program would; send the codes; say what arrived. Raises
        SourceGone, VoiceSilent."""
        run = self._live()
        probes = {s.key: s.program.probe for s in run.seats if s.program.probe is not None}
        arrived, done = dict[str, HeardMarker](), threading.Event()

        def came(heard: dict[str, HeardMarker]) -> None:
            arrived.update(heard)
            done.set()

        codes = MarkerCodes(
            records.samples_of(asked.raw),
            records.samples_of(asked.treated),
            {key: records.samples_of(code) for key, code in asked.feeds.items()},
            {key: records.samples_of(code) for key, code in asked.returns.items()},
        )
        before = run.dropouts
        try:
            for probe in probes.values():
                probe.begin()
            if _have_heard(probes.values(), run):
                self._tell("marker", {})
                run.send_marker(codes, came)
                _await_marker(done, run)
            found = {key: _sent(heard, probes[key]) for key, heard in arrived.items()}
        finally:
            for probe in probes.values():
                probe.end()
        # A simulated program counts samples: none comes late for it.
        lost = run.dropouts - before if self._simulated is None else 0
        return records.MarkerHeard(found, lost)

    def share(self, asked: records.Share) -> records.Shared | None:
        """Write tracks where whoever asks can read them. Raises VoiceSilent, since they have the
        rate of what is live."""
        with self._changing:
            self._unshare(asked.name)
            if not asked.tracks:
                return None
            share = SharedWriter(asked.tracks, self._live().rate_hz, self._folder)
            self._shares[asked.name] = share
        return share.answer

    def begin_recording(self, asked: records.BeginRecording) -> None:
        """Record what is live. Raises FolderError, VoiceSilent."""
        # What writes files is loaded where something is recorded.
        from obsidian_wren.voice.recorder import Recorder

        with self._changing:
            if self._recording is not None:
                raise VoiceSilent("recording", _("It is recording already."))
            self._recorder = Recorder(asked, rate_hz=self._live().rate_hz, tell=self._tell)

    def split_recording(self) -> None:
        """Go on in the next files."""
        if (recorder := self._recording) is not None:
            recorder.split_now()

    def end_recording(self) -> None:
        """Finish the files."""
        recorder, self._recorder = self._recorder, None
        if recorder is not None:
            recorder.stop()

    @property
    def _recording(self) -> Recorder | None:
        return None if self._recorder is None or self._recorder.is_over else self._recorder

    def _unshare(self, name: str) -> None:
        share, listening = self._shares.pop(name, None), self._listening.pop(name, None)
        if share is not None:
            share.close()
        if listening is not None:
            listening.end()

    def _hear(self, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> None:
        for share in tuple(self._shares.values()):
            share.hear(signals, mixed)
        if (recorder := self._recorder) is not None:
            recorder.tap(signals, mixed)

    def _tell_run(self, kind: str, body: dict[str, Any]) -> None:
        """What a run tells, with how much of it is recorded."""
        recorder = self._recording
        if kind == "live" and recorder is not None:
            body = {**body, "recorded_s": round(recorder.seconds, 1)}
        elif kind == "changed":
            # It may have ended.
            self._feeds.look()
        self._tell(kind, body)

    def _live(self) -> LiveRun:
        run = self._run
        if run is None or run.finished.is_set():
            raise VoiceSilent(
                "not-live", _("You are not live, so nothing arrives. Start live first.")
            )
        return run

    def stop(self) -> None:
        """Be live no more; what is recorded is whole."""
        self.end_recording()
        with self._changing:
            run, self._run, self._wanted, self._because = self._run, None, None, None
            if run is not None:
                run.stop()
        gc.enable()

    @property
    def is_needed(self) -> bool:
        """Whether something is live, or shall be again as soon as it can."""
        return self._wanted is not None

    def status(self) -> records.Status:
        """How things stand."""
        run, wanted = self._run, self._wanted
        if run is None or wanted is None:
            return records.Status(
                silent_because=self._because,
                running=wanted,
                feeds=self._feeds.keys,
                recording=self._recorded_by_now(),
            )
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
            microphone_gaps=run.microphone_gaps,
            load=run.load,
            block_s=run.block_s,
            priority_raised=run.priority_raised,
            silent_because=self._because,
            source_gone=self._because is not None and run.source_gone,
            running=wanted,
            seats={seat.key: _seat_status(run, seat) for seat in run.seats},
            feeds=self._feeds.keys,
            recording=self._recorded_by_now(),
            loudspeaker=run.loudspeaker(),
        )

    def _recorded_by_now(self) -> records.RecordingStatus | None:
        recorder = self._recording
        if recorder is None:
            return None
        return records.RecordingStatus(
            recorder.asked, recorder.part, recorder.seconds, recorder.safe_s
        )

    def end(self) -> None:
        """Everything ends; feeds that programs record carry silence until nobody does."""
        self._ended.set()
        self._woken.set()
        self.stop()
        self._attendant.join(timeout=5)
        self._end_watch()
        for name in [*self._shares, *self._listening]:
            self._unshare(name)
        self._feeds.end()

    def _made(self, wanted: records.Start) -> LiveRun:
        specs = [records.spec_of(stage) for stage in wanted.stages]
        # What loads with the first block would hold the microphone up.
        VoiceChain(specs, wanted.rate_hz).process(np.zeros(round(wanted.block_s * wanted.rate_hz)))
        for seat in wanted.seats:
            if seat.feed is not None and seat.program is None:
                self._feeds.ensure(seat.key, seat.feed, seat.channels)
        streams = self._streams(wanted)
        before, self._ends = self._ends, wanted.ends
        try:
            return self._through(streams, specs, wanted)
        except BaseException:
            self._ends = before
            for stream in streams:
                stream.close()
            raise

    def _streams(self, wanted: records.Start) -> list[SoundStream]:
        """The voice, and who is beside it."""
        person = wanted.person
        if person is None or "person" not in wanted.sources:
            return [self._source(wanted)]
        if wanted.rig is not None and person.rig is not None:
            return list(self._world().open_desk(wanted.rig, person.rig))
        if person.microphone == wanted.microphone:
            # Two inputs of one device: one stream, one clock.
            own = self._device(wanted, max(wanted.channel, person.channel))
            return [own, ChannelBeside(own, person.channel)]
        own = self._device(wanted, wanted.channel)
        beside = ByOurClock(
            self._system, lambda: person.microphone, wanted.rate_hz, channel=person.channel
        )
        return [own, beside]

    def _source(self, wanted: records.Start) -> SoundStream:
        if wanted.source == "pushed":
            self._pushed = pushed = self._open_pushed(wanted.rate_hz)
            return pushed
        if wanted.source == "take":
            return Loop(self._take, wanted.rate_hz)
        if wanted.rig is not None:
            return self._world().open_rig(wanted.rig)
        return self._device(wanted, wanted.channel)

    def _device(self, wanted: records.Start, last_channel: int) -> OneChannel:
        microphone = self._system.open_microphone(
            wanted.microphone,
            rate_hz=wanted.rate_hz,
            channels=last_channel + 1,
            block_s=wanted.block_s,
            patience_s=PATIENCE_S,
        )
        return OneChannel(microphone, wanted.channel)

    def _through(
        self, streams: Sequence[SoundStream], specs: Sequence[StageSpec], wanted: records.Start
    ) -> LiveRun:
        gate = _spill_gate(wanted)
        ahead = 0 if gate is None else gate.ahead_samples
        voices = [
            VoicePath("voice", streams[0], specs, _removal(wanted), least_delay_samples=ahead)
        ]
        if wanted.person is not None:
            stages = [records.spec_of(stage) for stage in wanted.person.stages]
            voices += [
                VoicePath("person", stream, stages, least_delay_samples=ahead)
                for stream in streams[1:]
            ]
        seats = [self._seat(seat, wanted.rate_hz) for seat in wanted.seats]
        run = LiveRun(
            [*voices, *self._second(wanted)],
            seats,
            wanted.inputs,
            wanted.mixes,
            players=self._players(wanted),
            returns=[
                self._return(seat, wanted)
                for seat in seats
                if seat.key in wanted.returns and seat.program.returns is not None
            ],
            ducking=wanted.ducking or _NO_DUCKING,
            tell=self._tell_run,
            pacing=Pacing(
                wanted.speed if wanted.source in ("take", "simulated") else None,
                urgent=wanted.speed == 1.0,
                block_s=wanted.block_s,
                adapts=wanted.adapts,
                brokered=self._is_alone,
            ),
            tap=self._hear,
            played=wanted.played,
            spill=gate,
        )
        run.mute(wanted.muted)
        return run

    def _players(self, wanted: records.Start) -> dict[str, Player]:
        found: dict[str, Player] = {}
        if "clips" in wanted.sources:
            found["clips"] = self._pads
        if self._simulated is not None:
            for kind in sorted(wanted.sources & {"music", "computer"}):
                found[kind] = self._simulated.open_player(kind, wanted.rate_hz)
        elif "computer" in wanted.sources or wanted.played == "computer":
            found["computer"] = ByOurClock(
                self._system, lambda: self._ends.computer, wanted.rate_hz
            )
        return found

    def _second(self, wanted: records.Start) -> list[VoicePath]:
        if "second" not in wanted.sources:
            return []
        stream = self._world().open_second(wanted.rate_hz)
        return [VoicePath("second", stream, [records.spec_of(stage) for stage in wanted.second])]

    def _return(self, seat: Seat, wanted: records.Start) -> ReturnPath:
        back = seat.program.returns
        assert back is not None
        return ReturnPath(
            seat.key,
            back,
            rate_hz=wanted.rate_hz,
            specs=[records.spec_of(stage) for stage in wanted.returns[seat.key]] or SAFE,
            waiting_s=next(s.waiting_s for s in wanted.seats if s.key == seat.key),
        )

    def _seat(self, seat: records.SeatRecord, rate_hz: int) -> Seat:
        if seat.program is not None:
            return self._seated(seat, self._world().set_program(seat), rate_hz)
        end: Listener = (
            PlayedTo(self._system, seat.kind, seat.name, lambda: self._ends.outputs.get(seat.key))
            if seat.feed is None
            else NamedInput(
                self._system,
                seat.key,
                seat.kind,
                seat.name,
                feed=lambda: self._feeds.get(seat.key),
                wrote=lambda: self._feeds.wrote(seat.key),
                back=lambda: self._ends.returns.get(seat.key),
            )
        )
        end.picks = seat.feed
        return self._seated(seat, end, rate_hz)

    @staticmethod
    def _seated(seat: records.SeatRecord, end: Listener, rate_hz: int) -> Seat:
        return Seat(
            seat.key,
            seat.number,
            end,
            own_feed=seat.feed,
            rate_hz=rate_hz,
            channels=seat.channels,
            waiting_s=seat.waiting_s,
        )

    def _attend(self) -> None:
        """Follow what changes by itself: programs that were moved away, a microphone that went away
        and is back, a feed that is lost."""
        failed: str | None = None
        while not self._ended.is_set():
            changed = self._woken.wait(_LOOK_EVERY_S)
            self._woken.clear()
            if self._ended.is_set():
                return
            try:
                if self._simulated is None:
                    self._follow_system(looks=changed or self._is_unsure())
                self._take_up()
                failed = None
            except Exception as error:
                # A folder that was emptied, a server that says what nobody foresaw: the next look
                # may find it well.
                if repr(error) != failed:
                    _LOG.exception("Following the system failed")
                failed = repr(error)

    def _follow_system(self, *, looks: bool) -> None:
        if looks:
            self._look()
        for listener, feed in self._system.take_back():
            self._tell("trouble", {"sentence": said_of(listener, feed)})
        for key in self._feeds.unread():
            with self._changing, suppress(NoSoundServer):
                self._feeds.join_anew(key)

    def _is_unsure(self) -> bool:
        """Whether things may be other than they were seen: a server that ends, or is busy, may
        tell of nothing."""
        waits = self._system.seen.missing is not None or self._because is not None
        every_s = _LOOK_AGAIN_S if waits else _LOOK_ANYWAY_S
        return time.monotonic() - self._looked_s > every_s

    def _look(self) -> None:
        began_s = time.monotonic()
        self._system.look()
        self._looked_s = began_s
        self._feeds.seen(began_s)
        if self._system.seen.missing is None:
            with self._changing:
                self._feeds.ensure_all()
        if not gc.isenabled():
            # A connection that was looked through is a ring that only this finds; what was there
            # when it began to be live is frozen, so it takes a moment.
            gc.collect()

    def _take_up(self) -> None:
        run, wanted = self._run, self._wanted
        if run is None or wanted is None or not run.finished.is_set():
            return
        if self._because is None:
            self._because = run.stopped_why
            self._tell("changed", {})
        # What others give comes again when they begin anew.
        if not run.source_gone or wanted.source != "system":
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


def _have_heard(probes: Collection[Probe], run: LiveRun) -> bool:
    """Whether every probe has heard enough by now; False where it is not live any more."""
    waited_s = 0.0
    while any(probe.position < _HEARD_FIRST_S * probe.rate_hz for probe in probes):
        if run.finished.wait(_LOOK_S):
            return False
        waited_s += _LOOK_S
        # One that hears nothing is found by the marker.
        if waited_s > _HEARD_FIRST_S:
            break
    return not run.finished.is_set()


def _await_marker(done: threading.Event, run: LiveRun) -> None:
    """Until all of it was sent and heard. Raises VoiceSilent where too little sound comes."""
    until_s = time.monotonic() + _ON_ITS_WAY_S
    while not done.wait(_LOOK_S) and not run.finished.is_set():
        if time.monotonic() > until_s:
            raise VoiceSilent(
                "marker-lost",
                _(
                    "The sound comes too slowly to say what arrives. Close programs that keep"
                    " this computer busy, and send the marker again."
                ),
            )


def _seat_status(run: LiveRun, seat: Seat) -> records.SeatStatus:
    delay = run.delay_of(seat)
    return records.SeatStatus(
        delay.chain_ms,
        delay.mix_ms,
        delay.block_ms,
        delay.edge_ms,
        seat.edge.drift_ppm,
        seat.edge.dropouts + seat.program.gaps,
        seat.edge.waiting_s,
    )


def _sent(heard: HeardMarker, probe: Probe) -> records.Heard:
    return records.Heard(
        heard.rate_hz,
        heard.takes_hz,
        records.bytes_of(heard.heard),
        records.bytes_of(heard.returned),
        records.bytes_of(heard.sent_before),
        records.bytes_of(heard.heard_before),
        heard.began_s,
        heard.start,
        heard.before_s,
        probe.gaps,
        probe.arrived_s(heard.start),
    )


def _removal(wanted: records.Start) -> LoudspeakerRemoval | None:
    """What takes a loudspeaker out; loaded only where one plays."""
    if not wanted.played:
        return None
    from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval

    return LoudspeakerRemoval(rate_hz=wanted.rate_hz)


def _spill_gate(wanted: records.Start) -> SpillGate | None:
    """What lowers each of two people while only the other one talks; loaded only where there are
    two and their spill was measured."""
    if wanted.person is None or wanted.person.spill is None or "person" not in wanted.sources:
        return None
    from obsidian_wren.core.mix.spill import apart_s
    from obsidian_wren.core.mix.spill_gate import SpillGate

    first, second = wanted.person.spill
    return SpillGate(first, second, rate_hz=wanted.rate_hz, apart_s=apart_s(first, second))
