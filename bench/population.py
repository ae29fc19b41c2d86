"""Tone on 24 talkers whose spectra differ as those of people do, each through rigs of 0, 3 and 6 dB
rms of colour, 25 and 45 dB over the room, from 20 s of talk, and every second one from 60; then
with the microphone's file, with a reference take, and with a phone beside it that is drawn from the
spread of phones. What is left of the colour after the correction, dB rms from 160 Hz to 7 kHz, mean
over the talkers; beside it the estimate alone and where the truth lies inside one standard
deviation. Where `flite` is installed, its voices, built
from recorded speech, are judged beside.
"""

from __future__ import annotations

import os
import pathlib
import shutil
import subprocess
import sys
import tempfile
from functools import lru_cache
from multiprocessing import Pool

# A process a core: more threads only wait for each other.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
import soundfile
import soxr

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import same_voice
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from population import (
    Judged,
    colour_db,
    filtered,
    humps,
    judge,
    quiet_under,
    rms_around_mean,
    room_noise,
    talker,
)
from signals import RATE

TALKERS = 24
TEXT = (
    "The ferry leaves the boathouse at first light, when mist still hangs over the reeds. I check"
    " the yellow rope, push off with both hands, and let the current choose a measured pace. Two"
    " swans argue by the weir; a vole slips beneath the old jetty, and nothing else moves. "
)


def recorded() -> dict[str, np.ndarray]:
    """Voices of a generator that was built from recorded speech, where it is installed."""
    if shutil.which("flite") is None:
        return {}
    found = {}
    with tempfile.TemporaryDirectory() as folder:
        for name in ("kal16", "awb", "rms", "slt"):
            out = f"{folder}/{name}.wav"
            subprocess.run(["flite", "-voice", name, "-t", TEXT * 6, "-o", out], check=True)
            sound, rate = soundfile.read(out)
            found[name] = soxr.resample(sound, rate, RATE)
            found[name] *= 0.05 / np.std(found[name])
    return found


def phone_db(number: int) -> np.ndarray:
    """What a phone adds: 1.5 dB where its microphone is good, more under 150 Hz and over 8 kHz."""
    rng = np.random.default_rng(7000 + number)
    curve = humps(rng, 9, (0.3, 0.7), 1.6)
    curve *= 1.5 / rms_around_mean(curve)
    curve += rng.normal(0.0, 4.0) * np.maximum(0.0, np.log2(150.0 / POINT_HZ))
    ends: np.ndarray = curve + rng.normal(0.0, 4.0) * np.maximum(0.0, np.log2(POINT_HZ / 8000.0))
    return ends


def one(sound: np.ndarray, number: int, rms: float, snr: float, given: str) -> Judged:
    """One talker through one rig."""
    colour = colour_db(number, rms)
    heard = filtered(sound, colour) if rms else sound
    heard = heard * (0.05 / np.std(heard))
    quiet = quiet_under(heard, snr, number)
    level = 20.0 * np.log10(np.std(heard)) - snr
    noisy = heard + room_noise(level, len(heard) / RATE, 500 + number)[: len(heard)]
    aims = ToneAims()
    if given == "file":
        # A file is itself measured to about a decibel.
        aims = ToneAims(mic_response_db=colour + colour_db(100 + number, 0.7))
    elif given == "reference":
        aims = ToneAims(same_voice(read_talk(sound, rate_hz=RATE).voice, corridor_db=0.3))
    elif given == "phone":
        aims = ToneAims(phone=read_talk(filtered(sound, phone_db(number)), rate_hz=RATE))
    return judge(read_talk(noisy, rate_hz=RATE, quiet=quiet), quiet, colour, aims)


@lru_cache(maxsize=TALKERS)
def person(number: int) -> np.ndarray:
    return talker(number, 60.0)


def judged(job: tuple[int, int, float, float, str]) -> Judged:
    """One talker by number, through so many seconds."""
    number, seconds, rms, snr, given = job
    return one(person(number)[: seconds * RATE], number, rms, snr, given)


def line(title: str, found: list[Judged], bar: str) -> None:
    left, off, inside, bands = np.mean(
        [[each.left_db, each.off_db, each.inside, len(each.tone.bands)] for each in found], axis=0
    )
    print(
        f"{title:36} left {left:4.2f} dB  (bar {bar})   estimate {off:4.2f} dB   inside one sd"
        f" {inside:3.0%}   {bands:.1f} bands"
    )


# The whole of a minute says little more of each talker, and takes three times as long.
EVERY = {20: 1, 60: 2}
BARS = {0: "2.0", 3: "2.5", 6: "3.4"}
GIVEN = {
    "file": dict.fromkeys(BARS, "1.2"),
    "reference": dict.fromkeys(BARS, "0.25"),
    "phone": {0: "1.3", 3: "1.4", 6: "1.7"},
}


def main() -> None:
    lines = [
        (f"{rms} dB of colour, {seconds} s, {snr} dB SNR", (seconds, rms, snr, ""), bar)
        for rms, bar in BARS.items()
        for seconds, snr in ((20, 25), (20, 45), (60, 45))
    ]
    lines += [
        (f"{rms} dB of colour, 20 s, {given}", (20, rms, 45, given), bars[rms])
        for given, bars in GIVEN.items()
        for rms in BARS
    ]
    with Pool() as pool:
        for title, how, bar in lines:
            jobs = [(number, *how) for number in range(0, TALKERS, EVERY[how[0]])]
            line(title, pool.map(judged, jobs, chunksize=1), bar)
        voices = recorded()
        for rms, bar in BARS.items():
            jobs = [
                (sound[: 40 * RATE], number, rms, 45, "")
                for number, sound in enumerate(voices.values())
            ]
            if jobs:
                found = pool.starmap(one, jobs, chunksize=1)
                line(f"{rms} dB of colour, recorded voices, 40 s", found, bar)


if __name__ == "__main__":
    main()
