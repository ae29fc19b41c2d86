"""What was acknowledged is there again, however the program ended."""

import pathlib
import re
import time

import numpy as np
import pytest
from sqlalchemy import create_engine, inspect, text
from sqlalchemy.engine import make_url

from kills import Asked, rig_of
from obsidian_wren.service import takes
from obsidian_wren.service.opening import opening
from obsidian_wren.service.takes import ending, from_page
from obsidian_wren.store import parts, take_files
from obsidian_wren.store.backup import copies, copy_database, is_sound
from obsidian_wren.store.database import HEAD, MIGRATIONS, make, migrate
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.models import Base
from shown import overview, shows


@pytest.fixture
def data(tmp_path):
    return tmp_path / "data"


def simulated(program):
    rig = rig_of(program.ask("GET", "state"))
    return program.ask("PUT", "rig", {**rig, "source": "simulated"})


def test_stop_and_start_everything_is_as_it_was(data):
    first = Asked(data, "--fast")
    simulated(first)
    first.ask("POST", "takes", {"purpose": "rest"})
    first.ask("POST", "takes", {"purpose": "passage"})
    first.ask("POST", "confirm", {"step": "quiet"})
    band = next(s for s in first.ask("GET", "state")["settings"] if s["stage"] == "equalizer")
    first.ask(
        "PATCH",
        "settings",
        {
            "stage": "equalizer",
            "name": band["name"],
            "band": {**band["band"], "gain_db": 1.5},
            "pinned": True,
        },
    )
    before = first.ask("PUT", "destinations/call/picks", {"picks": "Wren: call"})
    first.end()
    second = Asked(data)
    after = second.ask("GET", "state")
    second.end()
    assert after.pop("revision") > before.pop("revision")
    assert after == before
    assert any(s["pinned"] and s["band"]["gain_db"] == 1.5 for s in after["settings"] if s["band"])


def test_killed_during_a_take_all_before_it_is_whole_and_the_half_is_offered(data):
    first = Asked(data)
    simulated(first)
    first.ask("POST", "takes", {"purpose": "rest", "seconds": 3})
    while first.ask("GET", "state")["progress"]:
        time.sleep(0.1)
    first.ask("POST", "takes", {"purpose": "talk", "seconds": 30})
    while (done_s := (first.ask("GET", "state")["progress"] or {"done_s": 9})["done_s"]) < 4.0:
        time.sleep(0.1)
    first.kill()
    second = Asked(data)
    state = second.ask("GET", "state")
    assert [take["purpose"] for take in state["takes"]] == ["rest"]
    assert state["quiet"] is not None
    half = state["halves"][0]
    assert half["purpose"] == "talk"
    # What was told is there; a busy machine may have taken more before the end came.
    assert done_s - 0.1 <= half["seconds"] <= 30.0
    kept = second.ask("POST", f"halves/{half['id']}/keep")
    assert kept["halves"] == []
    assert kept["takes"][-1]["half"]
    assert kept["talk"]["duration_s"] == pytest.approx(half["seconds"], abs=0.1)
    second.end()


def test_killed_at_the_very_beginning_the_stub_goes_with_a_word(data):
    first = Asked(data)
    simulated(first)
    first.ask("POST", "takes", {"purpose": "talk", "seconds": 30})
    while not first.ask("GET", "state")["progress"]["done_s"]:
        time.sleep(0.05)
    first.kill()
    second = Asked(data)
    state = second.ask("GET", "state")
    second.end()
    assert state["halves"] == []
    assert "discarded" in state["message"]


def test_a_page_that_dies_leaves_its_take_whole_so_far(app, monkeypatch):
    monkeypatch.setattr(ending, "_SILENT_AFTER_S", 1e9)
    take_id = from_page.start_browser(app, "talk", rate_hz=48_000, seconds=30, not_obeyed=[])
    for number in range(16):
        from_page.add_piece(app, take_id, number, np.full(12_000, number / 100))
    from_page.add_piece(app, take_id, 15, np.zeros(12_000))
    assert shows(app, "progress").done_s == 4.0
    running = takes.current(app).running
    # From here on nothing more has come for too long.
    monkeypatch.setattr(ending, "_SILENT_AFTER_S", 0.0)
    assert running.over.wait(60)
    shown = overview(app, "halves", "progress")
    assert shown.progress is None
    assert shown.halves[0].seconds == 4.0
    samples = parts.read_part(app.folder, shown.halves[0].id)
    assert samples[::12_000] == pytest.approx(np.arange(16) / 100, abs=1e-6)


def test_a_take_is_named_by_its_content_and_kept_once(tmp_path):
    folder = DataFolder(tmp_path / "d")
    sound = np.linspace(-0.5, 0.5, 4000)
    first, second = (take_files.keep_take(folder, sound, rate_hz=48_000) for _ in range(2))
    assert first == second
    assert [path.stem for path in folder.takes.iterdir()] == [first]
    loaded, rate = take_files.load_take(folder, first)
    assert rate == 48_000
    np.testing.assert_allclose(loaded, sound, rtol=0, atol=2**-22)


def test_half_written_rubbish_is_cleared_at_the_start(tmp_path, app):
    strays = [
        app.folder.takes / "abc.new",
        app.folder.backups / "wren-20261124-120000-000.0a1b2c3d.new-shm",
        app.folder.backups / "wren-20261124-120000-000.db-wal",
    ]
    for stray in strays:
        stray.write_bytes(b"half a file")
    app.folder.close()
    again = opening.open_app(DataFolder(app.folder.path), app.world)
    assert not any(stray.exists() for stray in strays)
    again.folder.close()


def test_a_copy_of_the_database_leaves_nothing_beside_it(app):
    made = {copy_database(app.folder) for _ in range(2)}
    assert all(is_sound(copy) for copy in made)
    there = {path for path in app.folder.backups.iterdir() if "before" not in path.name}
    assert there == set(copies(app.folder)) >= made


def _shape_of(engine):
    """Columns, keys and indexes of every table.

    A double is a float to the database; a default only filled rows of before.
    """
    found = inspect(engine)
    shapes = {}
    for table in found.get_table_names():
        columns = found.get_columns(table)
        shapes[table] = (
            {
                c["name"]: (
                    str(c["type"]).replace("DOUBLE", "FLOAT"),
                    c["nullable"],
                    c["primary_key"],
                )
                for c in columns
            },
            {
                (*key["constrained_columns"], key["referred_table"], *key["referred_columns"])
                for key in found.get_foreign_keys(table)
            },
            {
                (index["name"], *index["column_names"], index["unique"])
                for index in found.get_indexes(table)
            },
            {tuple(unique["column_names"]) for unique in found.get_unique_constraints(table)},
        )
    return shapes


def test_a_new_database_has_the_tables_that_the_migrations_make(tmp_path):
    migrated, made = (
        create_engine(make_url(f"sqlite:///{tmp_path / name}")) for name in ("m.db", "n.db")
    )
    migrate(migrated)
    make(made)
    assert _shape_of(made) == _shape_of(migrated)
    assert set(_shape_of(made)) == {table.name for table in Base.metadata.sorted_tables} | {
        "alembic_version"
    }
    for engine in (migrated, made):
        with engine.connect() as connection:
            assert (
                connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == HEAD
            )
    newest = max(
        re.search(r'revision = "(\w+)"|revision = \'(\w+)\'', path.read_text()).group(0)
        for path in pathlib.Path(MIGRATIONS / "versions").glob("*.py")
    )
    assert HEAD in newest


def test_the_database_keeps_a_log_and_its_foreign_keys(app):
    with app.sessions() as session:
        assert session.execute(text("PRAGMA journal_mode")).scalar() == "wal"
        assert session.execute(text("PRAGMA foreign_keys")).scalar() == 1
    assert app.folder.database.exists()
