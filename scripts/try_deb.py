"""The Debian package, tried as a person would: ``make try-deb``.

Builds it, unpacks it where nothing of this project lies, and as somebody who cannot write there
measures a file, starts the demo from an empty folder, goes live in a browser and proves the feed.
"""

from __future__ import annotations

import os
import pathlib
import pwd
import subprocess
import tempfile

from build_deb import packed
from try_wheel import demonstrated, measured


def somebody() -> str | None:
    """Who cannot write where the package is unpacked: another one where this is the root user."""
    return "nobody" if os.geteuid() == 0 else None


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        place, home = pathlib.Path(folder), pathlib.Path(folder) / "home"
        place.chmod(0o755)
        package = packed(place)
        print(f"{package.name}: {package.stat().st_size / 1e6:.1f} MB")
        subprocess.run(["dpkg-deb", "--extract", package, place / "root"], check=True)
        home.mkdir()
        user = somebody()
        if user is not None:
            os.chown(home, pwd.getpwnam(user).pw_uid, -1)
        program = place / "root/usr/bin/obsidian-wren"
        surroundings = {"HOME": str(home), "PATH": "/usr/bin:/bin", "LANG": "C.UTF-8"}
        measured(program, home, user=user, env=surroundings)
        demonstrated(program, home, user=user, env=surroundings)


if __name__ == "__main__":
    main()
