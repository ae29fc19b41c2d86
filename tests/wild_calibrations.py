"""Calibrations that somebody spoiled, by a seed: one value of a whole one in the place of another,
of every kind that JSON can hold, at any depth."""

import copy
import json
import random

HUGE = 10**400
# What may stand where something else is meant.
VALUES = (
    None,
    True,
    False,
    0,
    -1,
    3.5,
    1e17,
    -1e300,
    5e-324,
    2**63,
    HUGE,
    -HUGE,
    "",
    "x",
    "3.5",
    "NaN",
    "\ud800",
    "\x00",
    "٣",
    "{path.__class__}",
    "A" * 100_000,
    [],
    [[]],
    [[], []],
    [1.0, 2.0],
    [[1.0, 2.0]] * 3,
    [[1.0, 2.0]] * 5000,
    [None] * 4000,
    {},
    {"value": 1},
    {"name": {"name": {}}},
    [{"shape": "peak", "frequency_hz": 10, "gain_db": 40, "q": 50}] * 3,
    [{"shape": "high_shelf", "frequency_hz": 96_000, "gain_db": -40, "q": 0.05}],
)
KEYS = ("equalizer-2", "gate-gentle", "gate-٣", "highpass-2", "limiter-99", "hum", "x-2", "-", "")


def places(value, where=()):
    """Every place of a calibration: the keys and numbers that lead there."""
    inner = value.items() if isinstance(value, dict) else enumerate(value)
    for key, held in inner:
        yield (*where, key)
        if isinstance(held, (dict, list)):
            yield from places(held, (*where, key))


def wild(whole, seed):
    """A calibration with one to three things wrong, as bytes of JSON; the same for a seed."""
    rng = random.Random(seed)
    spoiled = copy.deepcopy(whole)
    for _ in range(rng.choice((1, 1, 1, 2, 3))):
        # A place near the root as often as a number deep inside.
        by_depth = {}
        for place in places(spoiled):
            by_depth.setdefault(len(place), []).append(place)
        *way, last = rng.choice(by_depth[rng.choice(list(by_depth))])
        at = spoiled
        for key in way:
            at = at[key]
        _spoil(at, last, rng)
    return json.dumps(spoiled).encode()


def _spoil(at, key, rng):
    match rng.randrange(8):
        case 0 if isinstance(at, dict):
            at[rng.choice(("x", "because", "\ud800", "A" * 1000))] = at.pop(key)
        case 1:
            del at[key]
        case 2 if isinstance(at, list) and at:
            at *= rng.choice((2, 100, 3000))
        case 3 if isinstance(at, dict) and "key" in at:
            at["key"] = rng.choice(KEYS)
        case 4 if isinstance(at[key], (int, float)) and not isinstance(at[key], bool):
            at[key] = rng.choice((-1, 1e3, 1e6, 1e-9, 0)) * (at[key] or 1)
        case _:
            at[key] = rng.choice(VALUES)
