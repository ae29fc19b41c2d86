"""Send over HTTP: every route answers with the new state or a sentence, and what is heard comes
as sound."""

import io

import numpy as np
import pytest
import soundfile

from obsidian_wren.service.mixes import clips
from obsidian_wren.web.app import create_app
from signals import RATE, sine
from waiting import wait_until


@pytest.fixture
def client(app):
    clips.ship(app)
    return create_app(app).test_client()


@pytest.fixture
def live(boathouse):
    clips.ship(boathouse)
    client = create_app(boathouse).test_client()
    yield client
    if client.get("/api/state").json["run"]["live"]:
        client.post("/api/run/stop")


def listener(body, key):
    return next(entry for entry in body["destinations"] if entry["key"] == key)


def state_when(client, what):
    """The first state that is as wanted."""
    return wait_until(lambda: body if what(body := client.get("/api/state").json) else None)


def wav_of(answer):
    assert answer.mimetype == "audio/wav"
    return soundfile.read(io.BytesIO(answer.data))


def test_cases_listeners_sources_and_routes_answer_with_the_new_state(client):
    body = client.post("/api/case", json={"case": "everything"}).json
    assert [entry["key"] for entry in body["destinations"] if entry["on"]] == [
        "call",
        "game-chat",
        "stream",
        "recorder",
        "headphones",
        "second-computer",
    ]
    assert [entry["title"] for entry in body["cases"] if entry["chosen"]] == ["Everything at once"]
    body = client.put("/api/destinations/stream/use", json={"on": False}).json
    assert not listener(body, "stream")["on"]
    body = client.put("/api/sources/music/use", json={"on": False}).json
    assert not next(s for s in body["sources"] if s["key"] == "music")["on"]
    body = client.put("/api/destinations/call/name", json={"name": "The editor's call"}).json
    assert listener(body, "call")["name"] == "The editor's call"
    body = client.put("/api/destinations/call/picks", json={"picks": "Wren: call"}).json
    assert listener(body, "call")["picks"] == "Wren: call"
    body = client.patch("/api/destinations/call/program", json={"auto_gain": True}).json
    assert listener(body, "call")["program"]["auto_gain"]
    assert [v["code"] for v in listener(body, "call")["audit"] if v["mark"] == "fault"] == [
        "auto gain"
    ]
    body = client.patch(
        "/api/destinations/call/program", json={"bits": None, "auto_gain": None}
    ).json
    assert (listener(body, "call")["program"]["bits"], body["findings"]) == (10, [])
    assert not listener(body, "call")["program"]["auto_gain"]
    body = client.put(
        "/api/tracks", json={"tracks": ["raw", "mix"], "format": "wav", "minutes": 30}
    ).json
    assert (
        body["recorder"]["tracks"],
        body["recorder"]["format"],
        body["recorder"]["minutes"],
    ) == (["raw", "mix"], "wav", 30.0)
    body = client.put("/api/run/block", json={"block_ms": 20}).json
    assert body["run"]["block_held"]
    body = client.put("/api/run/buffer", json={"buffer_ms": 40}).json
    assert (body["run"]["buffer_ms"], body["run"]["buffer_held"]) == (40.0, True)
    assert client.put("/api/run/buffer", json={"buffer_ms": 1}).json["code"] == "invalid"
    body = client.put("/api/run/loudspeaker", json={"on": False}).json
    assert body["run"]["loudspeaker"]["switch"]["pinned"]
    assert client.put("/api/run/loudspeaker", json={"on": "never"}).json["code"] == "invalid"


@pytest.mark.parametrize(
    ("method", "path", "body", "code"),
    [
        ("post", "case", {"case": "party"}, "no-case"),
        ("put", "destinations/nobody/use", {"on": True}, "no-destination"),
        ("put", "sources/nothing/use", {"on": True}, "no-source"),
        ("put", "sources/voice/use", {"on": False}, "voice"),
        ("put", "destinations/call/picks", {"picks": "Line 77"}, "no-input"),
        ("put", "destinations/call/name", {"name": "  "}, "no-name"),
        ("patch", "destinations/call/program", {"rate_hz": 1}, "rate"),
        ("patch", "destinations/call/program", {"latency_ms": 1e6}, "range"),
        ("put", "destinations/call/pin", {"name": "aim_lufs", "value": 3}, "range"),
        ("put", "destinations/call/pin", {"name": "sparkle", "value": 3}, "no-setting"),
        ("put", "destinations/call/pin", {"name": "under_lu", "value": 3}, "no-source"),
        ("put", "routes", {"source": "return-call", "destination": "call", "on": True}, "route"),
        ("put", "routes", {"source": "music", "destination": "call", "on": True}, "not-in-use"),
        ("post", "run/start", {}, "no-microphone"),
        ("post", "run/stop", {}, "not-live"),
        ("post", "returns", {}, "not-live"),
        ("post", "recordings/start", {"purpose": "x"}, "not-live"),
        ("post", "recordings/stop", {}, "not-recording"),
        ("post", "recordings/split", {}, "not-recording"),
        ("put", "recordings/9/name", {"name": "x"}, "no-recording"),
        ("delete", "recordings/9", None, "no-recording"),
        ("put", "tracks", {"tracks": []}, "no-track"),
        ("post", "clips/1/press", {"down": True}, "not-live"),
        ("put", "clips/99", {"name": "x", "key": None, "start_s": 0, "end_s": 1}, "no-clip"),
        ("put", "run/block", {"block_ms": 1}, "invalid"),
        ("get", "destinations/call/sound?what=thought", None, "invalid"),
    ],
)
def test_refusals_are_sentences(client, method, path, body, code):
    answer = getattr(client, method)(f"/api/{path}", **({} if body is None else {"json": body}))
    assert answer.status_code == 422, answer.json
    assert answer.json["code"] in (code, "no-chain" if code == "no-microphone" else code)
    assert answer.json["sentence"].endswith(".")


def test_clips_come_and_go(client):
    sound = io.BytesIO()
    soundfile.write(
        sound, np.column_stack([sine(500, -20.0, 0.8), sine(500, -20.0, 0.8)]), RATE, format="FLAC"
    )
    body = client.post(
        "/api/clips", data={"file": (io.BytesIO(sound.getvalue()), "../../hail.flac")}
    ).json
    mine = body["clips"][-1]
    assert (mine["name"].endswith("hail"), mine["seconds"], mine["key"]) == (True, 0.8, "5")
    body = client.put(
        f"/api/clips/{mine['id']}", json={"name": "Hail", "key": "9", "start_s": 0.1, "end_s": 0.7}
    ).json
    assert body["clips"][-1]["key"] == "9"
    heard, rate = soundfile.read(io.BytesIO(client.get(f"/api/clips/{mine['id']}/sound").data))
    assert len(heard) / rate == pytest.approx(0.6, abs=0.001)
    assert client.get("/api/clips/999/sound").json["code"] == "no-clip"
    body = client.delete(f"/api/clips/{mine['id']}").json
    assert [clip["name"] for clip in body["clips"]] == ["Bell", "Gull", "Horn", "Door"]
    broken = client.post("/api/clips", data={"file": (io.BytesIO(b"not a sound"), "x.wav")})
    assert broken.status_code == 422
    assert (
        broken.json["sentence"]
        == "The file is not a readable sound file. Use WAV, FLAC, AIFF or Ogg."
    )


def test_the_whole_way_from_a_case_to_a_proof_and_a_recording(live):
    live.post("/api/case", json={"case": "talk"})
    live.put("/api/destinations/call/picks", json={"picks": "Wren: call"})
    body = live.post("/api/run/start", json={}).json
    assert body["run"]["live"]
    assert listener(body, "call")["delay"]["total_ms"] == pytest.approx(25.0, abs=4.0)
    assert live.post("/api/run/start", json={}).json["code"] == "live"
    body = live.post("/api/recordings/start", json={"purpose": "River walk"}).json
    assert body["recorder"]["recording"]
    assert {row["track"] for row in body["recordings"]} == {
        "treated voice",
        "raw voice",
        "The editor",
    }
    assert live.post(f"/api/clips/{body['clips'][0]['id']}/press", json={}).status_code == 200
    live.post("/api/marker")
    body = state_when(live, lambda state: listener(state, "call")["proof"] is not None)
    proof = listener(body, "call")["proof"]
    assert proof["good"], proof
    assert proof["verdicts"][0]["code"] == "treated"
    heard, rate = wav_of(live.get("/api/destinations/call/sound"))
    assert rate == RATE
    assert np.abs(heard).max() > 0.05
    sent, _ = wav_of(live.get("/api/destinations/call/sound?what=sent"))
    back, _ = wav_of(live.get("/api/destinations/call/sound?what=returned"))
    # What it hears is what it is sent, and not the return from it.
    assert np.std(heard) == pytest.approx(np.std(sent), rel=0.2)
    assert np.std(back) < 0.7 * np.std(heard)
    live.post("/api/recordings/stop")
    body = live.get("/api/state").json
    for row in body["recordings"]:
        answer = live.get(f"/api/recordings/{row['id']}/sound")
        assert answer.mimetype == "audio/flac"
        assert "River walk" in answer.headers["Content-Disposition"]
        assert len(soundfile.read(io.BytesIO(answer.data))[0]) / RATE == pytest.approx(
            row["seconds"], abs=0.06
        )


def test_wrong_things_in_a_program_are_told_by_sound(live):
    live.post("/api/case", json={"case": "everything"})
    for key, picks in (
        ("call", "Wren: game"),
        ("game-chat", "Wren: game"),
        ("stream", "Wren: stream"),
    ):
        live.put(f"/api/destinations/{key}/picks", json={"picks": picks})
    live.patch("/api/destinations/stream/program", json={"latency_ms": 300})
    live.post("/api/run/start", json={})
    live.post("/api/marker")
    body = state_when(live, lambda state: listener(state, "stream")["proof"] is not None)
    first = {
        key: listener(body, key)["proof"]["verdicts"][0]["code"]
        for key in ("call", "game-chat", "stream", "headphones")
    }
    assert first == {
        "call": "wrong feed",
        "game-chat": "treated",
        "stream": "late",
        "headphones": "no voice",
    }
    assert "choose “Wren: call”" in listener(body, "call")["proof"]["verdicts"][0]["advice"]


def test_sound_of_nobody_and_of_silence_is_refused(client):
    assert client.get("/api/destinations/nobody/sound").json["code"] == "no-destination"
    assert client.get("/api/recordings/1/sound").json["code"] == "no-recording"
