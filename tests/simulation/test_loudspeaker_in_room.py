"""A loudspeaker in the simulated boathouse: the far side hears itself, and does not where what is
played is taken out."""

import numpy as np
import pytest

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.marker import marker_codes, marker_level_dbfs
from obsidian_wren.core.mix.proof import prove
from obsidian_wren.core.mix.verdict import judge
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.simulation.listeners import StandInProgram
from obsidian_wren.simulation.loudspeaker import Loudspeaker
from obsidian_wren.simulation.spec import BOATHOUSE, LoudspeakerSpec, read_spec
from obsidian_wren.simulation.world import SimulatedRig
from obsidian_wren.voice.pace import Pacing
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.voice.run import LiveRun
from signals import RATE, noise
from waiting import wait_until

BLOCK = 480
ROOM = read_spec(BOATHOUSE).model_copy(
    update={"loudspeaker": LoudspeakerSpec(level_db_spl=62.0, clock_ppm=30.0)}
)


def db(sound):
    return 20.0 * np.log10(np.std(sound) + 1e-12)


class Call:
    """A call whose far side talks, over a run of its own."""

    def __init__(self, purpose, *, taken_out, room=ROOM):
        self.program = StandInProgram("call", "Editor call", ProgramSettings())
        self.program.picks = "feed"
        self.seat = Seat("call", 0, self.program, own_feed="feed", rate_hz=RATE, channels=1)
        self.path = VoicePath(
            "voice",
            SimulatedRig(room).open_live(purpose),
            (GainSpec(0.0),),
            LoudspeakerRemoval(rate_hz=RATE) if taken_out else None,
        )
        self.run = LiveRun(
            [self.path],
            [self.seat],
            {"feed": "mix call"},
            [Mix("call", (MixSend("voice treated", 0.0),), 1, -1.0)],
            returns=[ReturnPath("call", self.program, rate_hz=RATE)],
            ducking=Ducking(0.0, 15.0, 250.0, 400.0),
            tell=lambda *_: None,
            pacing=Pacing(None),
            played="returns",
        )

    def goes_on(self, seconds):
        for _ in range(round(seconds * RATE / BLOCK)):
            self.run.step({"voice": self.path.read(BLOCK)})

    def sent(self, seconds):
        return self.seat.sent.since(self.seat.sent.position - round(seconds * RATE))

    def proof(self):
        heard, level = {}, marker_level_dbfs(-20.0)
        codes = marker_codes({"call": 0}, level, {"call": -18.0}, rate_hz=RATE)
        self.run.send_marker(codes, heard.update)
        while self.run.marker_in_flight:
            self.goes_on(0.1)
        wait_until(lambda: heard)
        sound = heard["call"]
        return prove(
            sound.heard,
            sound.returned,
            rate_hz=sound.rate_hz,
            feeds={"feed": 0},
            own_feed="feed",
            own_number=0,
            sent_level_dbfs=level,
            feed_level_dbfs=marker_level_dbfs(-18.0),
            sent_before=sound.sent_before,
            heard_before=sound.heard_before,
            sent_rate_hz=RATE,
        )


def faults(arrived):
    return {v.code for v in judge(arrived, listener="Editor call") if v.mark == "fault"}


def test_the_far_side_hears_itself_and_no_more_once_it_is_taken_out():
    left, taken_out = (Call("rest", taken_out=taken) for taken in (False, True))
    for call in (left, taken_out):
        call.goes_on(14.0)
    assert db(left.sent(3.0)) - db(taken_out.sent(3.0)) > 10.0
    found = left.proof()
    assert "hears itself" in faults(found)
    assert found.hears_itself_db == pytest.approx(-20.0, abs=8.0)
    assert taken_out.proof().hears_itself_db is None
    stands = taken_out.run.loudspeaker()
    assert stands.late_ms == pytest.approx(60.0, abs=8.0)
    assert stands.drift_ppm == pytest.approx(-30.0, abs=8.0)
    assert left.run.loudspeaker() is None


def test_where_none_stands_nobody_hears_themselves():
    call = Call("rest", taken_out=False, room=ROOM.model_copy(update={"loudspeaker": None}))
    call.goes_on(3.0)
    assert call.proof().hears_itself_db is None


def test_what_it_plays_is_late_distorted_and_as_loud_as_its_spec_says():
    spec = LoudspeakerSpec(level_db_spl=60.0, delay_s=0.1)
    loudspeaker = Loudspeaker(ROOM, spec)
    played = noise(10.0 ** (-26.0 / 20.0), 2.0)
    heard = []
    for at in range(0, len(played), BLOCK):
        loudspeaker.play(played[at : at + BLOCK])
        heard.append(loudspeaker.reaches(BLOCK))
    heard = np.concatenate(heard)
    assert np.abs(heard[: round(0.095 * RATE)]).max() < 1e-6
    assert db(heard[RATE:]) == pytest.approx(20.0 * np.log10(2e-5) + 60.0, abs=4.0)
