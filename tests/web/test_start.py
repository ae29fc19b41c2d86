"""What a start loads: neither the page nor the first state waits for what computes."""

import json
import re
import shutil
import signal
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest

from command import Command
from obsidian_wren.voice import asking
from waiting import wait_until

# What renders, measures and simulates.
COMPUTES = {"numba", "scipy.signal", "scipy.fft", "scipy.optimize"}
# Modules when the first state is there, the standard library with them.
MOST_MODULES = 1385

FIRST_STATE = """
import json, pathlib, sys
from obsidian_wren.cli.starting import simulated_surroundings
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app
ws = open_app(DataFolder(pathlib.Path(sys.argv[1])), simulated_surroundings())
state = create_app(ws).test_client().get("/api/state").get_json()
assert state["delivery"] and state["findings"] == []
print(json.dumps(sorted(sys.modules)))
close_app(ws)
"""
FIRST_PAGE = """
import json, pathlib, sys
import obsidian_wren.cli.starting
from obsidian_wren.store.token import token_of
from obsidian_wren.web.access import Access
from obsidian_wren.web.front import Front
from obsidian_wren.web.server import bind
token_of(pathlib.Path(sys.argv[1]) / "token")
page = Front(lambda: None, Access(None, 0))({"HTTP_HOST": "localhost"}, lambda *_: None)
assert b"<!doctype html>" in b"".join(page).lower()
print(json.dumps(sorted(sys.modules)))
"""


def loaded(script, folder):
    done = subprocess.run(
        [sys.executable, "-c", script, str(folder)], check=True, capture_output=True, text=True
    )
    return json.loads(done.stdout)


def test_the_first_state_comes_from_rows_alone(boathouse_data, tmp_path):
    shutil.copytree(boathouse_data, tmp_path / "data")
    modules = loaded(FIRST_STATE, tmp_path / "data")
    assert set(modules) & COMPUTES == set()
    assert len(modules) <= MOST_MODULES


@pytest.fixture
def demo(boathouse_data, tmp_path):
    shutil.copytree(boathouse_data, tmp_path / "data")
    program = Command("demo", tmp_path / "data")
    yield program
    if program.process.poll() is None:
        program.ends_by(signal.SIGKILL)


def test_the_demos_page_computes_nothing_either_and_its_voice_ends_with_it(demo):
    """Simulated rigs and programs take the way of real ones: through the voice."""
    demo.ask("POST", "takes", purpose="rest", seconds=2)
    wait_until(lambda: demo.state()["progress"] is None)
    demo.ask("POST", "run/start")
    demo.ask("POST", "watch", purpose="rest")
    demo.ask("PUT", "destinations/call/picks", picks="Wren: call")
    demo.ask("POST", "controls", control="preamp", position=20.0)
    demo.ask("POST", "recordings/start")
    demo.ask("POST", "marker")
    proofs = wait_until(lambda: [d["proof"] for d in demo.state()["destinations"] if d["proof"]])
    assert proofs[0]["verdicts"][0]["code"] == "treated"
    assert demo.ask("POST", "recordings/stop")["recordings"][0]["loudness_lufs"] is not None
    assert demo.fetch("GET", "destinations/call/sound?what=heard")
    assert demo.loaded() == []
    voice = asking.found(demo.data / "voice.socket")
    assert voice.live
    demo.ends_by(signal.SIGKILL)
    wait_until(lambda: not Path(f"/proc/{voice.process}").exists())


def test_the_first_page_waits_for_no_database(tmp_path):
    modules = loaded(FIRST_PAGE, tmp_path)
    heavy = {"scipy", "sqlalchemy", "numpy", "pydantic", "flask"}
    assert {name.partition(".")[0] for name in modules} & heavy == set()


def test_in_another_language_it_begins_again_and_says_the_same_in_it(demo):
    """Under its address, live again, every reason in other words and every number as it was."""
    demo.ask("POST", "run/start")
    before = demo.state()
    assert demo.ask("POST", "language", language="es")["rig"]
    wait_until(lambda: spoken_by(demo) == "es" and demo.is_live())
    assert demo.process.poll() is None
    wait_until(lambda: reasons(demo.state()).isdisjoint(reasons(before)))
    after = demo.state()
    assert numbers(after) == numbers(before)
    assert len(reasons(after)) > 60
    demo.ends_by(signal.SIGTERM)
    again = Command("demo", demo.data)
    assert spoken_by(again) == "es"
    again.ends_by(signal.SIGINT)


def reasons(state):
    """Why everything is as it is, as it is told."""
    told = [row["because"] for row in (*state["settings"], *state["stages"])]
    mixes = [row["mix"] for row in state["destinations"] if row["on"] and row["mix"]]
    told += [send["because"] for mix in mixes for send in (mix, *mix["sends"])]
    return {because for because in [*told, state["gain_plan"]["because"]] if because}


def numbers(state):
    settings = [(s["stage"], s["name"], s["value"], s["band"]) for s in state["settings"]]
    return settings, [(step["name"], step["status"]) for step in state["steps"]]


def spoken_by(program):
    try:
        with urllib.request.urlopen(program.url) as answer:
            return re.search(r'<html lang="(\w+)"', answer.read().decode())[1]
    except OSError:
        return None
