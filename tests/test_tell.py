"""``tell``: a word from a command to the program that runs over a folder."""

import html
import os
import socket
import stat
import subprocess
import sys
import threading

import pytest

from obsidian_wren.cli import entry, opening_page
from obsidian_wren.cli import tell as tell_module
from obsidian_wren.cli.main import main
from obsidian_wren.cli.tell import DONE, NOT_RUNNING, NOT_UNDERSTOOD, REFUSED, tell
from obsidian_wren.cli.tell_socket import TellSocket
from obsidian_wren.service.errors import Refused
from shown import shows


@pytest.fixture
def heard(app):
    """A program that hears what is told to it."""
    there = TellSocket(app)
    yield app
    there.close()


def said(app, *words):
    return tell(["--data", str(app.folder.path), *words])


def test_a_word_is_done_and_answered(heard, capsys):
    assert said(heard, "mute") == DONE
    assert capsys.readouterr() == ("Muted.\n", "")
    assert shows(heard, "run").feeds_muted == "all"


def test_what_is_refused_or_not_understood_says_why_on_standard_error(heard, capsys):
    assert said(heard, "clip", "7") == REFUSED
    assert said(heard, "sing", "a song") == NOT_UNDERSTOOD
    assert said(heard, "status", "--loud") == NOT_UNDERSTOOD
    out, err = capsys.readouterr()
    assert out == ""
    assert err.startswith("No clip has the key 7.")
    assert "“tell sing a song” is not a command." in err


def test_its_owner_alone_reaches_it_and_it_goes_with_the_program(app, capsys):
    there = TellSocket(app)
    assert stat.S_IMODE(app.folder.tell_socket.stat().st_mode) == 0o600
    there.close()
    assert not app.folder.tell_socket.exists()
    assert said(app, "mute") == NOT_RUNNING
    assert "No Obsidian Wren runs over" in capsys.readouterr().err
    # What a killed program left is no program.
    left = socket.socket(socket.AF_UNIX)
    left.bind(str(app.folder.tell_socket))
    left.close()
    assert said(app, "status") == NOT_RUNNING
    TellSocket(app).close()


def test_a_folder_of_a_long_name_is_reached_too(app_over, tmp_path):
    app = app_over(tmp_path / ("long" * 30) / "data")
    there = TellSocket(app)
    assert said(app, "mute") == DONE
    there.close()


def test_a_program_that_hangs_up_or_does_not_answer_is_said_so(app, capsys, monkeypatch):
    monkeypatch.setattr(tell_module, "_PATIENCE_S", 0.05)
    with socket.socket(socket.AF_UNIX) as deaf:
        deaf.bind(str(app.folder.tell_socket))
        deaf.listen()
        assert said(app, "mute") == REFUSED
    assert "does not answer yet" in capsys.readouterr().err


def test_whoever_says_nothing_or_far_too_much_holds_nobody_up(heard):
    with socket.socket(socket.AF_UNIX) as silent, socket.socket(socket.AF_UNIX) as endless:
        silent.connect(str(heard.folder.tell_socket))
        endless.connect(str(heard.folder.tell_socket))
        endless.sendall(b"x" * 5_000)
        assert endless.recv(1) == b"2"
        assert said(heard, "mute") == DONE


def test_following_prints_a_line_with_each_change_until_the_program_ends(heard, capfd):
    codes = []
    following = threading.Thread(target=lambda: codes.append(said(heard, "status", "--follow")))
    following.start()
    lines = []
    while len(lines) < 1:
        lines += capfd.readouterr().out.splitlines()
    said(heard, "mute")
    heard.bus.end()
    following.join()
    lines += capfd.readouterr().out.splitlines()
    assert codes == [DONE]
    assert '"muted": false' in lines[0]
    assert any('"muted": true' in line for line in lines)


def test_the_command_loads_next_to_nothing(heard):
    script = (
        "import sys; before = set(sys.modules)\n"
        "from obsidian_wren.cli.entry import main\n"
        "code = main(); loaded = set(sys.modules) - before\n"
        "heavy = {'pathlib', 'typing', 'json', 'argparse', 'dataclasses', 'inspect', 'gettext'}\n"
        "print(code, sorted(loaded & heavy), len(loaded) < 40)"
    )
    done = subprocess.run(
        [sys.executable, "-S", "-c", script, "tell", "--data", str(heard.folder.path), "mute"],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)},
    )
    assert done.stdout == "Muted.\n0 [] True\n"


def test_help_and_every_other_command_go_the_long_way(monkeypatch, capsys):
    monkeypatch.setattr(sys, "argv", ["obsidian-wren", "tell", "--help"])
    with pytest.raises(SystemExit) as ended:
        entry.main()
    assert ended.value.code == 0
    assert "toggle-mute" in capsys.readouterr().out


def test_in_another_language_the_words_are_the_same(heard, monkeypatch):
    monkeypatch.setattr(
        sys,
        "argv",
        ["obsidian-wren", "--language", "en", "tell", "--data", str(heard.folder.path), "mute"],
    )
    assert entry.main() == DONE
    assert shows(heard, "run").feeds_muted == "all"


def test_the_page_is_opened_by_a_file_that_leads_there(app, monkeypatch):
    opened = []
    monkeypatch.setattr(opening_page.webbrowser, "open", opened.append)
    address = "http://127.0.0.1:1/?token=known-to-its-owner&more"
    with pytest.raises(Refused, match="does not answer"):
        opening_page.show_page(app.folder.path)
    there = TellSocket(app, address)
    assert opening_page.show_page(app.folder.path) == 0
    there.close()
    leads = app.folder.path / "page.html"
    # Everybody on this machine can read what a browser is started with.
    assert opened == [leads.resolve().as_uri()]
    assert stat.S_IMODE(leads.stat().st_mode) == 0o600
    assert html.escape(address) in leads.read_text()


def test_a_second_start_opens_the_page_of_the_first(heard, monkeypatch):
    shown = []
    monkeypatch.setattr(opening_page, "show_page", lambda path: shown.append(path) or 0)
    where = ["--data", str(heard.folder.path)]
    assert main(["serve", "--simulated", "--open", *where]) == 0
    assert shown == [heard.folder.path]
    assert main(["serve", "--simulated", *where]) == 2
