"""Whatever is asked of any route of the OpenAPI document, the answer is one that a person can
use, and the state is there after it."""

import io
import json
import os
import re
import shutil
import warnings
from contextlib import suppress
from functools import cache

import pytest
import schemathesis
import soundfile
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode
from schemathesis.core import NotSet

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.told import Told
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service import live
from obsidian_wren.service.calibration import stages
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.live import living
from obsidian_wren.service.mixes import clips, mixing
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.takes import simulated
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.web.app import create_app
from short import fix_what_the_machine_chooses
from signals import RATE, room

FURTHER = int(os.environ.get("OBSIDIAN_WREN_LOOK_FURTHER", "1"))
EXAMPLES = 3 * FURTHER
# So many that were accepted show what a route does; those that should not be go on.
ACCEPTED = 2 * FURTHER
# What no sentence for a person holds: names of the inside, and places in it.
# Routes that say little while nothing is live.
LIVE = ("/recordings", "/clips", "/live", "/marker", "/returns", "/run/stop")
INSIDE = re.compile(
    r"Traceback|sqlite|sqlalchemy|alembic|werkzeug|pydantic|numpy|soundfile|psf_|Exception|\w+Error\b|NoneType|object"
    r" at|0x[0-9a-f]|\.py\b"
    r"|SELECT|INSERT|UPDATE|DELETE FROM|line \d+, in|\bself\b|index \d+|out of bounds|invalid"
    r" literal|NaN"
)
# They end only when the program does.
ENDLESS = ("/api/events", "/api/live/sound")

DOCUMENT = create_app(None, describe=True).api_doc
LABELS = [
    f"{method.upper()} {path}"
    for path, operations in DOCUMENT["paths"].items()
    for method in operations
    if path not in ENDLESS
]


@cache
def routes():
    """By label; worked out by whoever runs them, not by whoever only lists them."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        schema = schemathesis.openapi.from_dict(DOCUMENT)
        return {found.ok().label: found.ok() for found in schema.get_all_operations()}


@pytest.fixture(scope="module")
def program(boathouse_data, tmp_path_factory):
    """A program over the boathouse, with clips and mixes, whose takes are as short as they may
    be."""
    fix_what_the_machine_chooses()
    folder = tmp_path_factory.mktemp("any") / "data"
    shutil.copytree(boathouse_data, folder)
    app = open_app(DataFolder(folder), simulated_world(BrowserStream), pace="fast")
    clips.ship(app)
    mixing.refresh(app)
    held = simulated.start_simulated

    def short(*arguments, seconds=None, **more):
        held(*arguments, **more, seconds=min(seconds or 3.0, 3.0))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(simulated, "start_simulated", short)
        yield app, create_app(app).test_client()
    close_app(app)


def _file(path):
    """A file that the route is for."""
    if path.endswith(("response", "targets", "equalizer")):
        return "\n".join(f"{hz} {0.002 * hz:.2f}" for hz in range(50, 16_000, 250)).encode()
    sound = io.BytesIO()
    soundfile.write(sound, room(seconds=4.0), RATE, format="FLAC")
    return sound.getvalue()


# What a page would name, where a random word would only ever name nothing.
KNOWN = {
    "key": (
        "call",
        "game-chat",
        "stream",
        "headphones",
        "voice",
        "second",
        "music",
        "computer",
        "clips",
    ),
    "device_id": ("in-1", "in-2", "in-3", "out-1", "out-2"),
    "picks": ("Wren: call", "Wren: game", "Line 3 (USB Audio 2.0)"),
    "case": ("call", "game", "talk", "everything"),
    "source": ("voice", "music", "clips", "return-call"),
    "destination": ("call", "stream", "headphones", "recorder"),
    "also": ("Wren: call",),
    "off": ("compressor", "gate,limiter"),
    "name": ("threshold_dbfs", "ratio", "aim_lufs", "under_lu", "gain_db", "band-1", "heater"),
}


def sensible(name, value):
    """Half of all words and rows are ones that there are."""
    if isinstance(value, str) and len(value) % 2 and name in KNOWN:
        return KNOWN[name][len(value) % len(KNOWN[name])]
    if name == "id" and type(value) is int and value % 2:
        return 1 + value % 9
    if name in ("microphone_id", "interface_id", "room_id") and type(value) is int and value % 3:
        return 1
    if (
        isinstance(value, dict)
        and "stage" in value
        and isinstance(value.get("name"), str)
        and isinstance(value["stage"], str)
        and value["stage"] in KINDS
    ):
        known = KINDS[value["stage"]].parameters
        return {**value, "name": known[len(value["name"]) % len(known)].name if known else "band-1"}
    if isinstance(value, dict):
        return {inner: sensible(inner, held) for inner, held in value.items()}
    return value


def _json(body):
    return (
        body
        if isinstance(body, bytes)
        else json.dumps(
            body, default=lambda found: bytes(getattr(found, "data", found)).decode("latin-1")
        )
    )


def send(client, case):
    """A generated case as a request."""
    case.path_parameters = sensible("", case.path_parameters or {})
    path = case.formatted_path
    query = (
        {k: v for k, v in (case.query or {}).items() if v is not None}
        if isinstance(case.query, dict)
        else None
    )
    body = None if isinstance(case.body, NotSet) else sensible("", case.body)
    if case.media_type == "multipart/form-data" and isinstance(body, dict):
        form = {}
        for name, value in body.items():
            raw = getattr(value, "data", value)
            if name == "file" and isinstance(raw, bytes) and len(raw) % 2:
                raw = _file(path)
            form[name] = (
                (io.BytesIO(raw), "../x.wav")
                if isinstance(raw, bytes)
                else raw
                if isinstance(raw, str)
                else json.dumps(raw)
            )
        form = {k.encode("utf-8", "replace").decode(): v for k, v in form.items()}
        return client.open(path, method=case.method, query_string=query, data=form)
    if case.media_type == "application/json":
        return client.open(
            path,
            method=case.method,
            query_string=query,
            data=_json(body),
            content_type="application/json",
        )
    return client.open(
        path,
        method=case.method,
        query_string=query,
        data=body if isinstance(body, bytes) else b"\0" * 480,
    )


@pytest.mark.parametrize("label", LABELS)
def test_every_answer_can_be_used(program, label):
    app, client = program
    route = routes()[label]
    meant = route.as_strategy(generation_mode=GenerationMode.POSITIVE)
    # Two of three are what the document allows.
    allowed = st.tuples(st.just(True), meant)
    cases = allowed
    if _wrong(route) is not None:
        cases = st.one_of(allowed, allowed, st.tuples(st.just(False), _wrong(route)))

    answered = []

    def state_is_there():
        shown = client.get("/api/state")
        assert shown.status_code == 200
        assert shown.get_json()["findings"] == []

    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(tagged=cases)
    def ask(tagged):
        is_allowed, case = tagged
        if is_allowed and sum(code < 400 for code in answered) >= ACCEPTED:
            return
        answer = send(client, case)
        answered.append(answer.status_code)
        assert answer.status_code < 500, answer.get_data(as_text=True)
        if answer.status_code >= 400:
            said = answer.get_json()
            assert said["code"]
            assert said["sentence"].strip()
            assert not INSIDE.search(said["sentence"]), said["sentence"]
        elif route.method != "get":
            state_is_there()

    if any(word in route.path for word in LIVE):
        with suppress(Told):
            living.start_run(app)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        ask()
    state_is_there()
    print(label, {code: answered.count(code) for code in sorted(set(answered))})
    if live.current(app).run is not None:
        living.stop_run(app)
    # Equalizers that were taken in would make every fit after this one longer.
    with app.sessions() as session:
        further = [key for key in order_of(the_rig(app, session)) if is_further(key)]
    for key in further:
        stages.remove_stage(app, key)


def _wrong(route):
    """Cases that the document does not allow; None where a route takes nothing that could be
    wrong."""
    if route.body or route.query or route.path_parameters:
        return route.as_strategy(generation_mode=GenerationMode.NEGATIVE)
    return None
