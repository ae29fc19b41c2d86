"""A call while the page is clicked hard, and while the page's program is killed.

A private sound server, a microphone with a tone, the program over the demo's calibration, live on
that microphone, and three programs that record at the same time: the microphone itself, a plain
loopback of the server, and the feed for the call. A break in the tone is a gap; those that the
microphone has at the same instant are nobody's. The page derives, switches, takes back, reports,
brings a file in and sends markers without a pause. With ``plain`` the program has no right to come
before others; the sound server keeps its own. With ``brokered`` it has none either, and a stand-in
of a desktop's broker grants what it is asked for, on a bus of its own.
"""

from __future__ import annotations

import itertools
import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext, suppress
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np
from jeepney import message_bus, new_method_return  # type: ignore[import-untyped]
from jeepney.io.blocking import open_dbus_connection  # type: ignore[import-untyped]

from live import voices
from obsidian_wren.devices.sound_server.control import SoundServer
from own_system import calibrated_on
from private_server import (
    PipeWire,
    PrivateServer,
    PulseAudio,
)
from voice import NEAR, SECONDS, Heard, breaks, busy, looped, of_process

KILLS = int(os.environ.get("OBSIDIAN_WREN_BENCH_KILLS", "20"))
WARM_S = 15.0
CALL = "obsidian_wren.call"
NAMES = {PulseAudio.name, PipeWire.name}
PLAIN = ("setpriv", "--bounding-set", "-sys_nice", "--inh-caps", "-sys_nice")


@contextmanager
def broker(folder: Path) -> Iterator[None]:
    """Grants any thread that asks to run before others, as a desktop's broker does."""
    address = f"unix:path={folder}/bus"
    bus = subprocess.Popen(
        ["dbus-daemon", "--session", f"--address={address}", "--nofork", "--print-address"],
        stdout=subprocess.PIPE,
    )
    assert bus.stdout is not None
    bus.stdout.readline()
    os.environ |= {"DBUS_SYSTEM_BUS_ADDRESS": address, "DBUS_SESSION_BUS_ADDRESS": address}
    connection = open_dbus_connection(bus="SESSION")
    connection.send_and_get_reply(message_bus.RequestName("org.freedesktop.RealtimeKit1"))

    ended = threading.Event()

    def answer() -> None:
        while not ended.is_set():
            try:
                message = connection.receive(timeout=0.2)
            except TimeoutError:
                continue
            if message.header.fields.get(3) == "Get":
                value = {"RTTimeUSecMax": ("x", 200_000), "MaxRealtimePriority": ("i", 20)}
                reply = new_method_return(message, "v", (value[message.body[1]],))
            else:
                _, thread, priority = message.body
                os.sched_setscheduler(thread, os.SCHED_RR, os.sched_param(priority))
                reply = new_method_return(message)
            connection.send(reply)

    answering = threading.Thread(target=answer, daemon=True)
    answering.start()
    try:
        yield
    finally:
        ended.set()
        answering.join()
        bus.kill()
        bus.wait()


class Page:
    """The page's program, and who clicks; a marker is a sound of its own, which a codec smears."""

    def __init__(self, data: Path, *, plain: bool, sends_markers: bool = True) -> None:
        self._data, self._plain, self._port = data, plain, 0
        self._sends_markers = sends_markers
        self._ended = threading.Event()
        self.clicks = 0
        self.start()

    def start(self) -> None:
        serve = [sys.executable, "-P", "-m", "obsidian_wren.cli", "serve", "--no-token"]
        self.process = subprocess.Popen(
            [
                *(PLAIN if self._plain else ()),
                *serve,
                *("--port", str(self._port), "--data", str(self._data)),
            ],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert self.process.stdout is not None
        found = None
        while found is None:
            found = re.search(r"http://127.0.0.1:(\d+)/", self.process.stdout.readline())
        self._port = int(found.group(1))

    def ask(self, method: str, path: str, body: object = None) -> bytes:
        data = body if isinstance(body, bytes) else None if body is None else json.dumps(body)
        request = urllib.request.Request(
            f"http://127.0.0.1:{self._port}/api/{path}",
            method=method,
            data=data.encode() if isinstance(data, str) else data,
            headers={"Content-Type": "application/json"},
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            found: bytes = answer.read()
        return found

    def click(self) -> None:
        """Without a pause, until :meth:`end`."""
        moves: tuple[Callable[[int], object], ...] = (
            lambda n: self.ask("PUT", "preferences", {"cut_weight": 0.5 + 0.01 * (n % 30)}),
            lambda n: self.ask("PATCH", "stages", {"stage": "colour", "on": n % 2 == 0}),
            lambda n: self.ask("POST", "derive", {}),
            lambda n: self.ask("POST", "undo"),
            lambda n: self.ask("GET", "report"),
            lambda n: self.ask("POST", "brought", self.ask("GET", "calibration")),
            lambda n: self.ask("DELETE", "brought"),
            lambda n: self.ask("GET", "state"),
        )
        if self._sends_markers:
            moves = (*moves, lambda n: self.ask("POST", "marker"))
        for number in itertools.count():
            if self._ended.is_set():
                return
            # What is refused, or finds nobody there, was a click all the same.
            with suppress(urllib.error.URLError, OSError):
                moves[number % len(moves)](number)
                self.clicks += 1

    def answers(self) -> bool:
        with suppress(urllib.error.URLError, OSError):
            return bool(json.loads(self.ask("GET", "listener"))["live"])
        return False

    def end(self) -> None:
        self._ended.set()
        self.process.send_signal(signal.SIGINT)
        self.process.wait()


def until(what: Callable[[], bool]) -> None:
    until_s = time.monotonic() + 60.0
    while not what():
        if time.monotonic() > until_s:
            raise TimeoutError("it never happened")
        time.sleep(0.05)


def own_gaps(heard: dict[str, Heard]) -> tuple[dict[str, int], int]:
    """Of everybody but the microphone, what the microphone did not have."""
    found = {name: breaks(each.sound()) for name, each in heard.items()}
    raw = found.pop("microphone")
    return {
        name: sum(bool(not len(raw) or np.abs(raw - one).min() > 4 * NEAR) for one in at)
        for name, at in found.items()
    }, len(raw)


def run(kind: type[PrivateServer], *, plain: bool) -> None:
    with looped(kind) as (server, folder):
        system = SoundServer()
        system.look()
        calibrated_on(system, folder)
        page = Page(folder / "data", plain=plain)
        until(lambda: CALL in {each.name for each in system.microphones()})
        # What computes has loaded by then.
        time.sleep(WARM_S)
        began = time.monotonic()
        page.ask("POST", "run/start", {})
        first = Heard(CALL)
        while not first.sound().any():
            time.sleep(0.005)
        print(f"{server.name}: sound {time.monotonic() - began:.2f} s after the press")
        first.end()
        heard = {name: Heard(it) for name, it in (("microphone", "desk"), ("loop", "loop.monitor"))}
        heard["call"] = Heard(CALL)
        time.sleep(2.0)
        clicking = threading.Thread(target=page.click, daemon=True)
        for count in (None, 0, 2, 4):
            if count == 0:
                clicking.start()
            with busy(count or 0):
                time.sleep(1.0)
                for each in heard.values():
                    each.forget()
                (voice,) = voices()
                pss, before_s = of_process(voice)
                clicks = page.clicks
                time.sleep(SECONDS)
                _, after_s = of_process(voice)
                told(
                    "not clicked" if count is None else f"clicked, {count} busy",
                    heard,
                    SECONDS,
                    f"{page.clicks - clicks} clicks; voice {pss:.0f} MB,"
                    f" {(after_s - before_s) / SECONDS:.3f} of a core",
                )
        for each in heard.values():
            each.forget()
        killed_s = time.monotonic()
        for _ in range(KILLS):
            page.process.kill()
            page.process.wait()
            page.start()
            until(page.answers)
        told(f"page killed {KILLS} times", heard, time.monotonic() - killed_s, "")
        for each in heard.values():
            each.end()
        page.end()


def told(what: str, heard: dict[str, Heard], seconds: float, more: str) -> None:
    own, raw = own_gaps(heard)
    minute = 60.0 / seconds
    print(
        f"  {what}: gaps a minute: call {own['call'] * minute:5.1f}, loopback"
        f" {own['loop'] * minute:5.1f} (microphone {raw * minute:5.1f}); {more}",
        flush=True,
    )


def main() -> None:
    chosen = set(sys.argv[1:])
    kinds = [kind for kind in (PulseAudio, PipeWire) if kind.name in chosen or not chosen & NAMES]
    with tempfile.TemporaryDirectory() as name:
        granting = broker(Path(name)) if "brokered" in chosen else nullcontext()
        with granting:
            for kind in kinds:
                run(kind, plain=bool(chosen & {"plain", "brokered"}))


if __name__ == "__main__":
    main()
