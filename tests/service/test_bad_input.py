import errno
import os
import socket
import subprocess
import sys

import pytest
import soundfile

from bad_sounds import BAD_FILES, make
from obsidian_wren.cli import main as cli
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service.takes import from_file, halves, simulated
from obsidian_wren.store import parts
from obsidian_wren.store.folder import DataFolder
from shown import overview
from signals import RATE, room


@pytest.mark.parametrize("kind, purpose, command, says", BAD_FILES)
def test_the_command_line_says_what_to_do(tmp_path, capsys, kind, purpose, command, says):
    code = cli.main([*command, str(make(kind, tmp_path))])
    out, err = capsys.readouterr()
    assert code == 2
    assert out == ""
    assert says in err


@pytest.mark.parametrize(
    "kind, purpose, command, says",
    [row for row in BAD_FILES if row[0] not in ("too-large", "too-long")],
)
def test_a_bad_file_is_refused_as_a_take_and_nothing_is_lost(
    app, tmp_path, kind, purpose, command, says
):
    before = overview(app)
    with pytest.raises(Exception, match=says.replace("(", r"\(").replace(")", r"\)")):
        from_file.keep_file(app, purpose, make(kind, tmp_path), channel=None)
    assert overview(app) == before


def test_telephone_sound_is_refused_for_tone(app, tmp_path, capsys):
    phone = make("telephone", tmp_path)
    quiet = tmp_path / "quiet.wav"
    soundfile.write(quiet, room(), RATE)
    assert (
        cli.main(
            ["plan", "--quiet", str(quiet), "--talk", str(phone), "--out", str(tmp_path / "c.json")]
        )
        == 2
    )
    assert "like a telephone" in capsys.readouterr().err
    assert not (tmp_path / "c.json").exists()
    with pytest.raises(Exception, match="like a telephone"):
        from_file.keep_file(app, "passage", phone, channel=None)


def test_a_dead_channel_is_named_and_the_other_used(tmp_path, capsys):
    path = make("dead-channel", tmp_path)
    assert cli.main(["read", "quiet", str(path)]) == 0
    assert "Channel 1 is dead" in capsys.readouterr().err
    assert cli.main(["read", "quiet", str(path), "--channel", "1"]) == 2
    assert "Choose channel 2" in capsys.readouterr().err


def test_a_calibration_that_is_none(tmp_path, capsys):
    sound = tmp_path / "s.wav"
    soundfile.write(sound, room(), RATE)
    file = tmp_path / "c.json"
    for text, says in (
        ("{", "not valid JSON"),
        ('{"format": "other"}', "not a calibration"),
        ('{"format": "obsidian-wren/calibration", "version": 9}', "version 9"),
        (
            (
                '{"format": "obsidian-wren/calibration", "version": 1, "rig": {}, "readings": {},'
                ' "feeds": [], "chain": [{"kind": "wobble", "settings": {}}]}'
            ),
            "no stage “wobble”",
        ),
        (
            (
                '{"format": "obsidian-wren/calibration", "version": 1, "rig": {}, "readings": {},'
                ' "feeds": [], "chain": [{"kind": "gain", "settings": {}}]}'
            ),
            "no number “gain_db”",
        ),
    ):
        file.write_text(text)
        assert (
            cli.main(["render", "--calibration", str(file), str(sound), str(tmp_path / "o.wav")])
            == 2
        )
        assert says in capsys.readouterr().err


def test_output_that_cannot_be_written(tmp_path, capsys):
    sound = tmp_path / "s.wav"
    soundfile.write(sound, room(), RATE)
    spec = tmp_path / "w.json"
    spec.write_text("{}")
    assert (
        cli.main(
            [
                "simulate",
                str(spec),
                "--take",
                "rest",
                "--seconds",
                "1",
                str(tmp_path / "none" / "o.wav"),
            ]
        )
        == 2
    )
    assert "cannot be written" in capsys.readouterr().err
    assert (
        cli.main(
            ["simulate", str(spec), "--take", "rest", "--seconds", "1", str(tmp_path / "o.tune")]
        )
        == 2
    )
    assert "Use .wav" in capsys.readouterr().err


def test_a_data_folder_that_cannot_be_written(tmp_path, capsys):
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    assert cli.main(["serve", "--data", str(blocked / "data"), "--port", "0"]) == 2
    assert "cannot be written" in capsys.readouterr().err


def test_a_port_in_use(tmp_path, capsys):
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        held.listen()
        port = held.getsockname()[1]
        assert cli.main(["serve", "--data", str(tmp_path / "d"), "--port", str(port)]) == 2
    assert f"Port {port} is in use" in capsys.readouterr().err


def test_a_second_program_on_the_same_folder_says_so(app):
    done = subprocess.run(
        [
            sys.executable,
            "-P",
            "-m",
            "obsidian_wren.cli",
            "serve",
            "--data",
            str(app.folder.path),
            "--port",
            "0",
        ],
        capture_output=True,
        text=True,
        check=False,
        timeout=300,
    )
    assert done.returncode == 2
    assert "Another Obsidian Wren already works in" in done.stderr


def test_a_disk_that_fills_during_a_take_keeps_what_came_before(app, monkeypatch):
    from obsidian_wren.service.page import views
    from obsidian_wren.service.rig import rigs

    with app.sessions.begin() as session:
        rigs.the_rig(app, session).source = "simulated"
    written = 0
    append = parts.Part.append

    def filling(part, samples):
        nonlocal written
        if written > 5 * RATE:
            raise FolderError("disk-full", "The disk is full while recording a take.")
        written += len(samples)
        append(part, samples)

    monkeypatch.setattr(parts.Part, "append", filling)
    listener = app.bus.listen()
    simulated.start_simulated(app, "rest")
    kinds = [listener.get_nowait() for _ in range(listener.qsize())]
    assert any(kind == "trouble" and "disk is full" in body["sentence"] for kind, body in kinds)
    shown = overview(app)
    assert isinstance(shown, views.Overview)
    assert [half.seconds for half in shown.halves] == [pytest.approx(5.0, abs=0.1)]
    monkeypatch.undo()
    halves.keep_half(app, shown.halves[0].id)
    after = overview(app, "quiet", "takes")
    assert after.takes[0].half
    assert after.quiet is not None


def test_a_full_disk_is_told_from_a_broken_one(tmp_path):
    from obsidian_wren.ports.disk import disk_errors

    with pytest.raises(FolderError, match="disk is full") as caught, disk_errors("keeping a take"):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
    assert caught.value.code == "disk-full"
    folder = DataFolder(tmp_path / "d")
    with pytest.raises(FolderError, match="Free some space"):
        folder.require_space(10**18)


def test_a_really_full_device_is_refused_in_words(capsys, tmp_path):
    """/dev/full gives ENOSPC on every write, as a full disk does."""
    spec = tmp_path / "w.json"
    spec.write_text("{}")
    link = tmp_path / "o.wav"
    link.symlink_to("/dev/full")
    assert cli.main(["simulate", str(spec), "--take", "rest", "--seconds", "1", str(link)]) == 2
    assert "free space" in capsys.readouterr().err
