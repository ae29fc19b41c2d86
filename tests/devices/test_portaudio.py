"""The adapter for systems without a sound server, against a fake of PortAudio's list."""

import types

import numpy as np
import pytest

from obsidian_wren.devices.portaudio.system import PortAudioSystem
from obsidian_wren.ports.system_sound import FEED_HZ, NoSoundServer
from obsidian_wren.ports.world import SourceGone

DEVICES = [
    {
        "name": "Towpath Two",
        "max_input_channels": 2,
        "max_output_channels": 0,
        "default_samplerate": 44_100.0,
    },
    {
        "name": "Loft loop (2 ch)",
        "max_input_channels": 2,
        "max_output_channels": 2,
        "default_samplerate": 48_000.0,
    },
]


class Stream:
    opened = ()

    def __init__(self, **asked):
        if asked["device"] == 99:
            raise RuntimeError("no longer lists this device")
        self.asked, self.runs = asked, False
        Stream.opened = (*Stream.opened, self)

    def start(self):
        self.runs = True

    def close(self):
        self.runs = False
        self.asked["finished_callback"]()


@pytest.fixture
def system():
    Stream.opened = ()
    library = types.SimpleNamespace(
        query_devices=lambda: DEVICES,
        default=types.SimpleNamespace(device=[0, 1]),
        InputStream=Stream,
        OutputStream=Stream,
    )
    found = PortAudioSystem(library)
    assert found.look()
    assert not found.look()
    return found


def test_devices_are_listed_by_direction(system):
    listed = [
        (each.id, each.system_name, each.rate_hz, each.channels, each.is_default)
        for each in system.seen.devices
    ]
    assert listed == [
        ("input-0", "Towpath Two", 44_100, 2, True),
        ("input-1", "Loft loop (2 ch)", 48_000, 2, False),
        ("output-1", "Loft loop (2 ch)", 48_000, 2, True),
    ]
    assert system.seen.listeners == ()


def test_a_microphone_is_read_in_whole_blocks_and_its_backlog_is_let_go(system):
    microphone = system.open_microphone("input-0")
    (stream,) = Stream.opened
    assert (stream.asked["device"], stream.asked["samplerate"]) == (0, 44_100)
    came = stream.asked["callback"]
    ramp = np.arange(441 * 6, dtype=np.float32).reshape(-1, 1).repeat(2, axis=1)
    came(ramp[:441], 441, None, None)
    assert np.array_equal(microphone.read(441), ramp[:441])
    for first in range(441, 441 * 6, 441):
        came(ramp[first : first + 441], 441, None, None)
    assert microphone.gaps > 0
    # The newest three blocks are left.
    assert microphone.read(441)[0, 0] == 441 * 3
    stream.close()
    microphone.read(882)
    with pytest.raises(SourceGone, match="Plug it in again"):
        microphone.read(441)


def test_a_feed_plays_into_the_loopback_device_that_has_its_name(system):
    with pytest.raises(NoSoundServer, match="“Wren: call” is not one"):
        system.ensure_input("call", "Wren: call")
    feed = system.ensure_input("call", "Loft loop")
    (stream,) = Stream.opened
    assert (stream.asked["device"], stream.asked["samplerate"]) == (1, FEED_HZ)
    feed.write(np.full(300, 0.5))
    out = np.ones((480, 2), dtype=np.float32)
    stream.asked["callback"](out, 480, None, None)
    # What is missing is silence.
    assert np.array_equal(out[:, 1], np.r_[np.full(300, 0.5), np.zeros(180)])
    assert feed.is_whole
    feed.close()
    assert not feed.is_whole
    system.remove_input("call")
    assert system.inputs() == ()


def test_what_it_cannot_do_is_said(system):
    with pytest.raises(NoSoundServer, match="own sound settings"):
        system.set_device("input-0", "muted", True)
    with pytest.raises(NoSoundServer):
        system.move_listener(1, "input-0")
    with pytest.raises(SourceGone, match="is not connected"):
        system.open_microphone("input-7")
    assert system.seen.missing is None
    system._library.query_devices = lambda: 1 / 0
    assert system.look()
    assert "Install it again" in system.seen.missing[1]
