"""The voice over PortAudio, in a process of its own: the library looks for devices once, when it is
loaded. Says how things stand, a line of JSON a fifth of a second, until its input ends."""

import json
import sys
import tempfile
import threading
from pathlib import Path

import msgspec
import sounddevice

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.devices.portaudio.system import PortAudioSystem
from obsidian_wren.voice import records
from obsidian_wren.voice.engine import Voice


def main():
    system = PortAudioSystem(sounddevice)
    system.look()
    named = {
        device.system_name: device for device in system.seen.devices if device.direction == "input"
    }
    voice = Voice(system, lambda kind, body: None, Path(tempfile.gettempdir()), BrowserStream)
    voice.start(
        records.Start(
            named["desk"].id,
            1,
            48_000,
            (records.stage_of(GainSpec(6.0)),),
            (records.SeatRecord("call", 0, "call", "Call", "loft"),),
            {"loft": "voice treated"},
        )
    )
    ended = threading.Event()
    threading.Thread(target=lambda: (sys.stdin.read(), ended.set()), daemon=True).start()
    while not ended.wait(0.2):
        told = msgspec.to_builtins(voice.status())
        told["heard_at"] = system.input_name("call") == named["loft"].id
        print(json.dumps(told), flush=True)
    voice.end()


if __name__ == "__main__":
    main()
