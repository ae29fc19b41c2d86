"""What phones and browsers record, through the decoder."""

import sys
from fractions import Fraction

import av
import numpy as np
import pytest

from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.formats.sound_header import BadSound
from signals import RATE, sine


def encoded(path, codec, container, rate_hz=RATE, channels=1):
    sound = sine(500.0, -20.0, 3.0, rate_hz=rate_hz).astype(np.float32)
    with av.open(str(path), "w", format=container) as file:
        stream = file.add_stream(codec, rate=rate_hz)
        stream.layout = "mono" if channels == 1 else "stereo"
        frame = av.AudioFrame.from_ndarray(
            np.tile(sound, (channels, 1)), format="fltp", layout=stream.layout.name
        )
        frame.sample_rate, frame.pts, frame.time_base = rate_hz, 0, Fraction(1, rate_hz)
        shaped = av.AudioResampler(
            format=stream.format,
            layout=stream.layout,
            rate=rate_hz,
            frame_size=stream.codec_context.frame_size or 1024,
        )
        for part in [*shaped.resample(frame), *shaped.resample(None)]:
            for packet in stream.encode(part):
                file.mux(packet)
        for packet in stream.encode(None):
            file.mux(packet)
    return path


@pytest.mark.parametrize(
    ("name", "codec", "container", "rate_hz", "channels"),
    [
        ("walk.m4a", "aac", "ipod", RATE, 1),
        ("walk.m4a", "aac", "ipod", 44_100, 2),
        ("walk.3gp", "aac", "3gp", RATE, 1),
        ("walk.webm", "libopus", "webm", RATE, 1),
        ("walk.mp3", "libmp3lame", "mp3", RATE, 1),
        ("walk.amr", "libopencore_amrnb", "amr", 8_000, 1),
    ],
)
def test_the_sound_is_as_it_was_recorded(tmp_path, name, codec, container, rate_hz, channels):
    read = read_sound(encoded(tmp_path / name, codec, container, rate_hz, channels))
    assert read.rate_hz == rate_hz
    assert len(read.samples) / rate_hz == pytest.approx(3.0, abs=0.1)
    middle = read.samples[rate_hz : 2 * rate_hz]
    # One of them is made for speech, which a tone is not.
    most = 6.0 if container == "amr" else 1.0
    assert 20.0 * np.log10(np.std(middle) * np.sqrt(2.0)) == pytest.approx(-20.0, abs=most)
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle))))
    assert np.argmax(spectrum) == pytest.approx(500, abs=2)


def test_without_the_decoder_it_says_how_to_install_it(tmp_path, monkeypatch):
    path = encoded(tmp_path / "walk.m4a", "aac", "ipod")
    monkeypatch.setitem(sys.modules, "av", None)
    with pytest.raises(BadSound, match=r"pip install obsidian-wren\[phone\]") as told:
        read_sound(path)
    assert told.value.code == "needs-decoder"


@pytest.mark.parametrize("kept", [12, 500])
def test_one_that_is_broken_is_told(tmp_path, kept):
    path = encoded(tmp_path / "walk.m4a", "aac", "ipod")
    path.write_bytes(path.read_bytes()[:kept])
    with pytest.raises(BadSound, match="broken inside"):
        read_sound(path)


def test_one_without_sound_is_told(tmp_path):
    path = tmp_path / "picture.webm"
    with av.open(str(path), "w", format="webm") as file:
        stream = file.add_stream("libvpx", rate=10)
        stream.width = stream.height = 32
        stream.pix_fmt = "yuv420p"
        frame = av.VideoFrame.from_ndarray(np.zeros((32, 32, 3), np.uint8), format="rgb24")
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            file.mux(packet)
    with pytest.raises(BadSound, match=r"no sound in picture\.webm"):
        read_sound(path)
