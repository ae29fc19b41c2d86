"""The program as its command starts it, in a process of its own, asked as its page asks it."""

import json
import re
import subprocess
import urllib.request
from pathlib import Path

from obsidian_wren.cli.starting import own_command

# What renders, measures and simulates is found by its libraries.
COMPUTES = ("llvmlite", "scipy/signal", "scipy/fft", "scipy/optimize", "scipy/linalg")


class Command:
    """``serve`` or ``demo`` over a data folder."""

    def __init__(self, command, data):
        self.data = data
        self.process = subprocess.Popen(
            [*own_command(command, "--no-token", "--port", "0"), "--data", str(data)],
            stdout=subprocess.PIPE,
            text=True,
        )
        self.url = re.search(r"http://[\d.:]+/", self.process.stdout.readline()).group()

    def ask(self, method, path, **body):
        """What is answered, as JSON values."""
        return json.loads(self.fetch(method, path, **body))

    def fetch(self, method, path, **body):
        """What is answered, as bytes."""
        sent = None if method == "GET" else json.dumps(body).encode()
        request = urllib.request.Request(f"{self.url}api/{path}", method=method, data=sent)
        request.add_header("Content-Type", "application/json")
        with urllib.request.urlopen(request) as answer:
            return answer.read()

    def state(self):
        """How everything stands."""
        return self.ask("GET", "state")

    def is_live(self):
        """Whether something is live."""
        return self.ask("GET", "listener")["live"]

    def ends_by(self, number):
        """A signal ends it."""
        self.process.send_signal(number)
        self.process.wait()

    def loaded(self):
        """What of that which computes is loaded in it."""
        found = Path(f"/proc/{self.process.pid}/maps").read_text("utf-8")
        assert "_multiarray" in found
        return [name for name in COMPUTES if name in found]
