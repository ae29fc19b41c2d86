"""Nothing of the folder that somebody happens to stand in is run."""

import os
import pathlib
import shutil
import subprocess
import sys

import pytest

from obsidian_wren.cli.starting import own_command

ROOT = pathlib.Path(__file__).parents[1]


@pytest.fixture
def hostile(tmp_path):
    """A folder with modules of Python's own names, and of ours."""
    marker = tmp_path / "was-run"
    code = f"import pathlib\npathlib.Path({str(marker)!r}).write_text('run')\n"
    folder = tmp_path / "downloads"
    folder.mkdir()
    for name in ("argparse", "json", "numpy", "site", "encodings", "obsidian_wren", "typing"):
        (folder / f"{name}.py").write_text(code)
    return folder, marker


def run(command, hostile, **more):
    folder, marker = hostile
    done = subprocess.run(
        command, cwd=folder, capture_output=True, text=True, check=False, timeout=300, **more
    )
    assert done.returncode == 0, done.stderr
    assert "obsidian-wren 0" in done.stdout
    assert not marker.exists()


def test_the_compile_step_of_the_first_start(hostile):
    run(own_command("--version"), hostile)


def test_the_installed_command(hostile):
    run([str(pathlib.Path(sys.executable).with_name("obsidian-wren")), "--version"], hostile)


def test_the_launcher_of_the_debian_package(hostile, tmp_path):
    sys.path.insert(0, str(ROOT / "scripts"))
    from build_deb import _LAUNCHER

    root = tmp_path / "root"
    (root / "bin").mkdir(parents=True)
    launcher = root / "bin" / "obsidian-wren"
    launcher.write_text(_LAUNCHER.format(minor=sys.version_info.minor))
    launcher.chmod(0o755)
    # As the package lays it out, with the libraries of this environment.
    (root / "lib").mkdir()
    libraries = root / "lib" / "obsidian-wren"
    libraries.mkdir()
    (libraries / "obsidian_wren").symlink_to(ROOT / "src" / "obsidian_wren")
    found = pathlib.Path(next(path for path in sys.path if path.endswith("site-packages")))
    for path in found.iterdir():
        if not (libraries / path.name).exists():
            (libraries / path.name).symlink_to(path)
    interpreter = shutil.which(f"python3.{sys.version_info.minor}") or sys.executable
    where = {**os.environ, "PATH": f"{pathlib.Path(interpreter).parent}:/usr/bin:/bin"}
    run([str(launcher), "--version"], hostile, env=where)


def test_whatever_starts_an_interpreter_does_so_in_safety():
    places = [*(ROOT / "src").rglob("*.py"), *(ROOT / "scripts").rglob("*.py")]
    starts = [
        (path.name, line)
        for path in places
        for line in path.read_text().replace("\n", " ").split("sys.executable")[1:]
    ]
    assert starts
    for name, line in starts:
        follows = line.lstrip(", ")
        if follows.startswith(("]", ")", '"-')):
            assert '"-P"' in follows[:12] or follows.startswith((")", "]")), (name, follows[:60])
