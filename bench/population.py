"""Tone on 24 talkers whose spectra differ as those of people do, each through rigs of 0, 3 and 6 dB
rms of colour, 20 and 60 s of talk, 25 and 45 dB over the room; then with the microphone's file, and
with a reference take. What is left of the colour after the correction, dB rms from 160 Hz to 7 kHz,
mean over the talkers; beside it the estimate alone and where the truth lies inside one standard
deviation. Where `flite` is installed, its voices, built from recorded speech, are judged beside.
"""

from __future__ import annotations

import pathlib
import shutil
import subprocess
import sys
import tempfile

import numpy as np
import soundfile
import soxr

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import same_voice
from obsidian_wren.core.measure.readings import read_talk
from population import Judged, colour_db, filtered, judge, quiet_under, room_noise, talker
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
    return judge(read_talk(noisy, rate_hz=RATE, quiet=quiet), quiet, colour, aims)


def line(title: str, found: list[Judged], bar: str) -> None:
    left, off, inside, bands = np.mean(
        [[each.left_db, each.off_db, each.inside, len(each.tone.bands)] for each in found], axis=0
    )
    print(
        f"{title:36} left {left:4.2f} dB  (bar {bar})   estimate {off:4.2f} dB   inside one sd"
        f" {inside:3.0%}   {bands:.1f} bands"
    )


def main() -> None:
    people = {number: talker(number, 60.0) for number in range(TALKERS)}
    bars = {0: "2.0", 3: "2.5", 6: "3.4"}
    for rms in (0, 3, 6):
        for seconds in (20, 60):
            for snr in (25, 45):
                found = [
                    one(sound[: seconds * RATE], number, rms, snr, "")
                    for number, sound in people.items()
                ]
                line(f"{rms} dB of colour, {seconds} s, {snr} dB SNR", found, bars[rms])
    for given, bar in (("file", "1.2"), ("reference", "0.25")):
        for rms in (0, 3, 6):
            found = [
                one(sound[: 20 * RATE], number, rms, 45, given) for number, sound in people.items()
            ]
            line(f"{rms} dB of colour, 20 s, {given}", found, bar)
    for rms in (0, 3, 6):
        found = [
            one(sound[: 40 * RATE], number, rms, 45, "")
            for number, sound in enumerate(recorded().values())
        ]
        if found:
            line(f"{rms} dB of colour, recorded voices, 40 s", found, bars[rms])


if __name__ == "__main__":
    main()
