"""The process of the voice: ``python -m obsidian_wren.cli.voice SOCKET``.

It loads numbers, kernels and the sound server's library, and nothing that serves pages, keeps rows
or derives.
"""

from __future__ import annotations

import argparse
import gc
import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path

from obsidian_wren.cli.language import speak_as_asked
from obsidian_wren.core.told import Told
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.voice.beginning import READY
from obsidian_wren.voice.engine import Voice
from obsidian_wren.voice.serving import Serving


def serve_voice(made: Callable[[Serving], Voice]) -> int:
    """Serve what is ``made`` until somebody asks for the end, or SIGTERM comes."""
    parser = argparse.ArgumentParser()
    parser.add_argument("socket", type=Path)
    chosen = parser.parse_args()
    # Whatever is written from here on is its owner's alone.
    os.umask(0o077)
    try:
        speak_as_asked(())
        serving = Serving(chosen.socket)
        voice = made(serving)
    except Told as error:
        print(error, flush=True)
        return 2
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    if sys.platform.startswith("linux"):
        from obsidian_wren.voice.broker import give_back

        signal.signal(signal.SIGXCPU, give_back)
    signal.signal(signal.SIGTERM, lambda *_: serving.end())
    serving.answer(voice)
    try:
        print(READY, flush=True)
    except BrokenPipeError:
        # Whoever started it has gone before anybody could ask.
        serving.end()
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    gc.freeze()
    serving.wait()
    voice.end()
    return 0


def _own(serving: Serving) -> Voice:
    from obsidian_wren.cli.own_system import own_system

    return Voice(own_system(), serving.tell, serving.folder, BrowserStream)


if __name__ == "__main__":
    raise SystemExit(serve_voice(_own))
