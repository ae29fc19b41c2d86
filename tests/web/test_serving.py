"""The program as it is served: who is let in, how much is let in, and who may hold it up."""

import http.client
import json
import os
import pathlib
import shutil
import socket
import time
from urllib.parse import urlsplit

import pytest

from kills import Asked
from waiting import PATIENCE_S, wait_until


@pytest.fixture
def program(tmp_path):
    running = Asked(tmp_path / "data", "--fast")
    running.ask("GET", "state")
    yield running
    running.end()


def connect(program):
    return http.client.HTTPConnection(urlsplit(program.url).netloc, timeout=PATIENCE_S)


def answer(program, method, path, *, headers=None, body=None):
    connection = connect(program)
    connection.request(method, path, headers=headers or {}, body=body)
    got = connection.getresponse()
    raw = got.read()
    connection.close()
    return got, raw


def known(program):
    return {"Authorization": f"Bearer {program.token}"}


def test_without_the_token_nothing_is_told(program):
    for headers in ({}, {"Authorization": "Bearer wrong"}, {"Cookie": "wren-1=x"}, {"Cookie": "="}):
        got, raw = answer(program, "GET", "/api/state", headers=headers)
        assert got.status == 401
        assert json.loads(raw)["code"] == "token"
    assert answer(program, "GET", "/api/state", headers=known(program))[0].status == 200


def test_the_address_with_the_token_leaves_a_cookie_that_scripts_cannot_read(program):
    got, _ = answer(program, "GET", f"/?token={program.token}")
    assert got.status == 303
    assert got.getheader("Location") == "/"
    cookie = got.getheader("Set-Cookie")
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert (
        answer(program, "GET", "/api/state", headers={"Cookie": cookie.split(";")[0]})[0].status
        == 200
    )
    assert answer(program, "GET", "/?token=wrong")[0].getheader("Set-Cookie") is None


def test_the_token_stays_over_a_restart_and_can_be_left_out(tmp_path):
    first = Asked(tmp_path / "data")
    first.end()
    second = Asked(tmp_path / "data")
    assert second.token == first.token
    second.end()
    open_to_all = Asked(tmp_path / "data", "--no-token")
    assert open_to_all.token is None
    assert answer(open_to_all, "GET", "/api/state")[0].status == 200
    open_to_all.end()


@pytest.mark.skipif(os.geteuid() != 0, reason="only root becomes another user")
def test_another_user_of_the_machine_reads_nothing():
    # Where everybody may go.
    place = pathlib.Path("/tmp") / f"wren-{os.getpid()}-{time.monotonic_ns()}"
    place.mkdir()
    place.chmod(0o755)
    running = Asked(place / "data", "--fast")
    running.ask("PUT", "rig", {**running.ask("GET", "state")["rig"], "source": "simulated"})
    running.ask("POST", "takes", {"purpose": "rest", "seconds": 4})
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            os.setgid(65534)
            os.setuid(65534)
            os.write(writing, " ".join(what_is_seen(place / "data", running.url)).encode())
        finally:
            os._exit(0)
    os.close(writing)
    os.waitpid(child, 0)
    seen = os.read(reading, 4096)
    running.end()
    shutil.rmtree(place)
    assert seen == b"looked"


def what_is_seen(folder, url):
    seen = ["looked"]
    for name in ("wren.db", "wren.db-wal", "takes", "token", "backups"):
        try:
            (folder / name).stat()
            seen.append(name)
        except PermissionError:
            pass
    host, port = urlsplit(url).netloc.split(":")
    connection = http.client.HTTPConnection(host, int(port), timeout=60)
    connection.request("GET", "/api/state")
    if connection.getresponse().status != 401:
        seen.append("state")
    return seen


@pytest.mark.parametrize(
    "path, size",
    [
        ("/api/confirm", 400_000_000),
        ("/api/targets", 100_000_000),
        ("/api/watch/piece", 3_000_000),
        ("/api/run/piece", 3_000_000),
    ],
)
def test_what_is_far_too_large_is_refused_before_it_is_sent(program, path, size):
    connection = connect(program)
    connection.putrequest("POST", path)
    for name, value in {
        **known(program),
        "Content-Type": "application/json",
        "Content-Length": str(size),
    }.items():
        connection.putheader(name, value)
    connection.endheaders()
    # Not a byte of it is sent.
    got = connection.getresponse()
    assert got.status == 413
    assert json.loads(got.read())["sentence"].endswith((".", "?"))


def test_a_stranger_may_send_next_to_nothing(program):
    connection = connect(program)
    connection.putrequest("POST", "/api/takes/file")
    connection.putheader("Content-Length", "1000000")
    connection.endheaders()
    assert connection.getresponse().status == 413


def test_a_body_without_a_length_is_counted_as_it_comes(program):
    def endless():
        for _ in range(2000):
            yield b"x" * 1000

    connection = connect(program)
    headers = {**known(program), "Content-Type": "application/json", "Transfer-Encoding": "chunked"}
    try:
        connection.request(
            "POST", "/api/confirm", body=endless(), headers=headers, encode_chunked=True
        )
        assert connection.getresponse().status == 413
    except (BrokenPipeError, ConnectionResetError):
        # It may hang up in the middle of it.
        pass
    assert answer(program, "GET", "/api/state", headers=known(program))[0].status == 200


def test_a_hundred_connections_that_say_nothing_hold_nobody_up(program):
    host, port = urlsplit(program.url).netloc.split(":")
    held = [socket.create_connection((host, int(port))) for _ in range(150)]
    for half in held[:100]:
        half.sendall(b"POST /api/confirm HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Le")
    assert answer(program, "GET", "/api/state", headers=known(program))[0].status == 200
    for half in held:
        half.close()


def test_reloads_leave_no_place_taken(program):
    """Forty pages that open a stream and are gone at once; the next one is told everything."""
    host, port = urlsplit(program.url).netloc.split(":")
    asked = (
        f"GET /api/events HTTP/1.1\r\nHost: {host}:{port}\r\nAuthorization: Bearer"
        f" {program.token}\r\n\r\n".encode()
    )
    for _ in range(40):
        gone = socket.create_connection((host, int(port)))
        gone.sendall(asked)
        gone.recv(20)
        gone.close()
    stays = socket.create_connection((host, int(port)), timeout=PATIENCE_S)
    stays.sendall(asked)
    told = b""
    while b"hello" not in told:
        told += stays.recv(4096)
    program.ask("PUT", "wishes", {"cut_weight": 0.5})
    while b"event: changed" not in told:
        told += stays.recv(4096)
    stays.close()


@pytest.mark.parametrize(
    "method, path, headers, body, status",
    [
        ("GET", "/api/state", {"Origin": "http://[::1"}, None, 403),
        ("GET", "/api/state", {"Host": "LOCALHOST"}, None, 200),
        ("GET", "/api/state", {"Host": "localhost."}, None, 200),
        ("GET", "/api/state", {"Host": "wren.example"}, None, 403),
        ("GET", f"/api/takes/{2**63}/sound", {}, None, 422),
        ("DELETE", f"/api/rigs/{2**80}", {}, None, 422),
        ("PUT", "/api/wishes", {"Content-Type": "application/json"}, b"[" * 100_000, 422),
        ("PUT", "/api/wishes", {"Content-Type": "application/json"}, b'{"cut_weight": NaN}', 422),
        (
            "PUT",
            "/api/wishes",
            {"Content-Type": "application/json"},
            b'{"aims": {"loudness_lufs": -Infinity}}',
            422,
        ),
        ("PUT", "/api/wishes", {"Content-Type": "application/json"}, b"\xff\xfe", 422),
        ("POST", "/api/rigs", {"Content-Type": "application/json"}, b'{"name": "\\ud800"}', 422),
        ("POST", "/api/confirm", {"Content-Type": "text/plain"}, b"rig", 422),
        ("PATCH", "/api/nothing", {}, None, 404),
        ("POST", "/api/state", {}, None, 405),
    ],
)
def test_odd_requests_are_answered_in_a_sentence(program, method, path, headers, body, status):
    got, raw = answer(program, method, path, headers={**known(program), **headers}, body=body)
    assert got.status in ((status,) if status != 422 else (400, 422)), raw
    if status >= 400:
        assert json.loads(raw)["sentence"].endswith((".", "…"))


def test_an_upload_without_a_name_is_a_file_all_the_same(program):
    mark = "m"
    body = (
        f"--{mark}\r\nContent-Disposition: form-data;"
        f' name="purpose"\r\n\r\nrest\r\n--{mark}\r\nContent-Disposition: form-data; name="file";'
        f' filename=""\r\n\r\nnothing\r\n--{mark}--\r\n'
    ).encode()
    got, raw = answer(
        program,
        "POST",
        "/api/takes/file",
        headers={**known(program), "Content-Type": f"multipart/form-data; boundary={mark}"},
        body=body,
    )
    assert got.status == 422, raw


def test_a_killed_upload_leaves_nothing_after_the_next_start(tmp_path):
    folder = tmp_path / "data"
    first = Asked(folder)
    first.end()
    (folder / "parts" / "upload-abc").mkdir()
    (folder / "parts" / "upload-abc" / "The file").write_bytes(b"half")
    (folder / "parts" / "tmpq").mkdir()
    second = Asked(folder)
    assert second.ask("GET", "state")["findings"] == []
    assert list((folder / "parts").iterdir()) == []
    second.end()


def test_a_newer_folder_answers_with_what_to_do(tmp_path):
    import sqlite3

    folder = tmp_path / "data"
    first = Asked(folder)
    first.ask("GET", "state")
    first.end()
    with sqlite3.connect(folder / "wren.db") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9001'")
    second = Asked(folder)
    got, raw = wait_until(lambda: answer(second, "GET", "/api/state", headers=known(second)))
    assert got.status == 503
    assert "Update this program" in json.loads(raw)["sentence"]
    second.end()
