"""The takes of a first calibration in a running program beside one busy process: from the last
byte of each to its reading and all that follows from it. Three generated voices at −26 dBFS over a
hiss and a hum at −62 dBFS. As companion, the busy process tells how much it got done meanwhile.

Before no stage was asked to take what the stages behind it take, a passage took 4.6 to 12.6 s here.
Then, in turns with the code before, with six seconds between takes: where what the tone does to the
room is reckoned with from the first round on, 4.3 to 2.8 s and 3.9 to 3.4 (flite awb), 4.1 to 2.8
and 5.5 to 3.6 (flite slt), but 4.0 to 4.7 and 4.4 to 5.6 (espeak, whose buzz is gone through
twice). What was tried and gains nothing that could be measured: to begin from what the talk came to
(it costs the talk a second), a guess of what the expander leaves in pauses (other stages then do
more), no niceness for what computes.
"""

from __future__ import annotations

import io
import json
import multiprocessing
import re
import subprocess
import sys
import tempfile
import time
import urllib.request
import uuid
from typing import Any

import numpy as np
import scipy.signal
import soundfile

from obsidian_wren.core.decibels import Samples
from voices import RATE, missing_generators, speak

_COMMAND = [sys.executable, "-P", "-m", "obsidian_wren.cli", "serve", "--no-token", "--simulated"]
_BAR_S = 5.0
_REST_S, _TALK_S = 20.0, 26.0


def busy(count: Any) -> None:
    """Keep one core busy, and count."""
    while True:
        sum(range(10_000))
        count.value += 1


def noise(seconds: float, seed: int) -> Samples:
    """A hiss that falls with frequency, with mains hum, ``(n,)``."""
    rng, count = np.random.default_rng(seed), round(seconds * RATE)
    hiss = scipy.signal.lfilter([1.0], [1.0, -0.9], rng.normal(size=count))
    hum = np.sin(2 * np.pi * 50.0 * np.arange(count) / RATE)
    both = hiss / np.std(hiss) + 0.5 * hum
    return np.asarray(10 ** (-62 / 20) * both / np.std(both))


def send(url: str, purpose: str, samples: Samples) -> float:
    """Send a take as a file; seconds until it is read and all that follows is there."""
    file, edge = io.BytesIO(), uuid.uuid4().hex
    soundfile.write(file, samples, RATE, "PCM_24", format="WAV")
    head = (
        f"--{edge}\r\nContent-Disposition: form-data; name=purpose\r\n\r\n{purpose}\r\n--{edge}\r\n"
        f'Content-Disposition: form-data; name=file; filename="take.wav"\r\n\r\n'
    )
    request = urllib.request.Request(
        f"{url}api/takes/file",
        head.encode() + file.getvalue() + f"\r\n--{edge}--\r\n".encode(),
        {"Content-Type": f"multipart/form-data; boundary={edge}"},
    )
    start = time.perf_counter()
    json.load(urllib.request.urlopen(request))
    return time.perf_counter() - start


def calibrate(name: str, count: Any) -> None:
    """One voice through a program over an empty folder."""
    talk = speak(name, _TALK_S)
    takes = {
        "rest": noise(_REST_S, 1),
        "loud": 3.0 * talk,
        "talk": talk,
        # The same words, at another place in the noise.
        "passage": talk,
    }
    with tempfile.TemporaryDirectory() as folder:
        command = [*_COMMAND, "--port", "0", "--data", f"{folder}/data"]
        program = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            url = None
            while url is None:
                url = re.search(r"http://[\d.:]+/", program.stdout.readline())
            # A person reads what is to be done.
            time.sleep(10.0)
            took, before = {}, (count.value, time.perf_counter())
            for number, (purpose, sound) in enumerate(takes.items()):
                heard = sound + (0.0 if purpose == "rest" else noise(len(sound) / RATE, number))
                took[purpose] = send(url.group(), purpose, heard)
            rate = (count.value - before[0]) / (time.perf_counter() - before[1])
        finally:
            program.terminate()
            program.wait()
    told = "  ".join(f"{purpose} {seconds:4.1f} s" for purpose, seconds in took.items())
    print(
        f"{name:12} {told}  (bar {_BAR_S:.0f} s)   the busy process got {rate:.0f} rounds a second"
    )


def main() -> None:
    if missing := missing_generators():
        raise SystemExit(missing)
    count = multiprocessing.Value("q", 0, lock=False)
    beside = multiprocessing.Process(target=busy, args=(count,), daemon=True)
    beside.start()
    time.sleep(3.0)
    print(f"alone      {count.value / 3.0:.0f} rounds a second")
    for _ in range(2):
        for name in ("flite awb", "flite slt", "espeak m3"):
            calibrate(name, count)
    beside.terminate()


if __name__ == "__main__":
    main()
