"""The voice chain over HTTP: one boathouse for all, every change undone again."""

import io

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.web.app import create_app


@pytest.fixture
def client(boathouse):
    return create_app(boathouse).test_client()


def state(client):
    return client.get("/api/state").json


def stage(body, kind):
    return next(entry for entry in body["stages"] if entry["kind"] == kind)


def value(body, kind, name):
    return next(s["value"] for s in body["settings"] if (s["stage"], s["name"]) == (kind, name))


def test_switches_order_and_preferences_answer_with_the_new_state_and_are_undone(client):
    before = state(client)
    off = client.patch("/api/stages", json={"stage": "lowpass", "on": False}).json
    assert (stage(off, "lowpass")["on"], stage(off, "lowpass")["derived_on"]) == (False, True)
    order = [key for key in default_sequence() if key != "deesser"] + ["deesser"]
    moved = client.put("/api/stages/order", json={"order": order}).json
    assert [entry["key"] for entry in moved["stages"]] == order
    assert {w["kind"] for w in moved["delivery"]["warnings"]} >= {"limiter"}
    answered = client.put(
        "/api/preferences", json={"cut_weight": 0.5, "taste": {"air_db": 3.0}}
    ).json
    assert answered["preferences"]["taste"]["air_db"] == 3.0
    for _ in range(3):
        client.post("/api/undo")
    after = state(client)
    for name in ("stages", "preferences"):
        assert after[name] == before[name]
    assert [s["value"] for s in after["settings"] if s["value"] is not None] == pytest.approx(
        [s["value"] for s in before["settings"] if s["value"] is not None]
    )


def test_wrong_requests_are_told_in_sentences(client):
    def refused(method, path, body, says):
        answer = getattr(client, method)(path, json=body)
        assert answer.status_code == 422
        assert says in answer.json["sentence"]

    refused("patch", "/api/stages", {"stage": "limiter", "on": False}, "stays on")
    refused("patch", "/api/stages", {"stage": "reverb", "on": True}, "no such stage")
    refused("put", "/api/stages/order", {"order": ["gate", "limiter"]}, "every stage once")
    refused("put", "/api/preferences", {"taste": {"air_db": 9.0}}, "air_db")
    refused("put", "/api/preferences", {"cut_weight": 1.5}, "cut_weight")
    refused(
        "put", "/api/preferences", {"target": {"kind": "imported", "id": 7}}, "no longer stored"
    )
    refused(
        "patch",
        "/api/settings",
        {"stage": "gate", "name": "threshold_dbfs", "value": 20.0, "pinned": True},
        "from −90 to 0",
    )
    refused(
        "patch",
        "/api/settings",
        {"stage": "gate", "name": "colour", "value": 1.0, "pinned": True},
        "no such setting",
    )
    refused("post", "/api/try/gate", {"threshold_dbfs": 10.0}, "threshold_dbfs")


def test_a_target_is_uploaded_and_a_bad_one_named_by_line(client):
    def upload(text):
        return client.post(
            "/api/targets", data={"file": (io.BytesIO(text.encode()), "../evening walk.txt")}
        )

    good = upload("# target\n100;55\n1000;54\n8000;44\n16000;40\n")
    assert good.status_code == 200
    assert good.json["targets"] == [{"id": 1, "name": "../evening walk"}]
    assert good.json["tone"]["target_name"] == "../evening walk"
    bad = upload("100 55\n1000 loud\n")
    assert bad.status_code == 422
    assert "line 2" in bad.json["sentence"]
    assert len(state(client)["targets"]) == 1


def test_edges_frames_sweep_and_equalizer_are_given(client):
    counts = client.post("/api/try/gate", json={"threshold_dbfs": -45.0, "hysteresis_db": 3.0}).json
    assert counts["words"] > 5
    talk = next(t["id"] for t in state(client)["takes"] if t["purpose"] == "talk" and t["current"])
    frames = client.get(f"/api/takes/{talk}/frames?version=treated&off=limiter,gate").json
    assert set(frames["gains_db"]) == {"compressor", "gate-2"}
    assert len(frames["level_dbfs"]) == len(frames["bands_dbfs"])
    heard = {}
    for off in ("", "compressor"):
        answer = client.get(f"/api/takes/{talk}/sound?version=treated&matched=true&off={off}")
        heard[off], rate = soundfile.read(io.BytesIO(answer.data))
    assert not np.array_equal(heard[""], heard["compressor"])
    sweep, rate = soundfile.read(io.BytesIO(client.get("/api/sweep").data))
    assert (len(sweep), rate) == (6 * 48_000, 48_000)
    biquads = client.get("/api/equalizer?what=biquads&rate_hz=44100")
    assert biquads.headers["Content-Disposition"].endswith('"equalizer.csv"')
    assert biquads.text.startswith("shape,frequency_hz,gain_db,q,rate_hz,b0")
    impulse, rate = soundfile.read(
        io.BytesIO(client.get("/api/equalizer?what=impulse&rate_hz=44100").data)
    )
    assert rate == 44_100
    assert impulse[0] != 0.0
    assert client.get("/api/equalizer?what=cassette").status_code == 422


def test_the_gate_that_is_tried_is_the_one_that_is_then_derived_from(client):
    tried = client.post("/api/try/gate", json={"threshold_dbfs": -30.0}).json
    client.patch(
        "/api/settings",
        json={"stage": "gate", "name": "threshold_dbfs", "value": -30.0, "pinned": True},
    )
    kept = client.patch("/api/stages", json={"stage": "gate", "on": True}).json
    assert value(kept, "gate", "threshold_dbfs") == -30.0
    assert kept["clean"]["gate"]["counts"] == pytest.approx(tried, abs=0.01)
