"""From 15 s of quiet and 45 s of talk to a full set of settings, in process, beside a native C++
effects library that renders the same talk once, turn by turn; and the equalizer fit alone."""

from __future__ import annotations

import os
import time

# As the program itself has it: the matrices are small, and more threads only spin.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from native import native
from obsidian_wren.core.derive.highpass import derive_highpass
from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.derive.tone import derive_tone
from obsidian_wren.core.derive.trust import trust_from_snr, without_noise
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.simulation.spec import BOATHOUSE, read_spec
from obsidian_wren.simulation.world import SimulatedRig


def main() -> None:
    rig = SimulatedRig(read_spec(BOATHOUSE))
    rig.turn(32)
    rate = rig.rate_hz
    quiet_take, talk_take = rig.take("rest", seconds=15), rig.take("passage", seconds=45)
    whole, fits, theirs = [], [], []
    board, single = native(), talk_take.astype(np.float32)
    for _ in range(7):
        start = time.perf_counter()
        board.process(single, rate, buffer_size=480)
        theirs.append(time.perf_counter() - start)
        start = time.perf_counter()
        quiet = read_quiet(quiet_take, rate_hz=rate)
        talk = read_talk(talk_take, rate_hz=rate, quiet=quiet)
        found = plan(quiet, talk, quiet_take, talk_take).chain
        whole.append(time.perf_counter() - start)
        sections = derive_highpass(talk, quiet).sections(rate_hz=rate)
        start = time.perf_counter()
        derive_tone(talk, quiet, sections)
        fits.append(time.perf_counter() - start)
    # The first round also loads the kernels from their cache.
    print(
        f"quiet and talk to all settings   first {whole[0]:.2f} s, then median"
        f" {np.median(whole[1:]):.2f} s  (bar 0.8 s)"
    )
    ratios = np.array(whole[1:]) / np.array(theirs[1:])
    print(
        f"the library renders the talk     median {np.median(theirs[1:]):.2f} s; all settings take"
        f" {np.median(ratios):.1f} of it  (bar 3)"
    )
    tone = found.stage("equalizer").evidence
    print(
        f"the equalizer fit                median {np.median(fits[1:]):.3f} s  (bar 0.25 s),"
        f" {len(tone.bands)} bands"
    )
    trusted = trust_from_snr(without_noise(talk.voice, quiet.noise), quiet.noise)
    print(
        f"remaining error                  {tone.fit.residual_rms_db:.2f} dB rms over"
        f" {np.count_nonzero(trusted)} points"
    )


if __name__ == "__main__":
    main()
