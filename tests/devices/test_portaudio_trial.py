"""PortAudio as it really runs: over ALSA's plugin to a private sound server."""

import json
import subprocess
import sys
from ctypes.util import find_library
from importlib.util import find_spec
from pathlib import Path

import pytest

from listening import level_of_tone
from obsidian_wren.voice.channel import OneChannel
from own_system import sink
from signals import sine

# Not loaded here: it would look at the session's own devices.
IS_THERE = find_spec("sounddevice") is not None and find_library("portaudio") is not None
pytestmark = [
    pytest.mark.real_time,
    pytest.mark.skipif(not IS_THERE, reason="needs PortAudio and sounddevice"),
]

SCRIPT = Path(__file__).parents[1] / "portaudio_run.py"
ALSA = "".join(
    f'pcm.{name} {{\n type pulse\n device {name}\n hint {{ show on\n description "{name}" }}\n}}\n'
    for name in ("desk", "loft")
)


@pytest.fixture
def running(sound_server, plugged):
    """What is said of a run whose microphone has a tone in its second channel."""
    tone = sine(1000.0, -20.0, 1.0)
    desk = plugged(tone[:, None] * [0.0, 1.0], channels=2)
    sink("loft")
    (sound_server.folder / ".asoundrc").write_text(ALSA)
    process = subprocess.Popen(
        [sys.executable, "-P", str(SCRIPT)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )

    def told(what):
        for line in process.stdout:
            found = json.loads(line)
            if what(found):
                return found
        raise AssertionError("it ended before it was told")

    yield desk, told
    process.stdin.close()
    process.stdout.close()
    process.wait(60)


def test_a_voice_goes_into_a_loopback_device_and_silence_of_the_device_is_told(
    system, running, sound_server
):
    desk, told = running
    found = told(lambda each: each.get("level_dbfs") is not None)
    assert found["running"]["microphone"].startswith("input-")
    # A marker is looked for where what is played to the loopback device is recorded.
    assert found["heard_at"]
    microphone = system.open_microphone("loft.monitor", patience_s=60.0)
    assert level_of_tone(OneChannel(microphone, 0)) == pytest.approx(-14.0, abs=0.1)
    microphone.close()
    if sound_server.name == "PipeWire":
        # It gives silence in the place of a device that sends nothing.
        return
    # One that is unplugged ends its stream or sends nothing; the plugin would be moved to another.
    desk.hush()
    gone = told(lambda each: each.get("silent_because"))
    assert "Plug it in again" in gone["silent_because"]
