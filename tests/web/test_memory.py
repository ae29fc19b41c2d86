"""What the program says of its memory, to the page and on the command line."""

import http.server
import json
import threading

import pytest

from obsidian_wren.cli.main import main
from obsidian_wren.service import calibration
from obsidian_wren.service.calibration import settings
from obsidian_wren.service.context import Cache
from obsidian_wren.store.token import token_of
from obsidian_wren.web.access import Access
from obsidian_wren.web.app import create_app
from obsidian_wren.web.front import Front
from obsidian_wren.web.server import bind


@pytest.fixture
def answering(boathouse):
    """The boathouse's program behind its front, at a port of this machine."""
    from waitress.server import create_server

    listening = bind(0)
    port = listening.getsockname()[1]
    access = Access(token_of(boathouse.folder.path / "token"), port)
    front = Front(lambda: create_app(boathouse), access)
    front.start()
    channels: dict = {}
    server = create_server(front, map=channels, sockets=[listening])
    asked_to_end = threading.Event()

    def answer():
        while not asked_to_end.is_set():
            server.asyncore.loop(timeout=0.1, map=channels, count=1)

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    yield boathouse, port
    # What the thread looks at is closed once it looks no more.
    asked_to_end.set()
    thread.join(10)
    assert not thread.is_alive()
    server.task_dispatcher.shutdown()
    server.asyncore.close_all(channels)


def held(client):
    return {one["what"]: one for one in client.get("/api/memory").json["held"]}


def test_what_is_remembered_is_counted(boathouse):
    client = create_app(boathouse).test_client()
    name = "takes after the stages of the chain"
    # What other tests left is not counted.
    calibration.current(boathouse).take_sets = Cache(most_bytes=250_000_000)
    assert held(client)[name]["mb"] == 0.0
    settings.change_setting(
        boathouse, "highpass", "frequency_hz", value=90.0, band=None, pinned=True
    )
    after = held(client)[name]
    assert 1.0 < after["mb"] <= after["most_mb"]
    assert client.get("/api/memory").json["program_mb"] > 50.0


def test_the_command_line_asks_the_program_that_runs(answering, capsys):
    app, port = answering
    where = ["doctor", "--memory", "--data", str(app.folder.path), "--port", str(port)]
    assert main(where) == 0
    said = capsys.readouterr().out
    assert said.startswith("The program uses ")
    assert "readings of takes" in said
    assert main([*where, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["held"]


def test_where_no_program_runs_it_says_so(app, capsys):
    folder = str(app.folder.path)
    assert main(["doctor", "--memory", "--data", folder, "--port", "1"]) == 2
    assert "No program answers at" in capsys.readouterr().err


def test_the_token_is_sent_to_nobody_else(boathouse, capsys):
    heard = []

    class Stranger(http.server.BaseHTTPRequestHandler):
        def do_GET(self):
            heard.append((self.path, self.headers.get("Authorization")))
            self.send_response(200)
            self.end_headers()
            self.wfile.write(
                b'{"nonce": "x", "proof": "y", "program_mb": 1, "worker_mb": 1, "held": []}'
            )

        def log_message(self, *_):
            pass

    with http.server.HTTPServer(("127.0.0.1", 0), Stranger) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        folder, port = str(boathouse.folder.path), str(server.server_port)
        assert main(["doctor", "--memory", "--data", folder, "--port", port]) == 2
        server.shutdown()
    assert "No program answers at" in capsys.readouterr().err
    assert [authorization for _, authorization in heard] == [None]
