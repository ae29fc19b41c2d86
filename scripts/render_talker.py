"""Render the talker's recordings once from texts.json.

Needs Debian's espeak-ng; the results are committed.
"""

from __future__ import annotations

import json
import pathlib
import re
import subprocess
import tempfile

import numpy as np
import scipy.signal
import soundfile

from obsidian_wren.core.derive.tone_target import average_speech
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ

FOLDER = pathlib.Path(__file__).resolve().parents[1] / "src/obsidian_wren/simulation/talker"
RATE_HZ = 22_050
# Words per minute, base pitch (0..99), pitch range by effort.
EFFORT = {"normal": (158, 50), "loud": (165, 66), "soft": (140, 42)}
_SILENT = 1e-4


def speak(text: str, words_per_minute: int, pitch: int) -> np.ndarray:
    with tempfile.TemporaryDirectory() as folder:
        out = pathlib.Path(folder) / "s.wav"
        command = [
            "espeak-ng",
            "-v",
            "en-gb",
            "-s",
            str(words_per_minute),
            "-p",
            str(pitch),
            "-a",
            "100",
            "-w",
            str(out),
        ]
        subprocess.run([*command, text], check=True)
        sound, rate = soundfile.read(out)
        assert rate == RATE_HZ
        return sound


def like_a_person(sound: np.ndarray) -> np.ndarray:
    """Take two marks of the machine off: a spectrum far from any person's, and pulses far too
    peaky.

    Most of the deviation from the average speech spectrum is filtered out (a person keeps some of
    it), and a chain of all-passes spreads each pulse as a throat does.
    """
    voice = read_talk(sound, rate_hz=RATE_HZ).voice.points_db()
    target = average_speech().levels_db
    inside = (POINT_HZ > 110) & (POINT_HZ < 9_500)
    deviation = voice - target
    deviation -= np.mean(deviation[inside])
    smooth = np.convolve(np.pad(deviation, 3, mode="edge"), np.ones(7) / 7, mode="valid")
    correction_db = np.clip(-0.75 * np.where(inside, smooth, 0.0), -12, 12)
    grid_hz = np.linspace(0, RATE_HZ / 2, 1025)
    wanted = 10 ** (np.interp(grid_hz, POINT_HZ, correction_db) / 20)
    filtered = scipy.signal.fftconvolve(
        sound, scipy.signal.firwin2(2047, grid_hz, wanted, fs=RATE_HZ), mode="same"
    )
    for corner_hz in np.geomspace(150, 6_000, 28):
        k = (np.tan(np.pi * corner_hz / RATE_HZ) - 1) / (np.tan(np.pi * corner_hz / RATE_HZ) + 1)
        filtered = scipy.signal.lfilter([k, 1.0], [1.0, k], filtered)
    return filtered


def main() -> None:
    parts = json.loads((FOLDER / "texts.json").read_text())["parts"]
    for name, part in parts.items():
        words_per_minute, pitch = EFFORT[part["effort"]]
        pieces = [np.zeros(int(0.35 * RATE_HZ))]
        for number, sentence in enumerate(re.split(r"(?<=[.?!;:])\s+", part["text"])):
            sound = speak(sentence, words_per_minute, pitch + (-8, 5, 0, 9, -4)[number % 5])
            loud_enough = np.flatnonzero(np.abs(sound) > _SILENT)
            pieces += [
                sound[: loud_enough[-1] + 1],
                np.zeros(int((0.45, 0.3, 0.6)[number % 3] * RATE_HZ)),
            ]
        sound = like_a_person(np.concatenate(pieces))
        sound *= 0.5 / np.max(np.abs(sound))
        soundfile.write(FOLDER / f"{name}.flac", sound, RATE_HZ, subtype="PCM_16")
        print(name, round(len(sound) / RATE_HZ, 1), "s")


if __name__ == "__main__":
    main()
