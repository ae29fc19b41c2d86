"""A clock that jumps: a day back, a year on, as after an empty battery or a journey."""

import shutil
import sqlite3
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store import backup
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app


def opened(path):
    app = open_app(DataFolder(path), simulated_world(BrowserStream), pace="fast")
    return app, create_app(app).test_client()


@pytest.mark.parametrize("days", [-1, -400, 365])
def test_the_newest_copy_is_the_one_that_holds_most_whatever_the_clock_says(
    boathouse_data, tmp_path, monkeypatch, days
):
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    app, client = opened(folder)
    app.copier.stop()
    client.post("/api/rigs", json={"name": "Before the jump"})
    backup.copy_database(app.folder)

    class Jumped(datetime):
        @classmethod
        def now(cls, tz=None):
            return datetime.now(tz) + timedelta(days=days)

    monkeypatch.setattr(backup, "datetime", Jumped)
    for number in range(5):
        client.post("/api/rigs", json={"name": f"Behind the jump {number}"})
        backup.copy_database(app.folder)
    newest = backup.copies(app.folder)[0]
    with closing(backup.read_copy(newest)) as connection:
        names = {row[0] for row in connection.execute("SELECT name FROM rig")}
    assert "Behind the jump 4" in names
    # As few are kept as ever, and the newest are among them.
    assert len(backup.copies(app.folder)) <= 8
    close_app(app)
    (folder / "wren.db").write_bytes(b"")
    for left in folder.glob("wren.db-*"):
        left.unlink()
    again, client = opened(folder)
    shown = client.get("/api/state").get_json()
    assert "Behind the jump 4" in {rig["name"] for rig in shown["rigs"]}
    assert [found["code"] for found in shown["findings"]] == ["database-restored"]
    close_app(again)


def test_takes_of_tomorrow_and_of_last_year_are_in_the_order_in_which_they_were_taken(
    boathouse_data, tmp_path
):
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    app, client = opened(folder)
    before = client.get("/api/state").get_json()["takes"]
    close_app(app)
    ahead = (datetime.now(UTC) + timedelta(days=365)).isoformat(timespec="seconds")
    with closing(sqlite3.connect(folder / "wren.db")) as connection, connection:
        connection.execute("UPDATE take SET taken_at = ? WHERE id = ?", (ahead, before[0]["id"]))
    app, client = opened(folder)
    after = client.get("/api/state").get_json()
    assert [take["id"] for take in after["takes"]] == [take["id"] for take in before]
    assert [take["current"] for take in after["takes"]] == [take["current"] for take in before]
    assert after["findings"] == []
    close_app(app)
