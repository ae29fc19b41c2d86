"""One file for people who have no Python and no pip: a Debian package, ``make deb``.

Everything that the program stands on lies in it, so that installing it needs no network but what
apt wants for Python itself. It belongs to one release of Python; this machine's is taken.
"""

from __future__ import annotations

import argparse
import os
import pathlib
import shutil
import subprocess
import sys
import tempfile
import tomllib

from try_wheel import built

ROOT = pathlib.Path(__file__).resolve().parents[1]
_LAUNCHER = """#!/bin/sh
here=$(dirname "$(readlink -f "$0")")
PYTHONPATH="$here/../lib/obsidian-wren" exec python3.{minor} -P -m obsidian_wren.cli "$@"
"""
_CONTROL = """Package: obsidian-wren
Version: {version}
Architecture: {architecture}
Maintainer: The founders of Obsidian Wren <founders@obsidian-wren.invalid>
Installed-Size: {kilobytes}
Depends: python3.{minor}
Recommends: libpulse0
Section: sound
Priority: optional
Description: {summary}
 Measures the noise floor, stages the gain, fits a corrective equalizer to your
 voice, and sends the treated voice to the programs that listen.
"""
# What the root user ran leaves kernels there, which no package owns.
_REMOVED = """#!/bin/sh
set -e
case "$1" in remove|purge) rm -rf /usr/lib/obsidian-wren ;; esac
"""
_MENU = """[Desktop Entry]
Type=Application
Name=Obsidian Wren
Comment={summary}
Exec=obsidian-wren serve
Icon=obsidian-wren
Terminal=true
Categories=AudioVideo;Audio;
"""


def _write(path: pathlib.Path, text: str, *, mode: int = 0o644) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    path.chmod(mode)


def laid_out(wheel: pathlib.Path, root: pathlib.Path) -> None:
    """The files of the package as they will lie on a machine."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    libraries = root / "usr/lib/obsidian-wren"
    pip = [sys.executable, "-P", "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, "--no-compile", "--target", libraries, wheel], check=True)
    # Commands of libraries, and their own tests, are not ours to install.
    shutil.rmtree(libraries / "bin", ignore_errors=True)
    subprocess.run([sys.executable, "-P", "-m", "compileall", "-q", libraries], check=True)
    minor = sys.version_info.minor
    _write(root / "usr/bin/obsidian-wren", _LAUNCHER.format(minor=minor), mode=0o755)
    unit = (ROOT / "docs/obsidian-wren.service").read_text()
    _write(root / "usr/share/doc/obsidian-wren/obsidian-wren.service", unit)
    _write(root / "usr/share/doc/obsidian-wren/copyright", (ROOT / "LICENSE").read_text())
    icon = (ROOT / "frontend/src/wren.svg").read_text()
    _write(root / "usr/share/icons/hicolor/scalable/apps/obsidian-wren.svg", icon)
    menu = _MENU.format(summary=project["description"])
    _write(root / "usr/share/applications/obsidian-wren.desktop", menu)
    size = sum(path.stat().st_size for path in root.rglob("*") if path.is_file())
    architecture = subprocess.run(
        ["dpkg", "--print-architecture"], check=True, capture_output=True, text=True
    ).stdout.strip()
    control = _CONTROL.format(
        version=_version(libraries),
        architecture=architecture,
        kilobytes=size // 1024,
        minor=minor,
        summary=project["description"],
    )
    _write(root / "DEBIAN/control", control)
    _write(root / "DEBIAN/postrm", _REMOVED, mode=0o755)


def _version(libraries: pathlib.Path) -> str:
    found = next(libraries.glob("obsidian_wren-*.dist-info"))
    return found.name.removesuffix(".dist-info").partition("-")[2]


def packed(into: pathlib.Path) -> pathlib.Path:
    """The package, written to a folder."""
    with tempfile.TemporaryDirectory() as folder:
        place = pathlib.Path(folder)
        root = place / "root"
        root.mkdir()
        root.chmod(0o755)
        old = os.umask(0o022)
        try:
            laid_out(built(place / "dist"), root)
        finally:
            os.umask(old)
        into.mkdir(parents=True, exist_ok=True)
        # The usual compression takes minutes for a tenth less.
        command = ["dpkg-deb", "--root-owner-group", "-Zxz", "-z1", "--build", root, into]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return max(into.glob("obsidian-wren_*.deb"), key=lambda path: path.stat().st_mtime)


def main() -> None:
    chosen = argparse.ArgumentParser(description=__doc__)
    chosen.add_argument("--into", type=pathlib.Path, default=ROOT / "dist")
    found = packed(chosen.parse_args().into)
    print(f"{found}: {found.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
