"""Whatever a person does, in any order: the state answers, the database is whole, what was
acknowledged is there, undo and redo undo each other."""

import os
import pathlib
import shutil
import tempfile

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule
from sqlalchemy import select

from obsidian_wren.core.told import Told
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service import live, takes
from obsidian_wren.service.changes import record
from obsidian_wren.service.context import clock
from obsidian_wren.service.live import living
from obsidian_wren.service.live import recording as live_recording
from obsidian_wren.service.mixes import clips
from obsidian_wren.service.opening import checking
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.recording import library, recording
from obsidian_wren.service.rig import rigs
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup import things, turning
from obsidian_wren.service.takes import discarding, ending, from_page, keeping
from obsidian_wren.service.undo import put_back
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store import parts, take_files
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.models import Clip, Recording, Take
from short import fix_what_the_machine_chooses
from shown import overview, shows
from signals import RATE, noise, room

BOATHOUSE: list[pathlib.Path] = []


@pytest.fixture(scope="module", autouse=True)
def boathouse_for_all(boathouse_data):
    BOATHOUSE[:] = [boathouse_data]


class Person(RuleBasedStateMachine):
    """Somebody with a microphone, and what the program told them was kept."""

    @initialize()
    def open_the_boathouse(self):
        fix_what_the_machine_chooses()
        self.place = tempfile.TemporaryDirectory()
        self.folder = pathlib.Path(self.place.name) / "data"
        shutil.copytree(BOATHOUSE[0], self.folder)
        self.takes, self.recordings, self.number = set(), set(), 0
        self.open()
        clips.ship(self.app)

    def open(self):
        self.app = open_app(DataFolder(self.folder), simulated_world(BrowserStream), pace="fast")

    def attempt(self, what):
        """A refusal is an answer; anything else that is raised is a fault of the program."""
        try:
            return what()
        except Told:
            return None

    @rule(
        level=st.sampled_from([1e-3, 3e-3, 0.2, 0.9]),
        purpose=st.sampled_from(["rest", "in-use", "muted"]),
    )
    def take_the_room(self, level, purpose):
        self.number += 1
        with self.app.sessions() as session:
            rig_id = rigs.the_rig(self.app, session).id
        info = parts.PartInfo(
            purpose, RATE, "file", {"gain_db": float(self.number)}, clock.now(), rig_id=rig_id
        )
        self.takes.add(
            keeping.keep(self.app, info, np.roll(room(level, 4.0), self.number), half=False)
        )

    @rule(seconds=st.floats(1.0, 6.0), stop=st.booleans())
    def take_with_the_browser(self, seconds, stop):
        begun = self.attempt(
            lambda: from_page.start_browser(
                self.app, "rest", rate_hz=RATE, seconds=seconds, not_obeyed=[]
            )
        )
        if begun is None:
            return
        for number in range(4 * int(seconds + 2)):
            from_page.add_piece(self.app, begun, number, noise(1e-3, 0.25))
        before = {take.id for take in shows(self.app, "takes")}
        # What is asked meanwhile is refused or changes nothing of the take.
        self.attempt(lambda: things.add_rig(self.app, f"Rig {self.number}"))
        self.attempt(lambda: put_back.undo(self.app))
        if stop:
            self.attempt(lambda: ending.stop_take(self.app))
            self.takes |= {take.id for take in shows(self.app, "takes")} - before
            assert from_page.add_piece(self.app, begun, 0, noise(1e-3, 0.25))
        else:
            takes.current(self.app).running.last_piece -= 10.0
            ending.release_abandoned(self.app)
            self.takes |= {take.id for take in shows(self.app, "takes")} - before

    @rule(which=st.integers(0, 9))
    def discard_a_take(self, which):
        there = shows(self.app, "takes")
        if there:
            self.attempt(lambda: discarding.discard_take(self.app, there[which % len(there)].id))

    @rule()
    def add_a_rig(self):
        self.number += 1
        self.attempt(lambda: things.add_rig(self.app, f"Rig {self.number}"))

    @rule(which=st.integers(0, 5))
    def take_another_rig_in_hand(self, which):
        there = shows(self.app, "rigs")
        self.attempt(lambda: things.use_rig(self.app, there[which % len(there)].id))

    @rule(which=st.integers(0, 5))
    def remove_a_rig(self, which):
        there = shows(self.app, "rigs")
        self.attempt(lambda: things.remove_rig(self.app, there[which % len(there)].id))

    @rule(gain_db=st.integers(0, 50))
    def turn_the_knob(self, gain_db):
        self.attempt(lambda: turning.turn_knob(self.app, float(gain_db)))

    @rule()
    def undo(self):
        self.attempt(lambda: put_back.undo(self.app))

    @rule()
    def redo(self):
        self.attempt(lambda: put_back.redo(self.app))

    @rule()
    def undo_and_redo_is_nothing(self):
        with self.app.sessions() as session:
            before = record.state_of(session)
        try:
            put_back.undo(self.app)
            put_back.redo(self.app)
        except Told:
            return
        with self.app.sessions() as session:
            assert record.state_of(session) == before

    @rule()
    def go_live(self):
        self.attempt(lambda: living.start_run(self.app))

    @rule()
    def stop_live(self):
        self.attempt(lambda: living.stop_run(self.app))

    @rule(key=st.sampled_from(["music", "second", "clips"]), on=st.booleans())
    def use_a_source(self, key, on):
        was_live = live.current(self.app).running is not None
        self.attempt(lambda: listeners.use_source(self.app, key, on))
        # Whoever was live is live still.
        assert was_live == (live.current(self.app).running is not None)

    @rule()
    def record(self):
        self.attempt(lambda: live_recording.start_recording(self.app))

    @precondition(lambda self: recording.current(self.app).recorder is not None)
    @rule()
    def stop_recording(self):
        self.attempt(lambda: live_recording.stop_recording(self.app))
        self.recordings |= {row.file_name for row in shows(self.app, "recordings") if not row.open}

    @rule(which=st.integers(0, 9))
    def delete_a_recording(self, which):
        there = [row for row in shows(self.app, "recordings") if not row.open]
        if there:
            row = there[which % len(there)]
            if self.attempt(lambda: library.discard(self.app, row.id) or True):
                self.recordings.discard(row.file_name)

    @rule(seconds=st.floats(0.1, 2.0))
    def load_a_clip(self, seconds):
        self.attempt(lambda: clips.load(self.app, "Rain", noise(0.05, seconds), RATE))

    @rule(which=st.integers(0, 9))
    def remove_a_clip(self, which):
        there = shows(self.app, "clips")
        if there:
            self.attempt(lambda: clips.remove(self.app, there[which % len(there)].id))

    @rule(cleanly=st.booleans())
    def start_anew(self, cleanly):
        if cleanly:
            close_app(self.app)
        else:
            # As a kill leaves it: nothing is stopped or closed in order but the lock, which the
            # system gives back.
            if live.current(self.app).run is not None:
                live.current(self.app).run.stop()
            if recording.current(self.app).recorder is not None:
                live_recording.stop_recording(self.app)
            self.app.copier.stop()
            self.app.folder.close()
        self.open()
        # What was discarded beyond undo goes at a start.
        with self.app.sessions() as session:
            self.takes &= set(session.scalars(select(Take.id)))

    @invariant()
    def the_state_answers(self):
        shown = overview(self.app)
        assert shown.findings == []

    @invariant()
    def the_database_is_whole(self):
        with self.app.sessions() as session:
            connection = session.connection()
            assert connection.exec_driver_sql("PRAGMA quick_check").scalar() == "ok"
            assert connection.exec_driver_sql("PRAGMA foreign_key_check").all() == []

    @invariant()
    def what_was_acknowledged_is_there(self):
        with self.app.sessions() as session:
            there = {take.id: take.sha256 for take in session.scalars(select(Take))}
            assert self.takes <= set(there)
            for digest in (*there.values(), *session.scalars(select(Clip.sha256))):
                assert take_files.take_path(self.app.folder, digest).exists()
            for row in session.scalars(
                select(Recording).where(Recording.frames > 0, Recording.discarded.is_(False))
            ):
                assert (self.app.folder.recordings / row.file_name).exists()
            assert self.recordings <= set(session.scalars(select(Recording.file_name)))

    def teardown(self):
        if hasattr(self, "app"):
            assert checking.check_sounds(self.app) == 0
            close_app(self.app)
            self.place.cleanup()


# The same orders every time; OBSIDIAN_WREN_LOOK_FURTHER=10 looks further.
Person.TestCase.settings = settings(
    max_examples=2 * int(os.environ.get("OBSIDIAN_WREN_LOOK_FURTHER", "1")),
    stateful_step_count=20,
    deadline=None,
    derandomize=True,
    database=None,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)
TestAnyOrder = Person.TestCase
