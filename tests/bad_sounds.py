"""Every kind of bad sound file, made on demand, with a word that its sentence must hold."""

from __future__ import annotations

import pathlib
import struct

import numpy as np
import soundfile

from signals import RATE, noise, voice


def _write(path: pathlib.Path, samples, rate=RATE, subtype="PCM_24"):
    soundfile.write(path, samples, rate, subtype=subtype)
    return path


def make(kind: str, folder: pathlib.Path) -> pathlib.Path:
    path = folder / f"{kind}.wav"
    match kind:
        case "not-sound":
            path.write_bytes(b"<html>this is no sound</html>" * 50)
        case "empty-file":
            path.write_bytes(b"")
        case "no-samples":
            _write(path, np.zeros(0))
        case "broken":
            whole = _write(folder / "whole.flac", voice()[: 5 * RATE])
            path = folder / "broken.flac"
            path.write_bytes(whole.read_bytes()[:60] + b"\x00" * 4000)
        case "short":
            _write(path, noise(0.01, 2.0))
        case "zeros":
            _write(path, np.zeros(6 * RATE))
        case "dead-channel":
            _write(path, np.stack([np.zeros(6 * RATE), noise(0.001, 6.0)], axis=1))
        case "constant":
            _write(path, np.full(6 * RATE, 0.25))
        case "clipped":
            _write(path, np.clip(voice()[: 20 * RATE] * 300, -1, 1))
        case "not-finite":
            sound = noise(0.01, 6.0)
            sound[1000] = np.nan
            _write(path, sound, subtype="FLOAT")
        case "cut-off":
            whole = _write(folder / "whole.wav", noise(0.01, 8.0)).read_bytes()
            path.write_bytes(whole[: len(whole) // 2])
        case "too-large":
            with path.open("wb") as file:
                file.write(_write(folder / "head.wav", noise(0.01, 3.0)).read_bytes())
                file.truncate(2 * 1024**3 + 10)
        case "too-long":
            path = folder / "long.flac"
            with soundfile.SoundFile(
                path, "w", samplerate=8000, channels=1, format="FLAC", subtype="PCM_16"
            ) as file:
                for _ in range(73):
                    file.write(np.zeros(8000 * 100))
        case "no-voice":
            _write(path, noise(0.01, 8.0))
        case "voice":
            _write(path, voice()[: 12 * RATE])
        case "telephone":
            _write(path, voice(rate_hz=8_000), rate=8_000)
        case "odd-rate":
            whole = _write(folder / "head.wav", noise(0.01, 3.0)).read_bytes()
            path.write_bytes(whole[:24] + struct.pack("<I", 4_000) + whole[28:])
    return path


# kind, purpose in the page, command, a piece of the sentence
BAD_FILES = [
    ("not-sound", "rest", ("read", "level"), "not a readable sound file"),
    ("empty-file", "rest", ("read", "level"), "empty (0 bytes)"),
    ("no-samples", "rest", ("read", "level"), "it has no samples"),
    ("broken", "rest", ("read", "level"), "broken inside"),
    ("short", "rest", ("read", "quiet"), "at least 3 s"),
    ("zeros", "rest", ("read", "quiet"), "digital silence"),
    ("constant", "rest", ("read", "quiet"), "DC only"),
    ("clipped", "talk", ("read", "talk"), "Clipped throughout"),
    ("not-finite", "rest", ("read", "level"), "infinite or not a number"),
    ("cut-off", "rest", ("read", "level"), "cut off"),
    ("too-large", "rest", ("read", "level"), "the most is 2 GB"),
    ("too-long", "rest", ("read", "level"), "the most is 2 h"),
    ("no-voice", "talk", ("read", "talk"), "No voice was found"),
    ("voice", "rest", ("read", "quiet"), "Someone talks"),
    ("odd-rate", "rest", ("read", "level"), "8 to 192 kHz"),
]
