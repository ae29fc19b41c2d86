"""A check on simulated rigs that something secret happened to: some with one change, some with two,
some with none and another reading of the sentence. How often the strongest cause is a true one, and
how far distance and gain are off; the same with another reading of the sentence in all of them.

The bars are for 200 of each (``python bench/drift.py 200``, half an hour). With the same sound
again that gave 196 of 200 single changes (95 in 100), 197 of 200 double ones (85 in 100), distance
within 14 % in 95 of 100 (15 %), gain within 0.17 dB (0.3); with another reading 162 and 182 of 200,
within 21 % and 0.70 dB; of 200 unchanged repeats with another reading none was called changed
(none).
"""

from __future__ import annotations

import pathlib
import sys
import time
from collections import Counter
from multiprocessing import Pool

import numpy as np

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

from drift_worlds import CODES, retold
from obsidian_wren.core.prove.drift import find_drift

COUNT = 16
KINDS = list(CODES)
# Nobody could part these.
ONE_CODE = ({"fan", "window"}, {"gain", "slider"})


def pairs(count: int) -> list[tuple[str, ...]]:
    rng = np.random.default_rng(5)
    found: list[tuple[str, ...]] = []
    while len(found) < count:
        one, other = (KINDS[k] for k in rng.choice(len(KINDS), 2, replace=False))
        # What cuts the noise away leaves nothing else to see.
        if {one, other} not in ONE_CODE and "processing" not in (one, other):
            found.append((one, other))
    return found


Judged = dict[str, object]


def judged(job: tuple[int, tuple[str, ...]]) -> list[Judged]:
    """One rig with the same sound again, and with another reading."""
    seed, kinds = job
    readings = (False, True) if kinds else (True,)
    told = retold(seed, kinds, readings=readings)
    return [
        {"another": another, "kinds": kinds, **_judged(kinds, *heard)}
        for another, heard in zip(readings, told, strict=True)
    ]


def _judged(kinds: tuple[str, ...], then, now, numbers, distance_m: float) -> Judged:  # type: ignore[no-untyped-def]
    began = time.perf_counter()
    found = find_drift(then, now, distance_m=distance_m)
    took_s = time.perf_counter() - began
    first = found.causes[0] if found.causes else None
    true = [CODES[kind] for kind in kinds]
    right = first is None if not kinds else first is not None and first.code in true
    off = {
        cause.code: (cause.estimate or 0.0) - number
        if cause.code == "gain"
        else (cause.estimate or 0.0) / number - 1.0
        for kind, number in zip(kinds, numbers, strict=True)
        for cause in found.causes
        if number is not None and cause.code == kind
    }
    return {"right": right, "off": off, "took_s": took_s}


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else COUNT
    jobs: list[tuple[int, tuple[str, ...]]] = [
        (1000 + k, (KINDS[k % len(KINDS)],)) for k in range(count)
    ]
    jobs += [(2000 + k, pair) for k, pair in enumerate(pairs(count))]
    jobs += [(3000 + k, ()) for k in range(count)]
    with Pool() as pool:
        told = [one for rig in pool.map(judged, jobs, chunksize=4) for one in rig]
    for another in (False, True):
        found = [one for one in told if one["another"] == another]
        print("with another reading of the sentence" if another else "with the same sound again")
        for changes, name in ((1, "one change"), (2, "two changes"), (0, "none")):
            these = [one for one in found if len(one["kinds"]) == changes]
            if these:
                right = sum(bool(one["right"]) for one in these)
                print(f"  {name:12} {right} of {len(these)} right")
        single = Counter(), Counter()
        for one in found:
            if len(one["kinds"]) == 1:
                single[0][one["kinds"][0]] += 1
                single[1][one["kinds"][0]] += bool(one["right"])
        print("  " + ", ".join(f"{kind} {single[1][kind]}/{single[0][kind]}" for kind in KINDS))
        for code, unit in (("distance", ""), ("gain", " dB")):
            off = [abs(one["off"][code]) for one in found if code in one["off"]]
            if off:
                worst, most = max(off), float(np.percentile(off, 95.0))
                print(f"  {code}: 95 of 100 within {most:.3f}{unit}, worst {worst:.3f}{unit}")
    took = float(np.median([one["took_s"] for one in told]))
    print(f"  causes of one change: median {1000.0 * took:.0f} ms")


if __name__ == "__main__":
    main()
