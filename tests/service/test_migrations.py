"""Data folders of older versions."""

import json
import random
import shutil
import sqlite3

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.preferences import PreferencesBody
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.backup import is_sound
from obsidian_wren.store.database import HEAD, MIGRATIONS, open_database
from older_folders import OLDER, as_left_by, killed_while_migrating, rows_in
from shown import overview, shows
from signals import RATE, noise


def test_a_folder_of_the_first_version_opens_with_its_takes_read_anew(tmp_path, app_over):
    """Tables as the first migration made them, a take in them: after opening, the take is there
    with a reading and its things are kept."""
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.store.take_files import keep_take

    folder = DataFolder(tmp_path / "old")
    digest = keep_take(folder, noise(1e-3, 6.0), rate_hz=RATE)
    engine = create_engine(f"sqlite:///{folder.database}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "0001")
    engine.dispose()
    with sqlite3.connect(folder.database) as tables:
        rig = (
            1,
            "Boathouse loft",
            "Reedling 40",
            "condenser",
            "cardioid",
            "Towpath Two",
            22,
            20,
            48_000,
            18,
            9,
            "file",
            "{}",
            3.0,
        )
        tables.execute(f"INSERT INTO rig VALUES ({','.join('?' * len(rig))})", rig)
        take = (
            1,
            1,
            "rest",
            digest,
            RATE,
            6 * RATE,
            "file",
            3.0,
            22,
            20,
            0,
            "[]",
            None,
            "2026-01-01T00:00:00+00:00",
        )
        tables.execute(f"INSERT INTO take VALUES ({','.join('?' * len(take))})", take)
        tables.execute("INSERT INTO settled VALUES (1, 'quiet', '{}', '2026-01-01T00:00:00+00:00')")
    folder.close()
    shown = overview(
        app_over(tmp_path / "old"),
        "interfaces",
        "microphones",
        "quiet",
        "rig",
        "rooms",
        "steps",
    )
    assert shown.quiet.rms_dbfs == pytest.approx(-56.99, abs=0.02)
    assert (shown.microphones[0].name, shown.interfaces[0].name, shown.rooms[0].name) == (
        "Reedling 40",
        "Towpath Two",
        "Boathouse loft",
    )
    assert shown.rig.distance_cm == 22
    assert shown.steps[1].status == "confirmed"


def readings_in(tables):
    """By take: the version of its reading, what it tells, and its level."""
    found = tables.execute("SELECT take_id, version, body FROM reading").fetchall()
    bodies = ((take, version, json.loads(body)) for take, version, body in found)
    return {take: (version, set(body), body["rms_dbfs"]) for take, version, body in bodies}


def test_what_an_older_version_read_is_read_again(boathouse_data, tmp_path, app_over):
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    with sqlite3.connect(folder / "wren.db") as tables:
        before = readings_in(tables)
        tables.execute("UPDATE reading SET body = '{}', version = 0")
    app_over(folder)
    with sqlite3.connect(folder / "wren.db") as tables:
        assert readings_in(tables) == before


def test_a_new_database_is_as_new_as_the_newest_migration():
    assert sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("0*.py"))[-1] == HEAD


def test_residuals_verdicts_and_confirmed_steps_go_on_under_their_new_names(tmp_path):
    engine = create_engine(f"sqlite:///{tmp_path / 'old.db'}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "0006")
    with sqlite3.connect(tmp_path / "old.db") as tables:
        for step, body in (
            ("tone", '{"left_over_rms_db": 0.75, "low_hz": 90}'),
            ("gain", '{"verdict": "settled"}'),
        ):
            tables.execute("INSERT INTO derivation VALUES (1, ?, ?, '{}')", (step, body))
        tables.execute("INSERT INTO settled VALUES (1, 'quiet', '{}', '2026-01-01T00:00:00+00:00')")
    command.upgrade(config, "head")
    with sqlite3.connect(tmp_path / "old.db") as tables:
        bodies = dict(tables.execute("SELECT step, body FROM derivation"))
        steps = tables.execute("SELECT step FROM confirmed").fetchall()
    assert json.loads(bodies["tone"]) == {"low_hz": 90, "residual_rms_db": 0.75}
    assert json.loads(bodies["gain"]) == {"verdict": "stay"}
    assert steps == [("quiet",)]
    engine.dispose()


def test_what_was_wished_is_preferred_and_can_still_be_undone(boathouse_data, tmp_path, app_over):
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    app = app_over(folder)
    before = shows(app, "preferences")
    settings.change_preferences(app, PreferencesBody(cut_weight=0.3))
    older = tmp_path / "older"
    shutil.copytree(folder, older)
    as_left_by(older, "0013")
    with sqlite3.connect(older / "wren.db") as tables:
        (kept,) = tables.execute("SELECT wishes FROM rig").fetchone()
    assert json.loads(kept) == {"cut_weight": 0.3}
    app = app_over(older)
    assert shows(app, "preferences").cut_weight == 0.3
    put_back.undo(app)
    assert shows(app, "preferences") == before


@pytest.mark.parametrize("revision", OLDER)
def test_a_kill_in_the_middle_of_a_migration_costs_nothing(boathouse_data, tmp_path, revision):
    """At an instant near the beginning, in the middle, and wherever the work ends by itself."""
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    as_left_by(folder, revision)
    before = rows_in(folder)
    rng = random.Random(revision)
    for statement in sorted(rng.sample(range(3, 60), 3)):
        killed_while_migrating(folder, statement)
        assert rows_in(folder) == before
    sessions = open_database(folder / "wren.db")
    with sessions() as session:
        assert session.execute(text("SELECT version_num FROM alembic_version")).scalar() == HEAD
    sessions.close()
    assert rows_in(folder) == before
    assert is_sound(folder / "wren.db")
