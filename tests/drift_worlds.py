"""Rigs that something happens to: random worlds, what changes in them, what a check hears."""

import copy
from dataclasses import replace

import numpy as np

from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove.sounding import heard_for_checks
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.world import SimulatedRig

# What is changed, and the code of its cause.
CODES = {
    "distance": "distance",
    "angle": "angle",
    "gain": "gain",
    "slider": "slider",
    "hum": "hum",
    "fan": "noise",
    "window": "noise",
    "processing": "processing",
}
QUIET_S, TALK_S = 8.0, 14.0


def world(rng):
    """A room, a voice, a microphone and its noises, as JSON values."""
    noises = [{"kind": "heater", "level_db_spl": float(rng.uniform(28, 40))}]
    if rng.random() < 0.6:
        noises.append(
            {"kind": "hum", "level_db_spl": float(rng.uniform(24, 34)), "mains_hz": 50.02}
        )
    if rng.random() < 0.5:
        noises.append({"kind": "rain", "level_db_spl": float(rng.uniform(14, 26))})
    return {
        "seed": int(rng.integers(1, 1_000_000)),
        "talker": {"normal_db_spl": float(rng.uniform(58, 66))},
        "room": {
            "decay_s": float(rng.uniform(0.22, 0.6)),
            "size_m": [float(rng.uniform(3.2, 6)), float(rng.uniform(2.8, 4.5)), 2.4],
        },
        "placement": {
            "distance_m": float(rng.uniform(0.12, 0.40)),
            "angle_deg": float(rng.choice([0, 10, 20])),
        },
        "noises": noises,
        "microphone": {"self_noise_dba": float(rng.uniform(8, 20))},
        "interface": {"gain_db": int(rng.integers(20, 33))},
    }


def change(spec, kind, rng):
    """The world with one thing changed, what is set at the computer, and the number of it."""
    spec, controls, number = copy.deepcopy(spec), {}, None
    placement, interface = spec["placement"], spec["interface"]
    if kind == "distance":
        moved = 0.0
        while moved < 0.06:
            moved = placement["distance_m"] + rng.choice([-1, 1]) * rng.uniform(0.02, 0.15)
        placement["distance_m"] = float(moved)
        number = 100.0 * float(moved)
    elif kind == "angle":
        # Less than that lowers the direct sound by less than half a decibel.
        placement["angle_deg"] = float(rng.uniform(max(30, placement["angle_deg"] + 15), 60))
    elif kind == "gain":
        number = int(rng.choice([-1, 1]) * rng.integers(1, 13))
        interface["gain_db"] += number
    elif kind == "slider":
        controls["slider_percent"] = float(rng.integers(20, 95))
    elif kind == "processing":
        controls["enhancements"] = True
    else:
        source, low, high = {
            "hum": ("hum", 38, 50),
            "fan": ("heater", 41, 50),
            "window": ("white", 30, 42),
        }[kind]
        added = {"kind": source, "level_db_spl": float(rng.uniform(low, high))}
        if kind == "hum":
            added["mains_hz"] = 50.02
        spec["noises"].append(added)
    return spec, controls, number


def heard(spec, controls=None):
    """What a check hears of a world."""
    rig = SimulatedRig(WorldSpec.model_validate(spec))
    rig.controls = replace(rig.controls, **(controls or {}))
    quiet = rig.take("rest", seconds=QUIET_S)
    talk = rig.take("passage", seconds=TALK_S)
    return heard_for_checks(quiet, talk, read_talk(talk, rate_hz=rig.rate_hz))


def happened(seed, kinds, *, another_reading):
    """A world before and after: soundings, the numbers of the changes, and the distance then in
    metres."""
    return next(retold(seed, kinds, readings=(another_reading,)))


def retold(seed, kinds, *, readings):
    """The same, once for each of ``readings``: whether the sentence is read anew."""
    rng = np.random.default_rng(seed)
    spec = world(rng)
    then, after, controls, numbers = heard(spec), copy.deepcopy(spec), {}, []
    for kind in kinds:
        after, set_now, number = change(after, kind, rng)
        controls |= set_now
        numbers.append(number)
    after["seed"] = int(rng.integers(1, 1_000_000))
    distance_m = spec["placement"]["distance_m"]
    another = int(rng.integers(1, 1_000_000))
    for anew in readings:
        now = copy.deepcopy(after)
        if anew:
            now["talker"]["reading"] = another
        yield then, heard(now, controls), numbers, distance_m
