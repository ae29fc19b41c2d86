"""The data folder by any name that the system allows, and one that goes while the program works."""

import io
import os
import pathlib
import shutil

import pytest
import soundfile

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.opening import doctor
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app
from signals import RATE, room

WORLD = simulated_world(BrowserStream)
NAMES = (
    b"with space",
    b" space before and behind ",
    b"a?b",
    b"a?mode=memory",
    b"a%41b",
    b"%00",
    b"%2e%2e%2f",
    b"a#b",
    b"a&b=c",
    b"a;b",
    b"a:b",
    b"file:x",
    b":memory:",
    b"sqlite:x",
    b"a@b",
    b"[a]",
    b"{a}",
    b"{path.__class__}",
    b"$HOME",
    b"~",
    b"-rf",
    b"a'b",
    b'a"b',
    b"a\\b",
    b"new\nline",
    b"bell\x07",
    b"caf\xe9",
    b"\xff\xfe",
    b"\xed\xa0\x80",
    "ü ñ 日本".encode(),
    "\u202eright to left".encode(),
    b"x" * 200,
)


def opened(path):
    return open_app(DataFolder(path), WORLD, pace="fast")


def flac():
    sound = io.BytesIO()
    soundfile.write(sound, room(seconds=4.0), RATE, format="FLAC")
    return sound.getvalue()


def test_thirty_odd_names_are_tried():
    assert len(set(NAMES)) >= 30


@pytest.mark.parametrize("name", NAMES)
def test_a_folder_of_any_name_keeps_what_is_put_into_it(tmp_path, name):
    # Nothing beside the folder, whatever a name may seem to say.
    around = tmp_path / "around"
    around.mkdir()
    folder = pathlib.Path(os.fsdecode(os.fsencode(around) + b"/" + name))
    app = opened(folder)
    client = create_app(app).test_client()
    sent = {"file": (io.BytesIO(flac()), "x.flac"), "purpose": "rest"}
    assert client.post("/api/takes/file", data=sent).status_code == 200
    assert client.post("/api/rigs", json={"name": "Quay"}).status_code == 200
    close_app(app)
    assert [path.name for path in around.iterdir()] == [folder.name]
    assert (folder / "wren.db").stat().st_size > 0
    assert list((folder / "backups").glob("wren-*.db"))
    again = opened(folder)
    shown = create_app(again).test_client().get("/api/state").get_json()
    assert shown["findings"] == []
    assert "Quay" in {rig["name"] for rig in shown["rigs"]}
    close_app(again)
    held = DataFolder(folder)
    assert doctor.examine(held, WORLD) == []
    held.close()


@pytest.mark.parametrize("how", ["moved", "deleted", "another in its place"])
def test_a_folder_that_is_gone_is_told_and_nothing_is_said_to_be_kept(
    boathouse_data, tmp_path, how
):
    folder, away = tmp_path / "data", tmp_path / "away"
    shutil.copytree(boathouse_data, folder)
    app = opened(folder)
    client = create_app(app).test_client()
    if how == "deleted":
        shutil.rmtree(folder)
    else:
        folder.rename(away)
    if how == "another in its place":
        shutil.copytree(boathouse_data, folder)
    asked = [
        lambda: client.post("/api/rigs", json={"name": "Lost"}),
        lambda: client.post("/api/takes", json={"purpose": "rest", "seconds": 3}),
        lambda: client.post(
            "/api/takes/file", data={"file": (io.BytesIO(flac()), "x.flac"), "purpose": "rest"}
        ),
        lambda: client.post("/api/brought", data={"file": (io.BytesIO(b"{}"), "x.json")}),
    ]
    for ask in asked[:3]:
        answer = ask()
        assert answer.status_code == 422
        said = answer.get_json()
        assert said["code"] == "folder-gone"
        assert str(folder) in said["sentence"]
        assert "Put it back" in said["sentence"]
    if how != "moved":
        return
    away.rename(folder)
    for ask in asked[:1]:
        assert ask().status_code == 200
    close_app(app)
    shown = create_app(opened(folder)).test_client().get("/api/state").get_json()
    assert [rig["name"] for rig in shown["rigs"]].count("Lost") == 1
