"""``devices`` and ``live``: the sound server of this session without the page."""

from __future__ import annotations

import argparse
import dataclasses
import json
import math
import signal
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from obsidian_wren.cli.own_system import voice_command
from obsidian_wren.core.mix.block import BLOCK_RANGE_MS
from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.ports.system_sound import FEED_HZ, SystemMicrophone
from obsidian_wren.service.errors import Refused
from obsidian_wren.voice import asking, records
from obsidian_wren.voice.beginning import begin
from obsidian_wren.voice.pace import BLOCK_S

_TELL_EVERY_S = 1.0
_GIVES_OVER_S, _ASK_AGAIN_S = 4.0, 0.1
_KEY = "command-line"


def devices(chosen: argparse.Namespace) -> int:
    """What can be recorded from, our inputs, and who records now."""
    server = SoundServer()
    found = {
        "server": server.name,
        "microphones": [dataclasses.asdict(each) for each in server.microphones()],
        "inputs": [dataclasses.asdict(each) for each in server.inputs()],
        "listeners": [dataclasses.asdict(each) for each in server.listeners()],
    }
    if chosen.json:
        print(json.dumps(found, ensure_ascii=False))
        return 0
    print(f"{found['server']}:")
    for one in server.microphones():
        marks = [
            *(["default"] if one.is_default else []),
            *(["muted"] if one.muted else []),
            *(["ours"] if one.ours else []),
        ]
        print(
            _(
                "  {title} ({name}): {rate_hz} Hz, {channels} ch, volume {volume_percent:.0f}"
                " %{which}{marks}",
                title=one.title,
                name=one.name,
                rate_hz=one.rate_hz,
                channels=one.channels,
                volume_percent=one.volume_percent,
                which=", " if marks else "",
                marks=", ".join(marks),
            )
        )
    for listener in server.listeners():
        hears = listener.microphone or "nothing"
        print(_("  {program} records from {hears}", program=listener.program, hears=hears))
    return 0


@dataclasses.dataclass(frozen=True)
class Passing:
    """What went through in the last second: level and peak behind the chain in dBFS, the delay from
    the microphone's sound to the feed in ms, gaps so far; or why it is silent."""

    level_dbfs: float | None
    peak_dbfs: float | None
    delay_ms: float | None
    gaps: int
    silent_because: str | None = None


def live(chosen: argparse.Namespace, path: Path, process: subprocess.Popen[bytes]) -> int:
    """A microphone through a calibration into a named input, until Ctrl-C, by a voice whose process
    begins and whose socket will be at ``path``."""
    wanted = _wanted(chosen)
    stopped = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopped.set())
    tells_by_line = not chosen.json
    while not stopped.is_set():
        asking.await_ready(process)
        voice = asking.Asking(path, tied=True, told=_print_trouble)
        _start(voice, wanted)
        if tells_by_line:
            print(
                _(
                    "Choose “{title}” as the microphone in your program. Press Ctrl-C to end.",
                    title=wanted.seats[0].feed,
                ),
                flush=True,
            )
            tells_by_line = False
        with suppress(asking.VoiceRefused):
            while not stopped.wait(_TELL_EVERY_S):
                (_print_json if chosen.json else _print_line)(_passing(voice.status()))
            voice.ask(records.End())
        process.wait()
        if not stopped.is_set():
            print(_("The voice stopped and was started again."), file=sys.stderr)
            process = begin([*voice_command(), str(path)])
    if not chosen.json and sys.stdout.isatty():
        print()
    return 0


def _start(voice: asking.Asking, wanted: records.Start) -> None:
    """Be live; one that just ended may still be giving its feed over. Raises VoiceRefused."""
    until_s = time.monotonic() + _GIVES_OVER_S
    while True:
        try:
            voice.ask(wanted)
            return
        except asking.VoiceRefused as error:
            if error.code != "taken" or time.monotonic() > until_s:
                raise
        time.sleep(_ASK_AGAIN_S)


def _wanted(chosen: argparse.Namespace) -> records.Start:
    """What the command line asks for. Raises Refused."""
    from obsidian_wren.formats.calibration import chain_spec
    from obsidian_wren.formats.carried_file import read_calibration

    specs = chain_spec(read_calibration(chosen.calibration))
    server = SoundServer()
    server.look()
    picked = _picked(server.microphones(), chosen.microphone)
    title = server.listed_as(chosen.as_name or "Wren: voice")
    return records.Start(
        picked.name,
        _channel(picked, chosen.channel),
        FEED_HZ,
        tuple(records.stage_of(spec) for spec in specs),
        (records.SeatRecord(_KEY, 0, "call", title, title),),
        {title: "voice treated"},
        block_s=BLOCK_S if chosen.block is None else _block_s(chosen.block),
        adapts=chosen.block is None,
    )


def _block_s(wanted_ms: float) -> float:
    """Seconds. Raises Refused for one that is out of range."""
    low_ms, high_ms = BLOCK_RANGE_MS
    if not low_ms <= wanted_ms <= high_ms:
        raise Refused(
            "out-of-range",
            _(
                "A block lasts {low_ms:g} to {high_ms:g} ms. Choose a value in between, or"
                " leave the option out.",
                low_ms=low_ms,
                high_ms=high_ms,
            ),
        )
    return wanted_ms / 1000.0


def _passing(status: records.Status) -> Passing:
    return Passing(
        status.level_dbfs,
        status.peak_dbfs,
        status.delay_ms,
        status.gaps,
        status.silent_because,
    )


def _print_trouble(kind: str, body: dict[str, Any]) -> None:
    if kind == "trouble":
        print(body["sentence"], file=sys.stderr)


def _picked(microphones: tuple[SystemMicrophone, ...], wanted: str | None) -> SystemMicrophone:
    """The microphone by its name or a part of its title, else the default one; never ours."""
    real = [each for each in microphones if not each.ours]
    if wanted is None:
        fitting = [each for each in real if each.is_default] or real[:1]
    else:
        fitting = [each for each in real if each.name == wanted] or [
            each for each in real if wanted.casefold() in each.title.casefold()
        ]
    if not fitting:
        listed = ", ".join(f"“{each.title}”" for each in real) or "none"
        raise Refused(
            "no-microphone",
            _(
                "There is no such microphone; the system has {listed}. Plug it in, or name"
                " another with --microphone.",
                listed=listed,
            ),
        )
    return fitting[0]


def _channel(microphone: SystemMicrophone, wanted: int | None) -> int:
    """The channel from 0. Raises Refused for one that the microphone does not have."""
    number = 1 if wanted is None else wanted
    if not 1 <= number <= microphone.channels:
        raise Refused(
            "no-channel",
            _(
                "“{title}” has channels 1 to {channels}. Choose one of them.",
                title=microphone.title,
                channels=microphone.channels,
            ),
        )
    return number - 1


def _told(passing: Passing) -> dict[str, object]:
    return {
        name: None
        if isinstance(value, float) and not math.isfinite(value)
        else round(value, 2)
        if isinstance(value, float)
        else value
        for name, value in dataclasses.asdict(passing).items()
    }


def _print_json(passing: Passing) -> None:
    print(json.dumps(_told(passing), ensure_ascii=False), flush=True)


def _print_line(passing: Passing) -> None:
    if passing.silent_because is not None:
        text = _("Silence: {silent_because}", silent_because=passing.silent_because)
    else:
        text = _(
            "{level_dbfs:6.1f} dBFS  peak {peak_dbfs:6.1f} dBFS  delay {delay_ms:.1f} ms  {gaps}",
            level_dbfs=passing.level_dbfs,
            peak_dbfs=passing.peak_dbfs,
            delay_ms=passing.delay_ms,
            gaps=ngettext("{count} gap", "{count} gaps", passing.gaps),
        )
    print(f"\r{text:78}" if sys.stdout.isatty() else text, end="", flush=True)
    if not sys.stdout.isatty() or passing.silent_because is not None:
        print()
