"""Whatever is asked of any route of the OpenAPI document, the answer is one that a person can use, and the state is there after it."""

import io
import json
import re
import shutil
import warnings

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service import clips, living, mixing, taking
from obsidian_wren.service.opening import close_workshop, open_workshop
from obsidian_wren.standins.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app
from short import fix_what_the_machine_chooses

EXAMPLES = 40
# What no sentence for a person holds: names of the inside, and places in it.
INSIDE = re.compile(
    r"Traceback|sqlite|sqlalchemy|alembic|werkzeug|pydantic|numpy|soundfile|psf_|Exception|\w+Error\b|NoneType|object at|0x[0-9a-f]|\.py\b"
    r"|SELECT|INSERT|UPDATE|DELETE FROM|line \d+, in|\bself\b|index \d+|out of bounds|invalid literal|NaN"
)
# They end only when the program does.
ENDLESS = ("/api/events", "/api/live/sound")

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    _SCHEMA = schemathesis.openapi.from_dict(create_app(None, describe=True).api_doc)
    ROUTES = {found.ok().label: found.ok() for found in _SCHEMA.get_all_operations()}


@pytest.fixture(scope="module")
def program(boathouse_data, tmp_path_factory):
    """A program over the boathouse that is live and records, whose takes are as short as they may be."""
    fix_what_the_machine_chooses()
    folder = tmp_path_factory.mktemp("any") / "data"
    shutil.copytree(boathouse_data, folder)
    ws = open_workshop(DataFolder(folder), simulated_world(BrowserStream), pace="fast")
    clips.ship(ws)
    mixing.refresh(ws)
    held = taking.start_simulated

    def short(*arguments, seconds=None, **more):
        held(*arguments, **more, seconds=min(seconds or 3.0, 3.0))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(taking, "start_simulated", short)
        # A wrong answer is an answer here, not an exception.
        yield ws, create_app(ws).test_client()
    close_workshop(ws)


def send(client, case):
    """A generated case as a request."""
    path = case.formatted_path
    query = {k: v for k, v in (case.query or {}).items() if v is not None} if isinstance(case.query, dict) else None
    body = None if isinstance(case.body, type(schemathesis.core.NOT_SET)) else case.body
    if case.media_type == "multipart/form-data" and isinstance(body, dict):
        form = {}
        for name, value in body.items():
            raw = getattr(value, "data", value)
            form[name] = (io.BytesIO(raw), "../x.wav") if isinstance(raw, bytes) else raw if isinstance(raw, str) else json.dumps(raw)
        form = {k.encode("utf-8", "replace").decode(): v for k, v in form.items()}
        return client.open(path, method=case.method, query_string=query, data=form)
    if case.media_type == "application/json":
        return client.open(path, method=case.method, query_string=query, data=json.dumps(body), content_type="application/json")
    return client.open(path, method=case.method, query_string=query, data=body if isinstance(body, bytes) else b"\0" * 480)


@pytest.mark.parametrize("label", [label for label, route in ROUTES.items() if route.path not in ENDLESS])
def test_every_answer_can_be_used(program, label):
    ws, client = program
    route = ROUTES[label]
    meant = route.as_strategy(generation_mode=GenerationMode.POSITIVE)
    # Two of three are what the document allows.
    cases = st.one_of(meant, meant, _wrong(route)) if _wrong(route) is not None else meant

    @settings(
        max_examples=EXAMPLES, deadline=None, derandomize=True, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=cases)
    def ask(case):
        answer = send(client, case)
        assert answer.status_code < 500, answer.get_data(as_text=True)
        if answer.status_code >= 400:
            said = answer.get_json()
            assert said["code"]
            assert said["sentence"].strip()
            assert not INSIDE.search(said["sentence"]), said["sentence"]
        if route.method != "get":
            shown = client.get("/api/state")
            assert shown.status_code == 200
            assert shown.get_json()["findings"] == []

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        ask()
    if ws.run is not None:
        living.stop_run(ws)


def _wrong(route):
    """Cases that the document does not allow; None where a route takes nothing that could be wrong."""
    if route.body or route.query or route.path_parameters:
        return route.as_strategy(generation_mode=GenerationMode.NEGATIVE)
    return None
