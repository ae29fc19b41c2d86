"""What a start loads: neither the page nor the first state waits for what computes."""

import json
import shutil
import subprocess
import sys

# What renders, measures and simulates.
COMPUTES = {"numba", "llvmlite", "scipy", "pyroomacoustics", "soxr", "rocket_fft"}
# Modules when the first state is there, the standard library with them.
MOST_MODULES = 960

FIRST_STATE = """
import json, pathlib, sys
from obsidian_wren.cli.starting import simulated_surroundings
from obsidian_wren.service.opening.opening import close_workshop, open_workshop
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app
ws = open_workshop(DataFolder(pathlib.Path(sys.argv[1])), simulated_surroundings())
state = create_app(ws).test_client().get("/api/state").get_json()
assert state["delivery"] and state["findings"] == []
print(json.dumps(sorted(sys.modules)))
close_workshop(ws)
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
    assert {name.partition(".")[0] for name in modules} & COMPUTES == set()
    assert len(modules) <= MOST_MODULES


def test_the_first_page_waits_for_no_database(tmp_path):
    modules = loaded(FIRST_PAGE, tmp_path)
    heavy = COMPUTES | {"sqlalchemy", "numpy", "pydantic", "flask"}
    assert {name.partition(".")[0] for name in modules} & heavy == set()
