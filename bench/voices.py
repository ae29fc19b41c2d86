"""Speech that no rule was tuned on, from the speech generators of the system: nothing of it is
shipped.

Debian's ``flite`` and ``espeak-ng``; the benches say so where they are missing.
"""

from __future__ import annotations

import pathlib
import shutil
import subprocess
import tempfile

import numpy as np
import soundfile
import soxr

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.speech import active_level

RATE = 48_000
ACTIVE_DBFS = -26.0
TEXT = (
    "The ferry leaves at seven, before the mist has lifted from the water. She keeps six thin"
    " chisels in a box by the stove, and sharpens each of them twice a week. Push the boat out"
    " carefully, past the posts, and let the tide take it. Why would anybody row against it?"
    " Fresh bread, butter, and a pot of strong tea stood ready on the bench when we came back."
)
GENERATORS = {
    "flite awb": ("flite", "-voice", "awb", "-t", TEXT, "-o"),
    "flite kal16": ("flite", "-voice", "kal16", "-t", TEXT, "-o"),
    "flite rms": ("flite", "-voice", "rms", "-t", TEXT, "-o"),
    "flite slt": ("flite", "-voice", "slt", "-t", TEXT, "-o"),
    "espeak f3": ("espeak-ng", "-v", "gmw/en+f3", "-s", "150", TEXT, "-w"),
    "espeak m3": ("espeak-ng", "-v", "gmw/en+m3", "-s", "150", TEXT, "-w"),
}


def missing_generators() -> str:
    """What to install first; empty where nothing is missing."""
    found = {command[0] for command in GENERATORS.values() if shutil.which(command[0]) is None}
    return f"install Debian's {' and '.join(sorted(found))} first." if found else ""


def speak(name: str, seconds: float) -> Samples:
    """A voice at 48 kHz and an active level of −26 dBFS, ``(n,)``."""
    command = GENERATORS[name]
    with tempfile.TemporaryDirectory() as folder:
        path = pathlib.Path(folder) / "said.wav"
        subprocess.run([*command, str(path)], check=True, capture_output=True)
        said, rate = soundfile.read(path)
    whole = np.asarray(soxr.resample(said, rate, RATE), dtype=np.float64)
    voice = np.tile(whole, int(np.ceil(seconds * RATE / len(whole))))[: round(seconds * RATE)]
    level = active_level(voice, rate_hz=RATE).level_dbfs
    scaled: Samples = voice * 10.0 ** ((ACTIVE_DBFS - level) / 20.0)
    return scaled
