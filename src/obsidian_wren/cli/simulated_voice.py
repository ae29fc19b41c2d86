"""The process of the voice where all around is simulated: ``python -m
obsidian_wren.cli.simulated_voice SOCKET``."""

from __future__ import annotations

from obsidian_wren.cli.voice import serve_voice
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.voice.engine import Voice
from obsidian_wren.voice.serving import Serving


def _made(serving: Serving) -> Voice:
    from obsidian_wren.simulation.around_voice import simulated_voice

    return simulated_voice(serving.tell, serving.folder, BrowserStream, is_alone=True)


if __name__ == "__main__":
    raise SystemExit(serve_voice(_made))
