"""Rigs that each ask something else of the voice chain, and what is read and derived from their
takes."""

from functools import lru_cache

from obsidian_wren.core.derive.chain_plan import derive_chain
from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.derive.gain_plan import plan_gain
from obsidian_wren.core.derive.take_set import ToneTakes, prepare
from obsidian_wren.core.measure.decay import ring_of_response
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.simulation.spec import BOATHOUSE, WorldSpec, read_spec
from obsidian_wren.simulation.world import SimulatedRig

HEATER = {"kind": "heater", "level_db_spl": 34}
KEYS = {"kind": "clicks", "level_db_spl": 62, "per_minute": 90, "when": "in-use"}

# Name: changes to the boathouse's world, and which stages it should ask for.
RIGS = {
    "quiet and near": (
        {"placement": {"distance_m": 0.15}, "noises": [{"kind": "heater", "level_db_spl": 18}]},
        {"gate": False, "noise_reduction": False},
    ),
    "loud fan": (
        {"noises": [{"kind": "heater", "level_db_spl": 48}, {"kind": "white", "level_db_spl": 40}]},
        {"noise_reduction": True},
    ),
    "keys in use": ({"noises": [{"kind": "heater", "level_db_spl": 24}, KEYS]}, {"clicks": True}),
    "ringing room": (
        {
            "room": {"decay_s": 0.6},
            "placement": {"distance_m": 0.5},
            "noises": [{"kind": "heater", "level_db_spl": 26}],
        },
        {"ring_reduction": True, "deesser": True},
    ),
    "bursts of breath": (
        {"talker": {"plosives_per_minute": 20, "plosive_db_spl": 98}, "noises": [HEATER]},
        {"deplosive": True},
    ),
    "hissing talker": ({"talker": {"hiss_db": 12}, "noises": [HEATER]}, {"deesser": True}),
    "phrases far apart": (
        {"talker": {"phrase_spread_db": 16}, "noises": [HEATER]},
        {"leveller": True},
    ),
    "far and noisy": (
        {
            "placement": {"distance_m": 0.45},
            "noises": [{"kind": "heater", "level_db_spl": 36}, KEYS],
        },
        {"noise_reduction": True},
    ),
    "coloured microphone": (
        {
            "microphone": {
                "bells": [
                    {"frequency_hz": 300, "gain_db": 5, "q": 1},
                    {"frequency_hz": 3500, "gain_db": -5, "q": 1},
                ]
            },
            "noises": [HEATER],
        },
        {},
    ),
}


def world(changes, seed=11):
    body = read_spec(BOATHOUSE).model_dump()
    body["seed"] = seed
    for part, values in changes.items():
        body[part] = values if part == "noises" else {**body[part], **values}
    return SimulatedRig(WorldSpec.model_validate(body))


@lru_cache(maxsize=2)
def derived(name):
    """The chain of one of :data:`RIGS` as the job would derive it: gain turned first, then room,
    room in use, a clap, talk."""
    rig = world(RIGS[name][0])
    rate = rig.rate_hz
    low, high = rig.spec.interface.gain_range_db
    first = read_talk(rig.take("talk", seconds=20), rate_hz=rate)
    move = plan_gain(
        first, controls=[GainControl("preamp", "Preamp", "dB", True, rig.gain_db, low, high, 1.0)]
    ).change_db
    rig.turn(rig.gain_db + move)
    rest, used, talk = (
        rig.take("rest", seconds=12),
        rig.take("in-use", seconds=15),
        rig.take("talk", seconds=30),
    )
    quiet = read_quiet(rest, rate_hz=rate)
    reading = read_talk(talk, rate_hz=rate, quiet=quiet)
    take_set = prepare(
        talk,
        rest,
        used,
        rate_hz=rate,
        rest_rate_hz=rate,
        in_use_rate_hz=rate,
        talk_reading=reading,
        quiet_reading=quiet,
        tone=ToneTakes(reading, quiet),
        ring=ring_of_response(rig.take("clap", seconds=6), rate_hz=rate),
    )
    return derive_chain(take_set), take_set, rig
