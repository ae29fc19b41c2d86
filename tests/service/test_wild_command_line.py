"""Wild calibrations and odd files on the command line: a sentence and exit code 2, or an answer;
nothing of it is a fault inside, and every command says the same of one file."""

import json
import os
import pathlib
import subprocess
import sys

import numpy as np
import pytest
import soundfile

from obsidian_wren.cli import main as cli
from obsidian_wren.core.told import Told
from signals import RATE, noise, room, voice
from wild_calibrations import wild

FURTHER = int(os.environ.get("OBSIDIAN_WREN_LOOK_FURTHER", "1"))
TRIES = 30 * FURTHER


@pytest.fixture
def sound(tmp_path):
    path = tmp_path / "in.wav"
    soundfile.write(path, noise(0.05, 0.5), RATE)
    return path


@pytest.fixture(autouse=True)
def faults_are_shown(monkeypatch):
    """A fault inside is raised, not told."""
    monkeypatch.setenv("OBSIDIAN_WREN_TRACE", "1")


def ran(capsys, *words):
    code = cli.main([str(word) for word in words])
    return code, capsys.readouterr().err


def test_every_command_says_the_same_of_a_wild_calibration(
    plain_calibration, sound, tmp_path, capsys
):
    given = tmp_path / "wild.json"
    said = []
    for seed in range(TRIES):
        given.write_bytes(wild(plain_calibration, 10_000 + seed))
        answers = {
            ran(capsys, "report", "--calibration", given, tmp_path / "r.html"),
            ran(capsys, "render", "--calibration", given, sound, tmp_path / "out.wav"),
        }
        codes = {code for code, _ in answers}
        if codes == {2}:
            assert len(answers) == 1, (seed, answers)
            check = ran(capsys, "check", "--calibration", given, "--quiet", sound, "--talk", sound)
            assert check in answers, (seed, check)
            assert check[1].strip().endswith((".", "?"))
        else:
            assert codes == {0}, (seed, answers)
        said.append(max(codes))
    assert 0 < said.count(0) < TRIES


@pytest.mark.parametrize("count", [1, 2, 7, 15, 16, 17])
@pytest.mark.parametrize("rate", [8000, RATE, 192_000])
def test_a_sound_of_a_few_samples_has_levels(tmp_path, capsys, count, rate):
    path = tmp_path / "few.wav"
    soundfile.write(path, np.full(count, 0.1), rate)
    assert cli.main(["read", "level", str(path), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["peak_dbfs"] == pytest.approx(-20.0, abs=0.1)
    code, said = ran(capsys, "read", "quiet", path)
    assert code == 2
    assert said.strip().endswith(".")


def test_a_sound_that_is_scaled_as_whole_numbers_says_so(tmp_path, capsys):
    path = tmp_path / "scaled.wav"
    soundfile.write(path, 32768.0 * noise(0.1, 4.0), RATE, subtype="FLOAT")
    code, said = ran(capsys, "read", "level", path)
    assert code == 2
    assert "dB over full scale" in said


NAMES = (b"caf\xe9", b"a\xff\xfe", b"\xed\xa0\x80", b"%00?#", b"nl\nx", b"'\"\\", b"{path}", b" x ")


@pytest.mark.parametrize("name", NAMES)
def test_a_file_may_have_any_name_that_the_system_allows(tmp_path, capsys, name):
    folder = pathlib.Path(os.fsdecode(os.fsencode(tmp_path) + b"/" + name))
    folder.mkdir()
    quiet, spoken, out = (
        folder / os.fsdecode(name + end) for end in (b".wav", b"-t.wav", b".json")
    )
    for path, samples in ((quiet, room()), (spoken, voice())):
        with path.open("wb") as file:
            soundfile.write(file, samples, RATE, format="WAV")
    for words in (
        ["read", "level", quiet, "--json"],
        ["plan", "--quiet", quiet, "--talk", spoken, "--out", out],
        ["report", "--calibration", out, folder / "r.html"],
        ["render", "--calibration", out, quiet, folder / "o.wav", "--json"],
    ):
        assert cli.main([*map(str, words)]) == 0, capsys.readouterr().err
        capsys.readouterr()
    assert cli.main(["read", "level", str(folder / "none.wav")]) == 2


ENDLESS = {
    "a calibration": ["report", "--calibration", "/dev/zero", "{out}.html"],
    "a room": ["simulate", "/dev/zero", "--take", "rest", "--seconds", "2", "{out}.wav"],
    "a catalogue": ["--language", "{zero}", "devices"],
}


@pytest.mark.parametrize("what", ENDLESS)
def test_of_what_has_no_end_no_more_is_read_than_it_can_hold(tmp_path, what):
    zero = tmp_path / "zero.po"
    zero.symlink_to("/dev/zero")
    words = [word.format(out=tmp_path / "out", zero=zero) for word in ENDLESS[what]]
    # So much memory that a program may hold, and no file of its size beside it.
    bounded = "import resource, sys; resource.setrlimit(resource.RLIMIT_DATA, (2**31, 2**31));"
    program = f"{bounded} from obsidian_wren.cli.main import main; sys.exit(main(sys.argv[1:]))"
    done = subprocess.run(
        [sys.executable, "-P", "-c", program, *words], check=False, capture_output=True, text=True
    )
    assert done.returncode == 2
    assert "memory" not in done.stderr
    assert "Traceback" not in done.stderr
    assert not list(tmp_path.glob("out*"))


def test_a_fault_of_ours_says_that_it_is_one(monkeypatch, capsys):
    monkeypatch.delenv("OBSIDIAN_WREN_TRACE")

    def fails(*_):
        raise AssertionError("inside")

    monkeypatch.setattr(cli, "_work", fails)
    code, said = ran(capsys, "read", "level", "x.wav")
    assert (code, "internal error" in said) == (2, True)
    monkeypatch.setattr(cli, "_work", lambda *_: (_ for _ in ()).throw(Told("x", "Do that.")))
    assert ran(capsys, "read", "level", "x.wav") == (2, "Do that.\n")
