"""What runs is held fast: takes belong to their rig and end once, live goes on or a change is
refused, loud rooms end nothing."""

import threading

import pytest
import soundfile
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service import calibration, live, recording, takes
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import Cache, clock
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living, preparing
from obsidian_wren.service.live import recording as live_recording
from obsidian_wren.service.mixes import clips
from obsidian_wren.service.opening.opening import close_app
from obsidian_wren.service.recording import library
from obsidian_wren.service.recording import recording as recorder_services
from obsidian_wren.service.rig import rigs
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup import things, turning
from obsidian_wren.service.takes import ending, from_file, from_page, keeping
from obsidian_wren.service.undo import put_back
from obsidian_wren.store import parts, take_files
from obsidian_wren.store.database import told_error
from obsidian_wren.store.models import Recording, Take
from obsidian_wren.voice import recorder as recorder_module
from obsidian_wren.voice import track_files
from rigging import change
from shown import overview, shows
from signals import RATE, noise
from waiting import PATIENCE_S, wait_until


def is_live(app):
    return live.current(app).run is not None and not live.current(app).run.finished.is_set()


@pytest.mark.parametrize("level_dbfs", [0.0, -15.0])
def test_a_loud_room_is_a_take_with_a_fault_and_the_program_starts_again(
    boathouse, app_over, tmp_path, level_dbfs
):
    from obsidian_wren.formats.write_sound import write_sound

    before = overview(boathouse, "quiet", "settings")
    loud = noise(10 ** ((level_dbfs - 3.01) / 20.0), 6.0)
    write_sound(tmp_path / "loud.wav", loud, rate_hz=RATE)
    with pytest.raises(Refused, match=r"closer to the microphone|have no answer"):
        from_file.keep_file(boathouse, "rest", tmp_path / "loud.wav", channel=None)
    shown = overview(boathouse, "quiet", "settings", "takes")
    assert shown.takes[-1].fault
    assert not shown.takes[-1].current
    # What was derived before it stands.
    assert (shown.quiet, shown.settings) == (before.quiet, before.settings)
    close_app(boathouse)
    again = app_over(tmp_path / "data")
    assert shows(again, "takes")[-1].fault == shown.takes[-1].fault
    assert overview(again).findings == []


def test_a_take_that_the_rules_fail_on_says_so_and_the_rest_works(boathouse, monkeypatch):
    from obsidian_wren.service.calibration import chain_rows

    def fails(*_, **__):
        raise ZeroDivisionError("inside")

    info = parts.PartInfo("rest", RATE, "file", {}, clock.now())
    with monkeypatch.context() as patch:
        patch.setattr(deriving, "derive_voice", fails)
        take_id = keeping.keep(boathouse, info, noise(1e-3, 5.0), half=False)
    take = next(take for take in shows(boathouse, "takes") if take.id == take_id)
    assert "have no answer" in take.fault
    assert "inside" not in take.fault
    deriving.derive_again(boathouse)
    with boathouse.sessions() as session:
        assert chain_rows.chain_specs(rigs.in_hand(boathouse, session)) is not None


def test_a_take_stays_on_the_rig_that_it_was_begun_on(boathouse):
    change(boathouse, source="browser")
    things.add_rig(boathouse, "Second")
    first = next(rig.id for rig in shows(boathouse, "rigs") if rig.name == "Loft desk")
    things.use_rig(boathouse, first)
    take_id = from_page.start_browser(boathouse, "rest", rate_hz=RATE, seconds=15, not_obeyed=[])
    second = next(rig.id for rig in shows(boathouse, "rigs") if rig.name == "Second")
    for number in range(16):
        from_page.add_piece(boathouse, take_id, number, noise(1e-3, 0.25))
    for asked in (
        lambda: things.add_rig(boathouse, "Third"),
        lambda: things.use_rig(boathouse, second),
        lambda: put_back.undo(boathouse),
        lambda: turning.turn_knob(boathouse, 3.0),
        lambda: change(boathouse, distance_cm=99),
    ):
        with pytest.raises(Refused, match="A take is running"):
            asked()
    ending.stop_take(boathouse)
    with boathouse.sessions() as session:
        newest = max(session.query(Take), key=lambda take: take.id)
        assert newest.rig_id == first


def test_parallel_stops_keep_one_take(app):
    take_id = from_page.start_browser(app, "rest", rate_hz=RATE, seconds=15, not_obeyed=[])
    for number in range(20):
        from_page.add_piece(app, take_id, number, noise(1e-3, 0.25))
    failed = []

    def stop():
        try:
            ending.stop_take(app)
        except Exception as error:
            failed.append(error)

    def push():
        try:
            for number in range(20, 40):
                from_page.add_piece(app, take_id, number, noise(1e-3, 0.25))
        except Exception as error:
            failed.append(error)

    threads = [threading.Thread(target=what) for what in (stop, stop, push, stop, stop, push, stop)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(PATIENCE_S)
    assert failed == []
    assert len(shows(app, "takes")) == 1
    assert list(app.folder.parts.iterdir()) == []


def test_a_take_holds_no_more_than_it_was_begun_for(app):
    take_id = from_page.start_browser(app, "rest", rate_hz=RATE, seconds=4, not_obeyed=[])
    enough = [from_page.add_piece(app, take_id, number, noise(1e-3, 1.0)) for number in range(120)]
    assert enough[:3] == [False] * 3
    assert all(enough[5:])
    ending.stop_take(app)
    assert shows(app, "takes")[0].seconds <= 5.0


def test_a_take_that_is_whole_is_kept_though_nobody_stops_it(app, monkeypatch):
    monkeypatch.setattr(ending, "_SILENT_AFTER_S", 1e9)
    take_id = from_page.start_browser(app, "rest", rate_hz=RATE, seconds=4, not_obeyed=[])
    running = takes.current(app).running
    for number in range(16):
        from_page.add_piece(app, take_id, number, noise(1e-3, 0.25))
    monkeypatch.setattr(ending, "_SILENT_AFTER_S", 0.0)
    assert running.over.wait(PATIENCE_S)
    shown = overview(app, "halves", "takes")
    assert [take.seconds for take in shown.takes] == [4.0]
    assert shown.halves == []


def test_what_is_live_goes_on_where_a_change_cannot_run(boathouse, monkeypatch):
    clips.ship(boathouse)
    living.start_run(boathouse)
    run = live.current(boathouse).run

    def refuses(*_):
        raise Refused("no-chain", "There is nothing to send yet: fit the tone first.")

    with monkeypatch.context() as patch:
        patch.setattr(preparing, "prepare", refuses)
        with pytest.raises(Refused, match="nothing to send"):
            listeners.use_source(boathouse, "music", True)
    assert live.current(boathouse).run is run
    assert is_live(boathouse)
    assert not next(source.on for source in shows(boathouse, "sources") if source.key == "music")
    with pytest.raises(Refused, match="You are live"):
        things.add_rig(boathouse, "Second")
    listeners.use_source(boathouse, "music", True)
    assert live.current(boathouse).run is not run
    assert is_live(boathouse)
    put_back.undo(boathouse)
    assert is_live(boathouse)
    living.stop_run(boathouse)


def test_undo_does_not_take_the_rig_from_under_what_is_live(boathouse):
    things.add_rig(boathouse, "Second")
    things.use_rig(boathouse, 1)
    living.start_run(boathouse)
    with pytest.raises(Refused, match="You are live"):
        put_back.undo(boathouse)
    assert is_live(boathouse)
    living.stop_run(boathouse)
    put_back.undo(boathouse)


def test_a_disk_that_fills_stops_the_recorder_says_so_and_keeps_what_is_whole(
    boathouse, monkeypatch
):
    recorder_services.choose_tracks(boathouse, ["treated", "raw"], "flac", None, None)
    told = boathouse.bus.listen()
    living.start_run(boathouse)
    live_recording.start_recording(boathouse, purpose="Walk")
    wait_until(lambda: shows(boathouse, "recorder").seconds > 3.0)
    real = track_files._write_all

    def full(fd, data, at):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(track_files, "_write_all", full)
    wait_until(lambda: recording.current(boathouse).recorder is None)
    monkeypatch.setattr(track_files, "_write_all", real)
    shown = overview(boathouse, "recorder", "recordings")
    assert "The disk is full" in shown.recorder.failed
    assert not shown.recorder.recording
    news = [told.get_nowait() for _ in range(told.qsize())]
    assert [body["sentence"] for kind, body in news if kind == "trouble"] == [shown.recorder.failed]
    for row in shown.recordings:
        assert row.seconds >= 2.5
        assert soundfile.info(
            str(boathouse.folder.recordings / row.file_name)
        ).frames / RATE == pytest.approx(row.seconds, abs=0.06)
    # Another one can be made at once, in the same second as well.
    for _ in range(3):
        live_recording.start_recording(boathouse, purpose="Walk")
        live_recording.stop_recording(boathouse)
    assert shows(boathouse, "recorder").failed is None
    living.stop_run(boathouse)


def test_a_recording_that_the_full_disk_left_unlisted_is_listed_with_the_next_one(
    boathouse, monkeypatch
):
    recorder_services.choose_tracks(boathouse, ["treated"], "flac", None, None)
    living.start_run(boathouse)
    live_recording.start_recording(boathouse, purpose="Walk")
    wait_until(lambda: shows(boathouse, "recorder").seconds > 3.0)

    def full(app, part):
        raise FolderError("disk-full", "The disk is full, so this was not saved.")

    with monkeypatch.context() as patched:
        patched.setattr(library, "keep_part", full)
        live_recording.stop_recording(boathouse)
    assert shows(boathouse, "recordings")[0].seconds == 0.0
    live_recording.start_recording(boathouse, purpose="Walk")
    assert max(row.seconds for row in shows(boathouse, "recordings")) >= 3.0
    live_recording.stop_recording(boathouse)
    living.stop_run(boathouse)


def test_twenty_derives_at_once_are_one_after_another_and_few(boathouse, monkeypatch):
    count = []
    real = deriving._derive_again

    def counted(*arguments):
        count.append(threading.current_thread())
        return real(*arguments)

    monkeypatch.setattr(deriving, "_derive_again", counted)
    failed = []

    def ask():
        try:
            deriving.derive_again(boathouse)
        except Exception as error:
            failed.append(error)

    threads = [threading.Thread(target=ask) for _ in range(20)]
    with calibration.current(boathouse).one_at_a_time:
        for thread in threads:
            thread.start()
        # All have asked before the first begins.
        wait_until(lambda: calibration.current(boathouse).asked_to_derive._asked == 20)
    for thread in threads:
        thread.join(PATIENCE_S)
    assert failed == []
    assert len(count) == 1


@pytest.mark.parametrize(
    "said, code",
    [
        ("database or disk is full", "disk-full"),
        ("attempt to write a readonly database", "read-only"),
        ("database is locked", "busy"),
        ("database disk image is malformed", "corrupt"),
        ("file is not a database", "corrupt"),
        ("disk I/O error", "disk"),
    ],
)
def test_what_a_database_says_is_told_in_our_words(said, code):
    error = told_error(OperationalError("SELECT secret FROM change", {"x": 1}, Exception(said)))
    assert error.code == code
    assert "SELECT" not in str(error)
    assert "sqlite" not in str(error).lower()


def test_what_the_database_refuses_is_a_sentence_at_every_service(app):
    with app.sessions.begin() as session:
        session.execute(
            text(
                "CREATE TRIGGER refuse BEFORE INSERT ON rig BEGIN SELECT RAISE(ABORT, 'database or"
                " disk is full'); END"
            )
        )
    with pytest.raises(FolderError, match="The disk is full, so this was not saved"):
        things.add_rig(app, "Second")
    assert len(shows(app, "rigs")) == 1


def test_a_rig_that_two_remove_at_once_goes_once(app):
    things.add_rig(app, "Second")
    things.use_rig(app, 1)
    second = next(rig.id for rig in shows(app, "rigs") if rig.name == "Second")
    said = []

    def remove():
        try:
            things.remove_rig(app, second)
            said.append("gone")
        except Refused as refused:
            said.append(refused.code)

    threads = [threading.Thread(target=remove) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(PATIENCE_S)
    assert sorted(said) == ["gone", *["no-rig"] * 5]


def test_a_sound_that_is_lost_while_it_works_is_done_without(boathouse):
    boathouse.sounds = type(boathouse.sounds)(4)
    boathouse.readings = type(boathouse.readings)(32)
    calibration.current(boathouse).take_sets = Cache(8)
    newest = [take for take in shows(boathouse, "takes") if take.purpose == "rest"][-1]
    with boathouse.sessions() as session:
        path = take_files.take_path(boathouse.folder, session.get_one(Take, newest.id).sha256)
    path.write_bytes(path.read_bytes()[:5000])
    deriving.derive_again(boathouse)
    shown = overview(boathouse, "quiet", "takes")
    lost = next(take for take in shown.takes if take.id == newest.id)
    assert "Its sound is damaged" in lost.fault
    assert shown.quiet is not None
    assert (
        next(take for take in shown.takes if take.purpose == "rest" and take.current).id < newest.id
    )


def test_a_recording_has_its_row_before_its_file(boathouse, monkeypatch):
    seen = []
    real = recorder_module.open_track

    def look(path, **more):
        with boathouse.sessions() as session:
            seen.append([row.file_name for row in session.query(Recording)])
        assert path.name in seen[-1]
        return real(path, **more)

    monkeypatch.setattr(recorder_module, "open_track", look)
    living.start_run(boathouse)
    live_recording.start_recording(boathouse)
    live_recording.stop_recording(boathouse)
    living.stop_run(boathouse)
    assert seen
