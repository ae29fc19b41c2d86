"""What a row holds, spoiled in every column that holds JSON: the state answers, says which part
cannot be read, and shows every other part as it was; `doctor` finds the same."""

import json
import shutil
import sqlite3
from contextlib import closing

import pytest

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.opening import doctor
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.page.overview import PARTS
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.models import Base
from obsidian_wren.web.app import create_app

WORLD = simulated_world(BrowserStream)
# Each as text, since what an older version or another hand wrote is text before it is anything.
SPOILED = (
    "null",
    "5",
    '"x"',
    "[]",
    "{}",
    "[1]",
    '{"a": null}',
    "1" + "0" * 400,
    '{"value": 1e999}',
    '"\\ud800"',
    "{",
    "",
)
JSON_COLUMNS = [
    (table.name, column.name)
    for table in Base.metadata.sorted_tables
    for column in table.columns
    if type(column.type).__name__ == "JSON"
]


@pytest.fixture
def folder(boathouse_data, tmp_path):
    """The boathouse with a version of its calibration and one that was brought in."""
    kept = tmp_path / "data"
    shutil.copytree(boathouse_data, kept)
    app = open_app(DataFolder(kept), WORLD, pace="fast")
    client = create_app(app).test_client()
    whole = client.get("/api/calibration").get_json()
    path = tmp_path / "whole.json"
    path.write_text(json.dumps(whole))
    with path.open("rb") as file:
        assert client.post("/api/brought", data={"file": (file, "whole.json")}).status_code == 200
    assert client.post("/api/confirm", json={"step": "rig", "anyway": True}).status_code == 200
    close_app(app)
    return kept


def parts_of(client):
    answer = client.get("/api/state")
    assert answer.status_code == 200, answer.get_data(as_text=True)
    return answer.get_json()


def test_every_json_column_of_every_table_is_tried():
    assert len(JSON_COLUMNS) > 20


# A third of the texts for each column, another third for the next.
THIRDS = [
    (table, column, SPOILED[(place + third) % 3 :: 3])
    for place, (table, column) in enumerate(JSON_COLUMNS)
    for third in range(3)
]


@pytest.mark.parametrize("table, column, texts", THIRDS)
def test_a_spoiled_row_costs_its_part_and_no_other(folder, table, column, texts):
    database = folder / "wren.db"
    with closing(sqlite3.connect(database)) as connection:
        rows = connection.execute(f"SELECT rowid, {column} FROM {table}").fetchall()
    if not rows:
        pytest.skip("the boathouse has no such row")
    app = open_app(DataFolder(folder), WORLD, pace="fast")
    client = create_app(app).test_client()
    before = parts_of(client)
    assert before["findings"] == []
    for number, text in enumerate(texts):
        rowid, whole = rows[number % len(rows)]
        with closing(sqlite3.connect(database)) as connection, connection:
            connection.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (text, rowid))
        now = parts_of(client)
        spoiled = [name for name in PARTS if now["have"][name] != before["have"][name]]
        # One row may be told of in several places, but never in most.
        assert len(spoiled) <= 10, (text, spoiled)
        for finding in now["findings"]:
            assert finding["sentence"].endswith(".")
            assert finding["action"].endswith(".")
        with closing(sqlite3.connect(database)) as connection, connection:
            connection.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (whole, rowid))
    assert parts_of(client)["have"] == before["have"]
    close_app(app)


def test_doctor_finds_what_the_state_cannot_show_and_puts_it_aside(folder):
    with closing(sqlite3.connect(folder / "wren.db")) as connection, connection:
        connection.execute("UPDATE brought_file SET file = json_set(file, '$.rig', '5')")
        connection.execute("UPDATE kept_calibration SET file = '{}'")
    app = open_app(DataFolder(folder), WORLD, pace="fast")
    client = create_app(app).test_client()
    told = parts_of(client)["findings"]
    assert [finding["code"] for finding in told] == ["unreadable-brought"]
    assert "Put the file away" in told[0]["action"]
    assert client.post("/api/brought/over").get_json()["code"] == "unreadable-brought"
    close_app(app)
    held = DataFolder(folder)
    codes = {trouble.code for trouble in doctor.examine(held, WORLD)}
    assert codes == {"unreadable-brought", "unreadable-version"}
    put_right = doctor.repair(held, WORLD)
    assert all(trouble.put_right for trouble in put_right)
    assert doctor.examine(held, WORLD) == []
    aside = json.loads(next((folder / "aside").rglob("rows.json")).read_text())
    assert aside.keys() == {"brought_file", "version"}
    held.close()
