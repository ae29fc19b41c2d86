"""The worker: a job there reads, computes and keeps as it would here, and nobody waits for it."""

import os
import pickle
import sys
import threading
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from beside import work_beside
from obsidian_wren.cli.worker import worker_of
from obsidian_wren.core.told import Told
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import Overtaken
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.sounds import hear_take
from obsidian_wren.service.opening import doctor
from obsidian_wren.service.opening.opening import close_app
from obsidian_wren.service.page.memory import memory
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store.models import Rig, RoomRow
from obsidian_wren.store.replay import CopyOfDatabase
from obsidian_wren.store.take_files import SoundLost
from shown import overview, shows
from waiting import wait_until


def name_of(app):
    with app.sessions() as session:
        return the_rig(app, session).name


def rename(app, name):
    with app.sessions.begin() as session:
        the_rig(app, session).name = name
    app.changed()
    return os.getpid()


@pytest.fixture
def beside(app):
    """A program over an empty folder, with a worker in a thread."""
    return work_beside(app)


def test_what_a_job_keeps_is_kept_and_the_pages_are_told(beside):
    before = beside.revision
    beside.work(rename, "Loft desk")
    assert name_of(beside) == "Loft desk"
    assert beside.revision > before


def add_rooms(app, *names):
    ids = []
    for name in names:
        with app.sessions.begin() as session:
            room = RoomRow(name=name)
            session.add(room)
            session.flush()
            ids.append(room.id)
    return ids


def rooms(app):
    with app.sessions() as session:
        return {row.id: row.name for row in session.query(RoomRow)}


def test_rows_have_the_ids_that_the_job_was_told(beside):
    there = rooms(beside)
    first = beside.work(add_rooms, "Attic", "Galley")
    second = beside.work(add_rooms, "Stern")
    assert rooms(beside) == there | dict(
        zip([*first, *second], ["Attic", "Galley", "Stern"], strict=True)
    )


def fails_after(app, error):
    rename(app, "kept")
    with app.sessions.begin() as session:
        the_rig(app, session).name = "taken back"
        session.flush()
        raise error


@pytest.mark.parametrize("error", [Refused("no", "It cannot be."), KeyError("what")])
def test_an_error_comes_as_it_is_and_only_what_was_kept_before_it_is_kept(beside, error):
    with pytest.raises(type(error)) as raised:
        beside.work(fails_after, error)
    assert str(raised.value) == str(error)
    assert getattr(raised.value, "code", None) == getattr(error, "code", None)
    assert name_of(beside) == "kept"


@dataclass
class Computing:
    """Something that takes a while, in a thread of this process."""

    begun: threading.Event = field(default_factory=threading.Event)
    goes: threading.Event = field(default_factory=threading.Event)
    over: threading.Event = field(default_factory=threading.Event)


at_work = Computing()


@pytest.fixture(autouse=True)
def anew(monkeypatch):
    monkeypatch.setattr(sys.modules[__name__], "at_work", Computing())


def computes(app):
    at_work.begun.set()
    at_work.goes.wait()
    rename(app, f"{name_of(app)}, computed")


def test_nobody_waits_for_a_lock_while_something_is_computed(beside):
    waits = threading.Thread(target=beside.work, args=(computes,))
    waits.start()
    at_work.begun.wait()
    rename(beside, "Loft")
    at_work.goes.set()
    waits.join()
    # It was computed again from what was kept meanwhile.
    assert name_of(beside) == "Loft, computed"


def computes_on(app):
    at_work.begun.set()
    try:
        while True:
            app.go_on()
    finally:
        at_work.over.set()


def test_a_job_that_nobody_waits_for_gives_up(beside):
    def go_on():
        if at_work.begun.is_set():
            raise Overtaken

    with pytest.raises(Overtaken):
        beside.work(computes_on, go_on=go_on)
    at_work.over.wait()
    assert beside.work(name_of) == name_of(beside)


def says(app):
    app.find("odd", "Something is odd.", "Look.")
    app.bus.tell("working", {"share": 0.5})


def test_what_a_job_finds_and_says_reaches_the_pages(beside):
    listener = beside.bus.listen()
    beside.work(says)
    wait_until(lambda: not listener.empty())
    assert listener.get() == ("working", {"share": 0.5})
    assert [found.code for found in beside.findings] == ["odd"]


def test_a_copy_is_gone_with_its_worker(beside):
    beside.work(name_of)
    assert list(beside.folder.parts.iterdir())
    beside.worker.end()
    wait_until(lambda: not list(beside.folder.parts.iterdir()))


def test_nobody_begins_another_once_the_program_ends(beside):
    beside.worker.end_for_good()
    with pytest.raises(Refused, match="Close other programs"):
        beside.work(name_of)
    beside.worker.get_ready()
    assert not beside.worker.runs


def gives_what_cannot_be_sent(app):
    return threading.Lock()


def test_what_cannot_be_sent_fails_and_nobody_waits_for_it(beside):
    with pytest.raises(TypeError, match="pickle"):
        beside.work(gives_what_cannot_be_sent)
    with pytest.raises(AttributeError, match="pickle"):
        beside.work(lambda app: None)
    assert beside.work(name_of) == name_of(beside)


def test_a_copy_whose_worker_was_killed_is_nothing_wrong_and_goes_at_the_next_start(app, app_over):
    left = app.folder.parts / "worker-abc.db"
    left.write_bytes(b"SQLite format 3")
    assert doctor.examine(app.folder, app.world) == []
    close_app(app)
    assert app_over(app.folder.path).findings == []
    assert not left.exists()


def test_a_folder_may_be_named_from_where_one_stands(app, monkeypatch, tmp_path):
    monkeypatch.chdir(app.folder.path)
    copy = CopyOfDatabase(Path("wren.db"), tmp_path / "copy.db")
    copy.fill()
    with copy.sessions() as session:
        assert session.query(Rig).count() == 1
    copy.close()


def test_it_ends_when_it_rests_and_is_begun_again(app):
    app = work_beside(app, rest_s=0.05)
    app.work(name_of)
    wait_until(lambda: not app.worker.runs)
    assert app.work(name_of) == name_of(app)


@pytest.mark.parametrize("error", [Told("a", "A sentence."), SoundLost("d1", "It is gone.")])
def test_what_is_told_is_told_the_same_by_another_process(error):
    again = pickle.loads(pickle.dumps(error))
    assert (type(again), str(again), vars(again)) == (type(error), str(error), vars(error))


# In a process of its own.


@pytest.fixture
def apart(boathouse):
    """The boathouse's program with a worker in a process of its own."""
    boathouse.worker = worker_of(boathouse, boathouse.folder.path, own=False)
    yield boathouse
    boathouse.worker.end()


def process(app):
    return os.getpid()


def die(app):
    os.kill(os.getpid(), 9)


def test_a_process_of_its_own_gives_the_same_ends_with_us_and_is_replaced(apart, other_boathouse):
    there = apart.work(process)
    assert there != os.getpid()
    assert apart.work(memory).program_mb > 50.0
    with apart.sessions() as session:
        rig_id = session.query(Rig).first().id
    passage = next(take.id for take in shows(apart, "takes") if take.purpose == "passage")
    heard = apart.work(hear_take, passage, "treated", True)
    assert heard == hear_take(other_boathouse, passage, "treated", True)
    for app in (apart, other_boathouse):
        app.work(deriving.derive_rig, rig_id, True)
    parts = ("settings", "stages", "delivery", "diagram", "clean", "tone")
    assert overview(apart).model_dump(include=parts) == overview(other_boathouse).model_dump(
        include=parts
    )
    with pytest.raises(Refused, match="Close other programs"):
        apart.work(die)
    again = apart.work(process)
    assert again not in (there, os.getpid())
    apart.worker.end()
    wait_until(lambda: not Path(f"/proc/{again}").exists())
