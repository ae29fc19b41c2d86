"""The state as the program left it, for the page of the next start."""

import json
import os
import threading
import urllib.request

import pytest

from kills import Asked, rig_of
from obsidian_wren.web.access import Access
from obsidian_wren.web.front import Front
from obsidian_wren.web.left_state import NAME, LeftState
from waiting import PATIENCE_S, wait_until

KEPT = '{"revision":7}'


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "wren.db").write_bytes(b"rows")
    (tmp_path / "takes").mkdir()
    return tmp_path


def left_in(folder, version="1", around="own"):
    return LeftState(folder, version=version, around=around)


def answer(front, path="/api/state", **more):
    seen = {}
    request = {"PATH_INFO": path, "HTTP_HOST": "localhost", "REQUEST_METHOD": "GET", **more}
    body = b"".join(front(request, lambda status, headers: seen.update(status=status)))
    return seen["status"][:3], body


def test_what_was_left_is_there_until_a_program_runs(folder):
    left_in(folder).keep(KEPT)
    # A start that is broken off leaves it as it is.
    assert [left_in(folder).read() for _ in range(2)] == [KEPT.encode()] * 2
    left_in(folder).forget()
    assert left_in(folder).read() is None


def change_rows(folder):
    (folder / "wren.db").write_bytes(b"other rows")


def add_a_journal(folder):
    (folder / "wren.db-wal").write_bytes(b"")


def remove_a_take(folder):
    os.utime(folder / "takes", ns=(1, 1))


def garble(folder):
    (folder / NAME).write_bytes(b"\xff{")


@pytest.mark.parametrize("change", [change_rows, add_a_journal, remove_a_take, garble])
def test_what_changed_since_is_not_shown_as_it_was(folder, change):
    left_in(folder).keep(KEPT)
    change(folder)
    assert left_in(folder).read() is None


@pytest.mark.parametrize("other", [{"version": "2"}, {"around": "simulated"}])
def test_it_is_for_the_same_program_in_the_same_surroundings(folder, other):
    left_in(folder).keep(KEPT)
    assert left_in(folder, **other).read() is None


def test_it_answers_until_the_program_is_there():
    loaded = threading.Event()

    def load():
        loaded.wait(PATIENCE_S)

        def application(_environ, start_response):
            start_response("200 OK", [])
            return [b"its own"]

        return application

    front = Front(load, left=KEPT.encode())
    front.start()
    assert answer(front) == ("200", KEPT.encode())
    # Whatever else is asked for, or by whom, waits.
    threading.Timer(0.2, loaded.set).start()
    assert answer(front, "/api/takes/1") == ("200", b"its own")
    assert answer(front) == ("200", b"its own")


@pytest.mark.parametrize(
    "how",
    [
        {"REQUEST_METHOD": "POST"},
        {"HTTP_ORIGIN": "https://wren.example"},
        {"HTTP_SEC_FETCH_SITE": "cross-site"},
    ],
)
def test_only_a_look_of_its_own_page_is_answered_with_it(how):
    loaded = threading.Event()

    def load():
        loaded.wait(PATIENCE_S)
        return lambda _environ, start_response: start_response("403 Forbidden", []) or [b"refused"]

    front = Front(load, left=KEPT.encode())
    front.start()
    threading.Timer(0.2, loaded.set).start()
    assert answer(front, **how) == ("403", b"refused")


def test_nobody_else_is_told_it():
    front = Front(lambda: pytest.fail("not asked for"), Access("word", 1), KEPT.encode())
    assert answer(front)[0] == "401"


def shown_first(program):
    """What a start shows, and whether it was left."""
    request = urllib.request.Request(f"{program.url}api/state")
    request.add_header("Authorization", f"Bearer {program.token}")
    with urllib.request.urlopen(request) as seen:
        return json.load(seen), seen.headers["Wren-Left"] is not None


def test_after_one_that_was_killed_nothing_old_is_shown(tmp_path):
    first = Asked(tmp_path / "data", "--fast")
    wait_until(lambda: first.ask("GET", "state")["clips"])
    first.end()
    second = Asked(tmp_path / "data", "--fast")
    second.ask("PUT", "rig", {**rig_of(second.ask("GET", "state")), "name": "Rain day"})
    second.kill()
    third = Asked(tmp_path / "data", "--fast")
    shown, was_left = shown_first(third)
    assert (shown["rig"]["name"], was_left) == ("Rain day", False)
    third.end()


def test_a_start_shows_what_the_last_one_ended_with(tmp_path):
    first = Asked(tmp_path / "data", "--fast")
    # Laid out behind the first page.
    wait_until(lambda: first.ask("GET", "state")["clips"])
    before = first.ask("PUT", "rig", {**rig_of(first.ask("GET", "state")), "name": "Loft desk"})
    first.end()
    kept = json.loads((tmp_path / "data" / NAME).read_bytes().partition(b"\n")[2])
    second = Asked(tmp_path / "data", "--fast")
    shown, _ = shown_first(second)
    after = second.ask("GET", "state")
    second.end()
    assert before["rig"]["name"] == "Loft desk"
    assert shown == kept
    # The program itself counts anew, and else says the same.
    assert after.pop("revision") > kept.pop("revision")
    assert after == kept
