"""Every kind of file of the data folder, broken in every way: the program starts, the state
answers, the fault is told, the rest is there."""

import json
import shutil
import sqlite3
from contextlib import closing

import numpy as np
import pytest

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service.mixes import clips
from obsidian_wren.service.opening import checking, doctor
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.recording import library
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store import parts
from obsidian_wren.store.backup import copies, copy_database
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.models import Clip, Take
from obsidian_wren.store.token import token_of
from obsidian_wren.voice.recorded_file import measured
from obsidian_wren.voice.records import BeginRecording, RecordedTrack
from obsidian_wren.voice.track_files import open_track
from shown import overview, shows
from signals import RATE, noise, room

FAULTS = ("missing", "empty", "cut", "scrambled", "foreign", "unreadable")
PNG = b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 40
VOICE = RecordedTrack("voice raw", "raw voice", "voice raw", 1)


def opened(path):
    return open_app(DataFolder(path), simulated_world(BrowserStream), pace="fast")


def finished_recording(app):
    asked = BeginRecording("abc", "Walk", "", "2026-11-25 12-00-00 Walk", (VOICE,))
    path = app.folder.recordings / asked.file_name(VOICE, 1)
    library.keep_open(app, asked, 1, RATE)
    track = open_track(path, rate_hz=RATE, channels=1, file_format="flac")
    track.write(noise(0.1, 2.0)[:, None])
    track.close()
    library.keep_part(app, measured(path, channels=1, rate_hz=RATE))


@pytest.fixture(scope="module")
def lived_in(boathouse_data, tmp_path_factory):
    """A folder as a kill leaves it: the boathouse with clips, a recording, a half take, and what
    was written last in the log only."""
    folder = tmp_path_factory.mktemp("lived") / "data"
    shutil.copytree(boathouse_data, folder)
    app = opened(folder)
    app.copier.stop()
    # The log is emptied, so that what comes now stands in it alone.
    with closing(sqlite3.connect(app.folder.database)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    clips.ship(app)
    finished_recording(app)
    part = parts.Part(
        app.folder,
        parts.PartInfo("rest", RATE, "browser", {}, "2026-11-25T12:00:00+00:00", rig_id=1),
    )
    part.append(room(1e-3, 5.0))
    part.close()
    token_of(folder / "token")
    copy_database(app.folder)
    kept = tmp_path_factory.mktemp("kept") / "data"
    shutil.copytree(folder, kept)
    close_app(app)
    assert (kept / "wren.db-wal").stat().st_size > 0
    return kept


def of_purpose(folder, purpose):
    with closing(sqlite3.connect(folder / "wren.db")) as connection:
        query = "SELECT sha256 FROM take WHERE purpose = ? ORDER BY id DESC"
        return connection.execute(query, (purpose,)).fetchone()[0]


KINDS = {
    "database": lambda d: d / "wren.db",
    "log": lambda d: d / "wren.db-wal",
    "index of the log": lambda d: d / "wren.db-shm",
    "lock": lambda d: d / "lock",
    "token": lambda d: d / "token",
    "newest room": lambda d: d / "takes" / f"{of_purpose(d, 'rest')}.flac",
    "newest passage": lambda d: d / "takes" / f"{of_purpose(d, 'passage')}.flac",
    "what a take says": lambda d: d / "takes" / f"{of_purpose(d, 'passage')}.json",
    "what a half take says": lambda d: next((d / "parts").glob("*.json")),
    "sound of a half take": lambda d: next((d / "parts").glob("*.f32")),
    "recording": lambda d: next((d / "recordings").iterdir()),
    "copy": lambda d: max((d / "backups").glob("wren-*.db")),
    "clip": lambda d: d / "takes" / f"{clip_digest(d)}.flac",
}
# Where nothing that anybody would miss is gone, nothing has to be told.
SILENT = ("index of the log", "lock", "token", "what a take says", "copy")


def clip_digest(folder):
    with closing(sqlite3.connect(max((folder / "backups").glob("wren-*.db")))) as connection:
        return connection.execute("SELECT sha256 FROM clip ORDER BY id").fetchone()[0]


def break_it(path, fault):
    whole = path.read_bytes()
    match fault:
        case "missing":
            path.unlink()
        case "empty":
            path.write_bytes(b"")
        case "cut":
            path.write_bytes(whole[: len(whole) // 2])
        case "scrambled":
            rng = np.random.default_rng(len(whole))
            path.write_bytes(rng.integers(0, 256, len(whole), dtype=np.uint8).tobytes())
        case "foreign":
            path.write_bytes(PNG)
        case "unreadable":
            # Whoever runs this may read everything, but nobody reads a folder as a file.
            path.unlink()
            path.mkdir()


def told(app):
    shown = overview(app, "clips", "message", "recordings", "takes")
    found = [finding.sentence for finding in shown.findings]
    found += [take.fault for take in shown.takes if take.fault]
    found += [row.fault for row in (*shown.clips, *shown.recordings) if row.fault]
    return found + ([shown.message] if shown.message else [])


def kept_in(app):
    """What is there for a person, by what it is."""
    shown = overview(app, "clips", "recordings", "rig", "settings", "takes")
    return {
        "takes": {take.id for take in shown.takes},
        "clips": {clip.name for clip in shown.clips},
        "recordings": {row.file_name for row in shown.recordings},
        "settings": {(s.stage, s.name, s.value) for s in shown.settings},
        "rig": (shown.rig.name, shown.rig.distance_cm),
    }


@pytest.fixture(scope="module")
def whole(lived_in, tmp_path_factory):
    """What is there where nothing is broken; nothing is told then but the half take."""
    folder = tmp_path_factory.mktemp("whole") / "data"
    shutil.copytree(lived_in, folder)
    app = opened(folder)
    checking.check_sounds(app)
    found = kept_in(app)
    assert told(app) == []
    assert len(shows(app, "halves")) == 1
    close_app(app)
    return found


@pytest.fixture
def broken(lived_in, tmp_path):
    def go(kind, fault):
        folder = tmp_path / f"{kind} {fault}".replace(" ", "-")
        shutil.copytree(lived_in, folder)
        break_it(KINDS[kind](folder), fault)
        return folder

    return go


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("fault", FAULTS)
def test_the_program_starts_and_says_what_is_wrong(broken, whole, kind, fault):
    folder = broken(kind, fault)
    app = opened(folder)
    checking.check_sounds(app)
    found = told(app)
    assert bool(found) == (kind not in SILENT), found
    assert all(sentence.endswith((".", "!")) for sentence in found)
    # Nothing but what stood in the broken file is gone: a sound that is lost says so at its take or
    # clip, which stays.
    assert kept_in(app) == whole
    shown = overview(app, "halves", "quiet")
    assert shown.quiet is not None
    assert len(shown.halves) == (0 if "half take" in kind else 1)
    with app.sessions() as session:
        assert session.connection().exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
    close_app(app)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("fault", ("missing", "scrambled", "unreadable"))
def test_repair_puts_right_what_can_be(broken, whole, kind, fault):
    folder = broken(kind, fault)
    held = DataFolder(folder)
    doctor.repair(held, simulated_world(BrowserStream))
    left = doctor.examine(held, simulated_world(BrowserStream))
    held.close()
    # What only a copy of the file can bring back is still said; everything else is right.
    assert {trouble.code for trouble in left} <= {"sound-lost", "recording-lost"}
    app = opened(folder)
    assert kept_in(app) == whole
    close_app(app)


def test_a_sound_that_is_put_back_is_used_again(broken, lived_in):
    folder = broken("newest passage", "scrambled")
    app = opened(folder)
    assert checking.check_sounds(app) > 0
    (fault,) = [take.fault for take in shows(app, "takes") if take.fault]
    assert "damaged" in fault
    name = f"{of_purpose(folder, 'passage')}.flac"
    shutil.copy(lived_in / "takes" / name, folder / "takes" / name)
    checking.check_sounds(app)
    assert told(app) == []
    close_app(app)


def test_a_database_without_a_copy_is_made_again_from_what_lies_beside_it(lived_in, tmp_path):
    folder = tmp_path / "data"
    shutil.copytree(lived_in, folder)
    for copy in (folder / "backups").iterdir():
        copy.unlink()
    (folder / "wren.db").write_bytes(b"")
    (folder / "wren.db-wal").unlink()
    app = opened(folder)
    shown = overview(app, "clips", "quiet", "recordings", "tone")
    assert shown.quiet is not None
    assert shown.tone is not None
    assert len(shown.recordings) == 1
    assert {clip.name for clip in shown.clips} == {"Bell", "Gull", "Horn", "Door"}
    (finding,) = shown.findings
    assert "There was no copy" in finding.sentence
    close_app(app)


def test_what_a_newer_version_left_is_not_touched(lived_in, tmp_path):
    folder = tmp_path / "data"
    shutil.copytree(lived_in, folder)
    with closing(sqlite3.connect(folder / "wren.db")) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9001'")
        connection.commit()
    before = (folder / "wren.db").read_bytes()
    held = DataFolder(folder)
    with pytest.raises(
        FolderError, match="A newer Obsidian Wren has worked in this data folder"
    ) as caught:
        open_app(held, simulated_world(BrowserStream))
    assert caught.value.code == "newer"
    assert (folder / "wren.db").read_bytes() == before
    held.close()


def test_a_half_take_of_a_newer_version_is_used_as_far_as_it_is_known(app_over, tmp_path):
    app = app_over(tmp_path / "data")
    part = parts.Part(
        app.folder, parts.PartInfo("rest", RATE, "browser", {}, "2026-11-25T12:00:00+00:00")
    )
    part.append(room(1e-3, 5.0))
    part.close()
    said = app.folder.parts / f"{part.id}.json"
    said.write_text(json.dumps({**json.loads(said.read_text()), "moon": "full"}))
    stranger = app.folder.parts / "0123456789ab.json"
    stranger.write_text(json.dumps({**json.loads(said.read_text()), "purpose": "whistle"}))
    (app.folder.parts / "notes.txt").write_text("mine")
    (app.folder.parts / "tmpabc").mkdir()
    (app.folder.parts / "fedcba987654.json.new").write_text("{")
    (half,) = shows(app, "halves")
    close_app(app)
    again = opened(tmp_path / "data")
    assert [entry.id for entry in shows(again, "halves")] == [half.id]
    (finding,) = overview(again).findings
    assert "0123456789ab.json" in finding.sentence
    assert "notes.txt" in finding.sentence
    assert sorted(path.suffix for path in again.folder.parts.iterdir()) == [".f32", ".json"]
    assert [path.name for path in (again.folder.path / "aside").rglob("notes.txt")] == ["notes.txt"]
    close_app(again)


def test_a_copy_is_made_before_a_migration(lived_in, tmp_path):
    folder = tmp_path / "data"
    shutil.copytree(lived_in, folder)
    with closing(sqlite3.connect(folder / "wren.db")) as connection:
        connection.executescript(
            "ALTER TABLE take DROP COLUMN fault_code; ALTER TABLE clip DROP COLUMN fault; ALTER"
            " TABLE recording DROP COLUMN size_bytes;ALTER TABLE recording DROP COLUMN fault;"
            " ALTER TABLE confirmed RENAME TO settled; ALTER TABLE rig DROP COLUMN channel;"
            " ALTER TABLE destination DROP COLUMN title; ALTER TABLE destination DROP COLUMN plays;"
            " ALTER TABLE live_wish DROP COLUMN feeds_stay; DROP TABLE series;"
            " ALTER TABLE live_wish DROP COLUMN loudspeaker;"
            " ALTER TABLE live_wish DROP COLUMN watches;"
            " ALTER TABLE live_wish DROP COLUMN muting; DROP TABLE version;"
            " ALTER TABLE reading DROP COLUMN version;"
            " ALTER TABLE rig RENAME COLUMN preferences TO wishes;"
            " DROP TABLE situation; DROP TABLE kept_calibration; DROP TABLE brought_file;"
            " DROP TABLE ordinary_day;"
            " DROP TABLE control_binding;"
            " UPDATE alembic_version SET version_num = '0005'; PRAGMA user_version = 100000;"
        )
    app = opened(folder)
    assert overview(app).findings == []
    close_app(app)
    with closing(
        sqlite3.connect(folder / "backups" / "before-migration-from-0005.db")
    ) as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone()[0] == "0005"
        assert connection.execute("SELECT count(*) FROM take").fetchone()[0] > 0


def test_copies_are_kept_few_and_the_newest_is_whole(app):
    app.copier.stop()
    for _ in range(6):
        newest = copy_database(app.folder)
    there = copies(app.folder)
    assert there[0] == newest
    assert len(there) == 3


def test_a_file_that_two_stand_on_stays_when_one_of_them_goes(app):
    """The same sound as a take and as a clip: the take is discarded for good, the clip sounds
    on."""
    from obsidian_wren.service.context import clock
    from obsidian_wren.service.takes import discarding, keeping
    from obsidian_wren.store.models import ChangeRow

    sound = noise(0.05, 5.0)
    info = parts.PartInfo("rest", RATE, "file", {}, clock.now())
    take_id = keeping.keep(app, info, sound, half=False)
    clips.load(app, "Rain", sound, RATE)
    discarding.discard_take(app, take_id)
    with app.sessions.begin() as session:
        assert session.get_one(Take, take_id).sha256 == session.query(Clip).one().sha256
        for row in session.query(ChangeRow):
            session.delete(row)
    discarding.purge_discarded(app)
    with app.sessions() as session:
        assert session.get(Take, take_id) is None
        assert len(clips.sound_of(app, session.query(Clip).one(), RATE)) == len(sound)
    clips.remove(app, shows(app, "clips")[0].id)
    with app.sessions() as session:
        # Undo can still bring the clip back.
        assert len(discarding.held_sounds(session)) == 1


def test_what_is_kept_is_its_owners_alone(lived_in, tmp_path):
    folder = tmp_path / "data"
    shutil.copytree(lived_in, folder)
    for path in (folder, *folder.rglob("*")):
        # As an older version left it.
        path.chmod(0o755 if path.is_dir() else 0o644)
    app = opened(folder)
    close_app(app)
    modes = {
        path.relative_to(folder).as_posix(): path.stat().st_mode & 0o777
        for path in (folder, *folder.rglob("*"))
    }
    assert set(modes.values()) == {0o700, 0o600}, modes
