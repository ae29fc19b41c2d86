import gzip
import io
import json

import numpy as np
import pytest
import soundfile

from bad_sounds import BAD_FILES, make
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.web.app import ROUTES, create_app
from obsidian_wren.web.front import Front
from signals import RATE, room


@pytest.fixture
def client(app):
    return create_app(app).test_client()


def test_foreign_hosts_and_origins_are_refused(client):
    assert client.get("/api/state").status_code == 200
    assert client.get("/api/state", headers={"Host": "wren.example:8642"}).status_code == 403
    assert (
        client.post("/api/run/stop", headers={"Origin": "http://evil.example"}).status_code == 403
    )
    assert client.post("/api/run/stop", headers={"Origin": "null"}).status_code == 403
    assert client.post("/api/run/stop", headers={"Sec-Fetch-Site": "cross-site"}).status_code == 403
    own = client.post("/api/run/stop", headers={"Origin": "http://localhost", "Host": "localhost"})
    assert own.status_code == 422
    assert own.json["sentence"] == "You are not live."


def test_every_answer_carries_the_policy(client):
    headers = client.get("/api/state").headers
    assert "default-src 'none'" in headers["Content-Security-Policy"]
    assert headers["X-Content-Type-Options"] == "nosniff"


def test_long_answers_travel_packed_for_who_can_unpack(client):
    plain = client.get("/api/state")
    packed = client.get("/api/state", headers={"Accept-Encoding": "gzip, br"})
    assert "Content-Encoding" not in plain.headers
    assert packed.headers["Content-Encoding"] == "gzip"
    assert "Accept-Encoding" in packed.headers["Vary"]
    assert json.loads(gzip.decompress(packed.data)).keys() == plain.json.keys()
    assert len(packed.data) < len(plain.data) / 3
    refused = client.get("/api/state", headers={"Accept-Encoding": "identity"})
    assert "Content-Encoding" not in refused.headers
    short = client.post("/api/marker", headers={"Accept-Encoding": "gzip"})
    assert "Content-Encoding" not in short.headers


def test_refusals_are_sentences(client):
    answer = client.post("/api/marker")
    assert answer.status_code == 422
    assert answer.json == {
        "code": "not-live",
        "sentence": "You are not live, so nothing can arrive. Start live first.",
    }
    wrong = client.post("/api/controls", json={"control": "preamp", "position": "loud"})
    assert wrong.status_code == 422
    assert "position" in wrong.json["sentence"]
    assert client.get("/api/takes/77/sound").json["code"] == "no-take"


@pytest.mark.parametrize(
    "path",
    [
        "/api/../wren.db",
        "/api/halves/..%2f..%2fwren.db/keep",
        "/api/recordings/../1/sound",
        "/etc/passwd",
    ],
)
def test_no_request_names_a_path(client, path):
    assert client.get(path).status_code in (404, 405)
    assert client.post(path).status_code in (404, 405, 422)


@pytest.mark.parametrize(
    "kind, purpose, command, says",
    [row for row in BAD_FILES if row[0] not in ("too-large", "too-long")],
)
def test_bad_uploads_answer_with_their_sentence(client, tmp_path, kind, purpose, command, says):
    path = make(kind, tmp_path)
    answer = client.post(
        "/api/takes/file",
        data={"purpose": purpose, "file": (io.BytesIO(path.read_bytes()), "../../evil.wav")},
    )
    assert answer.status_code == 422
    assert says in answer.json["sentence"]
    assert client.get("/api/state").json["takes"] == []


@pytest.mark.parametrize(
    ("path", "more"),
    [
        ("/api/takes/file", {"purpose": "rest"}),
        ("/api/targets", {}),
        ("/api/clips", {}),
        ("/api/brought", {}),
    ],
)
def test_words_in_the_place_of_a_file_are_refused(client, path, more):
    answer = client.post(path, data={**more, "file": "no file at all"})
    assert answer.status_code == 422
    assert answer.json["sentence"].strip()


def test_an_upload_becomes_a_take_and_leaves_nothing_behind(client, app, tmp_path):
    path = tmp_path / "pair.wav"
    soundfile.write(path, np.stack([room(), room(2e-3)], axis=1), RATE, subtype="PCM_24")
    answer = client.post(
        "/api/takes/file",
        data={"purpose": "rest", "channel": "2", "file": (path.open("rb"), "pair.wav")},
    )
    assert answer.status_code == 200
    assert answer.json["quiet"]["rms_dbfs"] == pytest.approx(-50.97, abs=0.02)
    assert list(app.folder.parts.iterdir()) == []


def test_pieces_from_the_browser(client):
    began = client.post(
        "/api/takes/browser",
        json={"purpose": "rest", "rate_hz": RATE, "seconds": 5, "not_obeyed": ["auto gain"]},
    ).json
    sound = room(1e-3, 5.0).astype("<f4")
    for number in range(20):
        piece = sound[number * 12_000 : (number + 1) * 12_000].tobytes()
        assert (
            client.post(f"/api/takes/browser/{began['take_id']}/{number}", data=piece).status_code
            == 200
        )
    gap = client.post(f"/api/takes/browser/{began['take_id']}/99", data=b"\0" * 8)
    assert gap.json["code"] == "gap"
    broken = client.post(f"/api/takes/browser/{began['take_id']}/20", data=b"\0" * 7)
    assert broken.json["code"] == "piece"
    state = client.post("/api/takes/stop").json
    assert state["quiet"]["rms_dbfs"] == pytest.approx(-56.99, abs=0.05)
    assert "auto gain" in state["takes"][0]["notes"][0]


def test_the_event_stream_speaks(client, app):
    stream = client.get("/api/events").response
    before = client.get("/api/state").json["revision"]
    # What is newest comes first, so that a page knows whether what it shows is old.
    hello = json.dumps({"revision": before, "language": "en"})
    assert next(stream) == f"retry: 1000\nevent: hello\ndata: {hello}\n\n".encode()
    app.changed()
    assert next(stream) == f'event: changed\ndata: {{"revision": {before + 1}}}\n\n'.encode()
    assert client.get("/api/state").json["revision"] == before + 1


def test_the_event_stream_ends_with_the_program(client, app):
    stream = client.get("/api/events").response
    next(stream)
    app.bus.end()
    assert list(stream) == []


def test_of_too_many_streams_the_oldest_goes_first(client, app):
    held = [app.bus.listen() for _ in range(12)]
    stream = client.get("/api/events").response
    assert b"hello" in next(stream)
    assert held[0].get_nowait() == ("end", {})
    assert app.bus.places_taken == 12
    app.changed()
    assert held[1].get_nowait()[0] == "changed"
    assert b"changed" in next(stream)


def test_places_are_given_back_whatever_becomes_of_a_stream(client, app):
    for _ in range(30):
        assert client.head("/api/events").status_code == 200
        # Nobody reads its first line.
        client.get("/api/events").close()
    assert app.bus.places_taken == 0


def test_a_page_that_does_not_read_loses_its_oldest_messages_only(app):
    listener = app.bus.listen()
    for number in range(300):
        app.bus.tell("live", {"n": number})
    kept = [listener.get_nowait()[1]["n"] for _ in range(listener.qsize())]
    assert kept == list(range(100, 300))


def test_every_route_is_described():
    document = create_app(None, describe=True).api_doc
    described = {
        (method, path) for path, methods in document["paths"].items() for method in methods
    }
    assert len(described) == len(ROUTES)
    assert json.dumps(document)


def ask(front, path, host="127.0.0.1:8642"):
    seen = {}

    def start(status, headers):
        seen.update(status=status, headers=dict(headers))

    seen["body"] = b"".join(
        front({"PATH_INFO": path, "HTTP_HOST": host, "REQUEST_METHOD": "GET"}, start)
    )
    return seen


def test_the_front_serves_the_page_and_nothing_else():
    front = Front(lambda: pytest.fail("not asked for"))
    page = ask(front, "/")
    assert page["status"].startswith("200")
    assert b"<title>Obsidian Wren</title>" in page["body"]
    assert "script-src 'self'" in page["headers"]["Content-Security-Policy"]
    assert ask(front, "/", host="evil.example")["status"].startswith("403")
    for path in ("/../app.py", "/assets/../../app.py", "/assets/none.js", "//etc/passwd"):
        assert ask(front, path)["status"].startswith("404")


@pytest.mark.parametrize(
    "error, says",
    [
        (FolderError("disk", "The disk failed. Check it."), "The disk failed. Check it."),
        (OSError("/secret/path"), "doctor"),
    ],
)
def test_a_start_that_fails_is_told_in_a_sentence(error, says):
    def load():
        raise error

    front = Front(load)
    front.start()
    answer = ask(front, "/api/state")
    assert answer["status"].startswith("503")
    assert says in json.loads(answer["body"])["sentence"]
    assert b"secret" not in answer["body"]
