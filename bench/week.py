"""A working week of a simulated rig, watched while it is live: every day something else happens to
it in the middle of a call, in a secret order, and is put back in the evening. What was ordinary
each day is usual the next. Bar: every change is found, and named, within a minute of talk, and
nothing else is said.

A distance that changes is one that is heard: by a third and more (2.5 dB); smaller ones are what
``bench/noticing.py`` counts.
"""

from __future__ import annotations

import pathlib
import sys

import numpy as np

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

from drift_worlds import CODES, change, world
from live_days import calibrated, pieces, read_anew
from obsidian_wren.core.noticing.causes import live_causes
from obsidian_wren.core.noticing.looking import Looking
from obsidian_wren.core.noticing.usual import usual_from

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday")
HAPPENS = ("fan", "distance", "gain", "hum", "slider")
SEEDS = (21, 22)
DAY_DB = 1.0
LEAST_RATIO, WITHIN_S = 1.33, 60.0


def changed(spec, kind, rng):  # type: ignore[no-untyped-def]
    """The world with one thing changed so far that it is heard."""
    while True:
        after, controls, number = change(spec, kind, rng)
        was, is_ = spec["placement"]["distance_m"], after["placement"]["distance_m"]
        if kind != "distance" or max(was / is_, is_ / was) >= LEAST_RATIO:
            return after, controls, number


def week(seed: int) -> int:
    """How many days of a week were told right."""
    rng = np.random.default_rng(seed)
    spec = world(rng)
    then, distance_m = calibrated(spec), spec["placement"]["distance_m"]
    assert then is not None
    ordinary: list[np.ndarray] = []
    right = 0
    for day, kind in zip(DAYS, rng.permutation(HAPPENS), strict=True):
        today_db = DAY_DB * rng.standard_normal()
        after, controls, _ = changed(spec, kind, rng)
        live = []
        for one, set_now, times in ((spec, {}, 4), (after, controls, 1)):
            anew = read_anew(one, rng)
            anew["talker"]["normal_db_spl"] += today_db
            live.append(pieces(anew, set_now, 72.0) * times)
        looking = Looking(then, usual_from(ordinary))
        told = []
        began_s = 0.0
        for part in live:
            began_s = looking.talk_s
            for piece in part:
                look = looking.add(piece)
                if look is not None and look.worth_asking:
                    code = looking.judge(look, live_causes(look.change, distance_m=distance_m))
                    if code is not None:
                        told.append((code, looking.talk_s - began_s, part is live[1]))
        good = [code for code, _, after_it in told if after_it] == [CODES[kind]]
        good = good and len(told) == 1 and told[0][1] <= WITHIN_S
        right += good
        said = ", ".join(f"{code} after {s:.0f} s of talk" for code, s, _ in told) or "nothing"
        print(f"  {day:10} {kind:9} said: {said}")
        if looking.ordinary:
            ordinary.append(np.median(looking.ordinary, axis=0))
    return right


def main() -> None:
    for seed in SEEDS:
        right = week(seed)
        print(f"week {seed}: {right} of {len(DAYS)} found and named, and nothing else (bar 5)")


if __name__ == "__main__":
    main()
