"""Being started at login: a service of the person's own, written and taken away."""

import configparser
import dataclasses
import shlex

import pytest

from obsidian_wren.devices import user_service
from obsidian_wren.devices.user_service import NAME, UserService
from obsidian_wren.ports.login import LoginRefused
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.setup.login import start_at_login
from shown import shows

COMMAND = ("/opt/wren/bin/python", "-m", "obsidian_wren.cli", "serve", "--data", '/a "b" $c 5%')


@pytest.fixture
def systemd(monkeypatch, tmp_path):
    monkeypatch.setattr(user_service, "_SYSTEMD", tmp_path)


def test_it_is_written_linked_and_taken_away_again(tmp_path):
    service = UserService(COMMAND, tmp_path / "user")
    assert not service.is_on
    service.put(True)
    link = tmp_path / "user" / "default.target.wants" / NAME
    assert service.is_on
    assert link.resolve() == service.path
    unit = configparser.ConfigParser(interpolation=None, strict=True)
    unit.optionxform = str
    unit.read(service.path)
    started = unit["Service"]["ExecStart"].replace("%%", "%").replace("$$", "$")
    assert shlex.split(started) == list(COMMAND)
    # The voice goes on while the page's program starts again.
    assert unit["Service"]["KillMode"] == "process"
    assert unit["Install"]["WantedBy"] == "default.target"
    service.put(True)
    service.put(False)
    service.put(False)
    assert not service.path.exists()
    assert not link.is_symlink()


def test_a_service_that_somebody_else_wrote_is_left_alone(tmp_path):
    service = UserService(COMMAND, tmp_path)
    service.path.write_text("[Service]\nExecStart=/bin/true\n")
    for on in (True, False):
        with pytest.raises(LoginRefused, match="not written by this program"):
            service.put(on)
    assert "bin/true" in service.path.read_text()


def test_where_it_cannot_be_written_that_is_said(tmp_path):
    (tmp_path / "user").write_text("a file in its place")
    with pytest.raises(LoginRefused, match="cannot be written"):
        UserService(COMMAND, tmp_path / "user").put(True)


def test_the_page_shows_where_it_is_and_whether_it_can_be(app, tmp_path, systemd):
    assert shows(app, "computer").login is None
    with pytest.raises(Refused, match="demo is not started"):
        start_at_login(app, True)
    app.world = dataclasses.replace(app.world, login=UserService(COMMAND, tmp_path / "user"))
    start_at_login(app, True)
    login = shows(app, "computer").login
    assert (login.on, login.why_not) == (True, None)
    assert login.path == str(tmp_path / "user" / NAME)
    start_at_login(app, False)
    assert not shows(app, "computer").login.on


def test_a_computer_without_such_services_says_so(app, tmp_path, monkeypatch):
    monkeypatch.setattr(user_service, "_SYSTEMD", tmp_path / "none")
    app.world = dataclasses.replace(app.world, login=UserService(COMMAND, tmp_path / "user"))
    with pytest.raises(Refused, match="systemd does not run"):
        start_at_login(app, True)
