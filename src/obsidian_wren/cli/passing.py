"""``devices`` and ``live``: the sound server of this session without the page."""

from __future__ import annotations

import argparse
import dataclasses
import json
import math
import signal
import sys
from contextlib import suppress
from typing import TYPE_CHECKING

from obsidian_wren.core.wording import counted, worded
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.formats.calibration import chain_spec
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.ports.system_sound import NoSoundServer
from obsidian_wren.service.errors import Refused

if TYPE_CHECKING:
    from obsidian_wren.ports.system_sound import LiveMicrophone, SystemMicrophone
    from obsidian_wren.service.live.through import Passing

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
            worded(
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
        print(worded("  {program} records from {hears}", program=listener.program, hears=hears))
    return 0


def live(chosen: argparse.Namespace) -> int:
    """A microphone through a calibration into a named input, until Ctrl-C."""
    from obsidian_wren.ports.system_sound import FEED_HZ
    from obsidian_wren.service.live.through import Through
    from obsidian_wren.voice.moving import ensure_joined
    from obsidian_wren.voice.pace import BLOCK_S, PATIENCE_S
    from obsidian_wren.voice.silence import Silence

    specs = chain_spec(read_calibration(chosen.calibration))
    server = SoundServer()
    picked = _picked(server.microphones(), chosen.microphone)
    channel = _channel(picked, chosen.channel)

    def open_microphone() -> LiveMicrophone:
        return server.open_microphone(
            picked.name, rate_hz=FEED_HZ, block_s=BLOCK_S, patience_s=PATIENCE_S
        )

    title = chosen.as_name or "Wren: voice"
    server.look()
    feed = ensure_joined(server, _KEY, title)
    if not chosen.json:
        print(
            worded(
                "Pick “{title}” as the microphone in your program. Ctrl-C ends it.", title=title
            ),
            flush=True,
        )
    through = Through(
        open_microphone,
        feed,
        specs,
        channel=channel,
        tell=_print_json if chosen.json else _print_line,
    )
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: through.stop())
    end_watch = server.watch(lambda: _take_back(server))
    try:
        through.run()
    finally:
        end_watch()
        # Whoever records it would hear the raw microphone: it stays for them, and is silent.
        silence, kept = Silence(lambda: [(feed, 0.0)]), set[str]()
        with suppress(NoSoundServer):
            kept = server.hand_over({_KEY: feed}, stay=False)
        silence.end()
        feed.close()
        if not kept:
            server.remove_input(_KEY)
    if not chosen.json and sys.stdout.isatty():
        print()
    return 0


def _take_back(server: SoundServer) -> None:
    server.look()
    for listener, feed in server.take_back():
        print(
            worded(
                "The sound server had moved {program} to your microphone itself. It hears"
                " “{title}” again.",
                program=listener.program,
                title=feed.title,
            ),
            file=sys.stderr,
        )


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
            worded(
                "There is no such microphone; the system has {listed}. Plug it in, or name"
                " another one with --microphone.",
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
            worded(
                "“{title}” has the channels 1 to {channels}. Choose one of them.",
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
        text = worded("Silence: {silent_because}", silent_because=passing.silent_because)
    else:
        text = worded(
            "{level_dbfs:6.1f} dBFS  peak {peak_dbfs:6.1f} dBFS  delay {delay_ms:.1f} ms  {gaps}",
            level_dbfs=passing.level_dbfs,
            peak_dbfs=passing.peak_dbfs,
            delay_ms=passing.delay_ms,
            gaps=counted("{count} gap", "{count} gaps", passing.gaps),
        )
    print(f"\r{text:78}" if sys.stdout.isatty() else text, end="", flush=True)
    if not sys.stdout.isatty() or passing.silent_because is not None:
        print()
