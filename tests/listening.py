"""A program that sends a sound at its pace, and what is heard of it."""

import threading
import time

import numpy as np

from signals import RATE


class Sending:
    """Writes a sound into a feed, over and over, at its pace."""

    def __init__(self, feed, sound):
        self._stopped = threading.Event()
        self._worker = threading.Thread(target=self._send, args=(feed, sound), daemon=True)
        self._worker.start()

    def _send(self, feed, sound):
        at, due = 0, time.monotonic()
        while not self._stopped.wait(max(0.0, due - time.monotonic())):
            feed.write(np.take(sound, range(at, at + 480), axis=0, mode="wrap"))
            at, due = at + 480, due + 0.01

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self._stopped.set()
        self._worker.join()


def heard(microphone, seconds=0.5):
    """So much of it; a busy machine leaves gaps."""
    return np.concatenate([microphone.read(480) for _ in range(round(seconds * 100))])


def fitted(sound, hz):
    """Level of a tone in dBFS, and the level of all that is not it."""
    at = np.arange(len(sound)) / RATE
    base = np.stack([np.sin(2 * np.pi * hz * at), np.cos(2 * np.pi * hz * at)], axis=1)
    size, *_ = np.linalg.lstsq(base, sound, rcond=None)
    rest = sound - base @ size
    return 20 * np.log10(np.hypot(*size) + 1e-15), 10 * np.log10(2 * np.mean(rest**2) + 1e-30)


def tone(microphone, hz=1000.0):
    """:func:`fitted` of the cleanest 20 ms, once there are some that hold little else."""
    for _ in range(40):
        sound = heard(microphone)
        parts = (sound[first : first + 960] for first in range(0, len(sound) - 960, 240))
        level, rest = min((fitted(part, hz) for part in parts), key=lambda each: each[1] - each[0])
        if rest < level - 40.0:
            return level, rest
    raise AssertionError("the tone never came clean")


def level_of_tone(microphone, hz=1000.0):
    return tone(microphone, hz)[0]


def strongest_hz(sound):
    return np.fft.rfftfreq(len(sound), 1 / RATE)[np.abs(np.fft.rfft(sound)).argmax()]


def level_of(sound):
    """Level of ``(n,)`` samples, dBFS (AES17)."""
    return 10 * np.log10(2 * np.mean(sound**2) + 1e-30)
