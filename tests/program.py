"""The program in a process of its own, as its command starts it, but forked from one that has
loaded everything already."""

from __future__ import annotations

import multiprocessing
import os
import pathlib
import re
import sys

# The server of forks takes its path for modules from here.
os.environ["PYTHONPATH"] = str(pathlib.Path(__file__).parent)
_FORKS = multiprocessing.get_context("forkserver")
_FORKS.set_forkserver_preload(["loaded"])
_PATIENCE_S = 300.0


def _main(told, log, arguments):
    os.dup2(told.fileno(), 1)
    os.dup2(os.open(log, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), 2)
    sys.stdout = os.fdopen(1, "w", buffering=1)
    from obsidian_wren.cli.main import main
    from short import fix_what_the_machine_chooses, shorten

    shorten()
    fix_what_the_machine_chooses()
    sys.exit(main(list(arguments)))


class Program:
    """``obsidian-wren serve`` over a data folder, on a port of its own unless one is given."""

    def __init__(self, data, *options, port=0):
        hears, told = multiprocessing.Pipe(duplex=False)
        arguments = ("serve", "--simulated", "--data", str(data), "--port", str(port), *options)
        # What it says of faults inside.
        self.log = pathlib.Path(f"{data}.log")
        self._process = _FORKS.Process(target=_main, args=(told, str(self.log), arguments))
        self._process.start()
        told.close()
        assert hears.poll(_PATIENCE_S), "the program did not start"
        assert self._process.is_alive() or hears.poll(), self.log.read_text()
        told = re.search(
            r"(http://[\d.:]+/)(?:\?token=([\w-]+))?", os.read(hears.fileno(), 4096).decode()
        )
        # Where a person goes, and what a script says to be let in.
        self.address, self.url, self.token = told.group(0), told.group(1), told.group(2)
        self._hears = hears

    def end(self):
        """As a person ends it."""
        self._process.terminate()
        self._process.join(timeout=_PATIENCE_S)
        assert not self._process.is_alive()

    def kill(self):
        """As a power cut ends it."""
        self._process.kill()
        self._process.join(timeout=_PATIENCE_S)
