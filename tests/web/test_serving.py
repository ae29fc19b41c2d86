"""The program as it is served: who is let in, how much is let in, and who may hold it up."""

import http.client
import json
import os
import pathlib
import shutil
import socket
import time
from urllib.parse import quote, urlsplit

import pytest

from kills import Asked, rig_of
from obsidian_wren.web.access import Access, proof_of_page, proof_of_program
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


@pytest.mark.parametrize(
    "beside",
    [
        'prefs={"a":"b"}',
        "a[b]=c",
        "=",
        "; ;",
        "x=\x01y",
        'q="un;closed',
        "a=b=c=d",
        "wren=1; wren-=2; wren-1=3",
        "naïve=ü",
        "$Version=1; a,b=c",
        "a b=c d",
        "expires=Thu, 01 Jan 1970 00:00:00 GMT",
        "x" * 3000,
        "tok=a:b@c/d?e(f)<g>",
        "{}",
    ],
)
def test_what_other_programs_keep_in_the_browser_shuts_nobody_out(beside):
    access = Access("t" * 32, 8642)
    own = access.welcome("token=" + "t" * 32).split(";")[0]
    for cookies in (f"{beside}; {own}", f"{own}; {beside}", own):
        assert access.knows(cookies, "")
    assert not access.knows(beside, "")
    assert not access.knows(f"{beside}; wren-8642=x", "")


def test_the_cookie_is_of_this_start_and_this_port_and_no_token():
    token = "t" * 32
    first, second, elsewhere = Access(token, 1), Access(token, 1), Access(token, 2)
    cookie = first.welcome(f"token={token}").split(";")[0]
    value = cookie.partition("=")[2]
    assert token not in cookie
    assert first.knows(cookie, "")
    assert not second.knows(cookie, "")
    assert not elsewhere.knows(f"wren-2={value}", "")
    assert not first.knows("", f"Bearer {value}")
    assert not first.knows("", f"Bearer {first.key}")
    assert not first.knows(f"wren-1={token}", "")
    assert "Max-Age" not in first.welcome(f"token={token}")


def test_page_and_program_prove_themselves_to_each_other(program):
    got, raw = answer(program, "GET", "/api/session", headers=known(program))
    key = json.loads(raw)["key"]
    assert program.token not in key
    # Whoever does not know the key learns nothing of it, and gets no cookie.
    mine = "m" * 24
    _, raw = answer(program, "GET", f"/api/session?nonce={mine}")
    said = json.loads(raw)
    assert said["proof"] == proof_of_program(key, mine, said["nonce"])
    assert key not in raw.decode()
    assert answer(program, "GET", "/api/session")[0].status == 401

    def answered(nonce, proof):
        return answer(program, "POST", f"/api/session?nonce={nonce}&proof={proof}")[0]

    assert answered(said["nonce"], proof_of_program(key, mine, said["nonce"])).status == 401
    # A nonce serves once, also where its answer was wrong.
    assert answered(said["nonce"], proof_of_page(key, mine, said["nonce"])).status == 401
    _, raw = answer(program, "GET", f"/api/session?nonce={mine}")
    nonce = json.loads(raw)["nonce"]
    got = answered(nonce, proof_of_page(key, mine, nonce))
    cookie = got.getheader("Set-Cookie").split(";")[0]
    assert answer(program, "GET", "/api/state", headers={"Cookie": cookie})[0].status == 200
    for nonce in ("", "short", "x" * 65, "ü" * 20, "a b" * 8):
        path = f"/api/session?nonce={quote(nonce)}"
        assert answer(program, "GET", path)[0].status == 401


def test_a_connection_carries_one_answer_so_that_no_browser_sends_again_by_itself(program):
    connection = connect(program)
    connection.connect()
    connection.request("GET", "/api/state", headers=known(program))
    got = connection.getresponse()
    got.read()
    assert got.getheader("Connection") == "close"
    assert connection.sock is None


def test_another_program_cannot_have_ours_answer_for_it():
    ours, elsewhere = Access("t" * 32, 1), Access("t" * 32, 2)
    mine = "m" * 24
    said = elsewhere.prove(mine)
    assert said["proof"] != proof_of_program(ours.key, mine, said["nonce"])
    # Asked without end it holds no more than so many nonces.
    first = ours.prove(mine)["nonce"]
    for _ in range(300):
        ours.prove(mine)
    assert ours.renew(first, proof_of_page(ours.key, mine, first)) is None


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
    running.ask("PUT", "rig", {**rig_of(running.ask("GET", "state")), "source": "simulated"})
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
    program.ask("PUT", "preferences", {"cut_weight": 0.5})
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
        ("PUT", "/api/preferences", {"Content-Type": "application/json"}, b"[" * 100_000, 422),
        (
            "PUT",
            "/api/preferences",
            {"Content-Type": "application/json"},
            b'{"cut_weight": NaN}',
            422,
        ),
        (
            "PUT",
            "/api/preferences",
            {"Content-Type": "application/json"},
            b'{"aims": {"loudness_lufs": -Infinity}}',
            422,
        ),
        ("PUT", "/api/preferences", {"Content-Type": "application/json"}, b"\xff\xfe", 422),
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
