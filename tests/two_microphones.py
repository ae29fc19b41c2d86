"""Two simulated microphones of known response before one voice."""

import copy

import numpy as np

import drift_worlds
from obsidian_wren.simulation import acoustics
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.world import SimulatedRig

RATE = 48_000
_POINTS_HZ = (20, 60, 150, 400, 1000, 2500, 6000, 10000, 16000, 20000)


def microphone(rng):
    """A microphone of some response, sensitivity, pattern and self-noise, as JSON values."""
    response = np.cumsum(rng.normal(0.0, 1.2, len(_POINTS_HZ)))
    response -= response[4]
    bells = [
        {
            "frequency_hz": float(np.exp(rng.uniform(np.log(150.0), np.log(9000.0)))),
            "gain_db": float(rng.uniform(-5.0, 5.0)),
            "q": float(rng.uniform(0.7, 2.5)),
        }
        for _ in range(2)
    ]
    return {
        "sensitivity_mv_pa": float(rng.uniform(2.0, 25.0)),
        "self_noise_dba": float(rng.uniform(6.0, 22.0)),
        "pattern": str(rng.choice(["cardioid", "cardioid", "omni"])),
        "response_db": [[hz, float(db)] for hz, db in zip(_POINTS_HZ, response, strict=True)],
        "bells": bells,
    }


def two_worlds(seed):
    """One voice in one room before two microphones on one desk: the worlds of both."""
    rng = np.random.default_rng(seed)
    first = drift_worlds.world(rng)
    first["microphone"] = microphone(rng)
    second = copy.deepcopy(first)
    second["microphone"] = microphone(rng)
    distance = first["placement"]["distance_m"] * np.exp(rng.uniform(-0.35, 0.35))
    second["placement"]["distance_m"] = float(np.clip(distance, 0.08, 0.6))
    second["placement"]["angle_deg"] = float(rng.choice([0, 10, 25]))
    for world in (first, second):
        level = 28.0 - 20.0 * np.log10(world["microphone"]["sensitivity_mv_pa"] / 20.0)
        level += 20.0 * np.log10(world["placement"]["distance_m"] / 0.2)
        world["interface"]["gain_db"] = float(np.clip(round(level), 0, 60))
    return first, second


def heard(world, *, seconds=14.0, seed=None, reading=None):
    """What a microphone hears: the room, then the sentence."""
    world = copy.deepcopy(world)
    if seed is not None:
        world["seed"] = seed
    if reading is not None:
        world["talker"]["reading"] = reading
    rig = SimulatedRig(WorldSpec.model_validate(world))
    return rig.take("rest", seconds=8.0), rig.take("passage", seconds=seconds)


def truth_db(first, second, hz):
    """How the second's response differs at frequencies, its place before the mouth included."""
    found = []
    for world in (first, second):
        spec = WorldSpec.model_validate(world)
        bins = RATE // 2 + 1
        response = acoustics.microphone_magnitude(
            spec.microphone, spec.placement, bins, rate_hz=RATE, near=True
        )
        found.append(20.0 * np.log10(np.interp(hz, np.linspace(0.0, RATE / 2.0, bins), response)))
    return found[1] - found[0]


def begins_late(world):
    """By how many samples the voice begins late in a take: it is cut at the whole sample next to
    its arrival."""
    way = world["placement"]["distance_m"] / 343.0 * RATE
    return way - round(way)


def error_db(relative, truth, *, to_hz=12_100.0):
    """RMS error of a relative response up to a frequency, the level taken off, dB."""
    inside = relative.hz < to_hz
    return float(np.std((relative.db - truth)[inside]))
