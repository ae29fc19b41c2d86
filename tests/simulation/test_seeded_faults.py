"""Simulated rigs with one fault each: the right cause stands first.

A healthy rig gets no complaint.
"""

import numpy as np
import pytest

from obsidian_wren.core.derive.capsule import dbfs_of_spl
from obsidian_wren.core.derive.causes import find_causes
from obsidian_wren.core.derive.floor_split import FloorTake, split_floor
from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.derive.gain_plan import plan_gain
from obsidian_wren.core.derive.hardware import Interface, Microphone
from obsidian_wren.core.derive.voice_causes import find_voice_causes
from obsidian_wren.core.measure.integrity import compare_channels
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.ports.world import Controls
from obsidian_wren.simulation.spec import BOATHOUSE, WorldSpec, read_spec
from obsidian_wren.simulation.world import SimulatedRig

RATE = 48_000
GAIN_DB, OTHER_DB = 32.0, 12.0
QUIET_ROOM = [{"kind": "heater", "level_db_spl": 33}, {"kind": "rain", "level_db_spl": 20}]


class Rig:
    """A healthy boathouse, changed as a fault wants it, and what its takes say."""

    def __init__(self, *, noises=(), controls=None, slider=None, **changes):
        body = read_spec(BOATHOUSE).model_dump()
        body["noises"] = [*QUIET_ROOM, *noises]
        for part, values in changes.items():
            body[part] |= values
        self.rig = SimulatedRig(WorldSpec.model_validate(body))
        self.rig.set(Controls(gain_db=GAIN_DB, **(controls or {})))
        self.slider = slider

    def room(self, purpose="rest", gain_db=None):
        controls = None if gain_db is None else Controls(gain_db=gain_db)
        stream = self.rig.open_take(purpose, seconds=12, controls=controls)
        whole = stream.read(12 * RATE)
        channels = compare_channels(whole) if whole.ndim > 1 else None
        chosen = whole if whole.ndim == 1 else whole[:, channels.loudest - 1]
        return read_quiet(np.ascontiguousarray(chosen), rate_hz=RATE), channels

    def causes(self, *, parts=False, in_use=False):
        rest, channels = self.room()
        split = None
        if parts:
            spec = self.rig.spec
            own = dbfs_of_spl(
                spec.microphone.self_noise_dba,
                Microphone(sensitivity_mv_pa=spec.microphone.sensitivity_mv_pa),
                Interface(max_input_dbu=spec.interface.max_input_dbu),
                GAIN_DB,
            )
            split = split_floor(
                FloorTake(rest.third_octaves, GAIN_DB),
                muted=FloorTake(self.room("muted")[0].third_octaves, GAIN_DB),
                other=FloorTake(self.room("rest", OTHER_DB)[0].third_octaves, OTHER_DB),
                microphone_dbfs_a=own,
            )
        talk = read_talk(self.rig.take("talk", seconds=25), rate_hz=RATE, quiet=rest)
        used = self.room("in-use")[0] if in_use else None
        return find_causes(
            rest, in_use=used, split=split, voice_over_room_db=talk.snr_db, channels=channels
        )

    def voice(self):
        rest, _ = self.room()
        talk = read_talk(self.rig.take("talk", seconds=25), rate_hz=RATE, quiet=rest)
        loud = read_talk(self.rig.take("loud", seconds=12), rate_hz=RATE)
        stages = [GainControl("preamp", "Preamp", "dB", True, self.rig.gain_db, 0.0, 56.0, 1.0)]
        if self.slider is not None:
            stages.append(
                GainControl(
                    "slider",
                    "Input slider",
                    "%",
                    False,
                    self.slider,
                    0.0,
                    100.0,
                    1.0,
                    neutral=100.0,
                )
            )
        plan = plan_gain(talk, controls=stages, loud=loud, quiet=rest)
        distance_cm = 100.0 * self.rig.spec.placement.distance_m
        return plan, find_voice_causes(talk, loud=loud, plan=plan, distance_cm=distance_cm)


ROOM_FAULTS = {
    "hum": dict(noises=[{"kind": "hum", "level_db_spl": 52}]),
    "drifting hum": dict(noises=[{"kind": "hum", "level_db_spl": 52, "drift_hz": 0.12}]),
    "dimmer": dict(noises=[{"kind": "comb", "level_db_spl": 36, "frequency_hz": 100, "lines": 80}]),
    "buzz": dict(noises=[{"kind": "comb", "level_db_spl": 34, "frequency_hz": 1000, "lines": 12}]),
    "tone": dict(noises=[{"kind": "tone", "level_db_spl": 33, "frequency_hz": 3150}]),
    "rumble": dict(
        noises=[
            {
                "kind": "white",
                "level_db_spl": 74,
                "spectrum_db": [[8, -20], [20, 0], [45, 0], [70, -50], [200, -90]],
            }
        ]
    ),
    "clicks": dict(noises=[{"kind": "clicks", "level_db_spl": 78, "per_minute": 90}]),
    "room": dict(noises=[{"kind": "heater", "level_db_spl": 60}]),
    "dropouts": dict(computer={"dropouts_per_minute": 60}),
    "gated": dict(controls={"enhancements": True}, computer={"gate_dbfs": -68.0}),
    "dc": dict(interface={"dc_offset": 0.02}),
    "few-bits": dict(controls={"bits": 8}),
    "wrong-channel": dict(interface={"layout": "second"}),
    "inverted": dict(interface={"layout": "inverted"}),
}
# These need the takes that part the floor.
PART_FAULTS = {
    "preamp": dict(interface={"equivalent_input_noise_dbu": -77}),
    "microphone": dict(microphone={"self_noise_dba": 46}),
    "converter": dict(interface={"converter_noise_dbfs": -52}),
}


def complaints(causes):
    return [cause.code for cause in causes if cause.complaint]


@pytest.mark.parametrize("fault", ROOM_FAULTS)
def test_the_right_cause_stands_first(fault):
    found = Rig(**ROOM_FAULTS[fault]).causes()
    assert found[0].code == fault.removeprefix("drifting ")
    assert found[0].complaint
    assert found[0].evidence
    assert found[0].remedy


@pytest.mark.parametrize("fault", PART_FAULTS)
def test_the_part_of_the_path_that_hisses_stands_first(fault):
    found = Rig(**PART_FAULTS[fault]).causes(parts=True)
    assert found[0].code == found[0].where == fault
    assert found[0].complaint
    assert found[0].lowers_db > 3


def test_keys_that_drown_the_voice_are_named_from_the_room_in_use():
    # The floor as a whole is too high, so what runs while someone works deserves to be mended too.
    noises = [
        {"kind": "heater", "level_db_spl": 46},
        {"kind": "clicks", "level_db_spl": 96, "per_minute": 200, "when": "in-use"},
    ]
    found = Rig(noises=noises).causes(in_use=True)
    used = [cause for cause in found if cause.take == "in-use"]
    assert used[0].code == "in-use-clicks"
    assert used[0].lowers_db > 10


def test_clipping_before_the_slider_is_found_and_the_slider_is_not_blamed():
    rig = Rig(
        controls={"slider_percent": 70.0},
        slider=70.0,
        talker={"normal_db_spl": 78, "loud_db_spl": 80},
    )
    plan, voice = rig.voice()
    assert voice[0].code == "flat-tops"
    assert voice[0].spoils
    assert "clipped first, and the input slider then reduced the level" in plan.clipped_where
    assert plan.change_db < -6
    assert next(move for move in plan.moves if move.key == "slider").target == 100.0


def test_a_preamp_that_cuts_under_full_scale_is_named():
    plan, voice = Rig(interface={"cut_at_dbfs": -16.0}).voice()
    assert voice[0].code == "flat-tops"
    assert voice[0].where == "preamp"
    assert "a stage before it clips" in plan.clipped_where


def test_a_stage_that_gives_way_softly_is_named():
    _, voice = Rig(interface={"soft_from_dbfs": -24.0}).voice()
    assert voice[0].code == "soft-clipping"
    assert voice[0].where == "preamp"


def test_a_microphone_across_the_room_is_named():
    _, voice = Rig(
        placement={"distance_m": 1.2}, noises=[{"kind": "heater", "level_db_spl": 46}]
    ).voice()
    assert voice[0].code == "too-far"
    assert "+16 dB" in voice[0].remedy


def test_a_knob_too_low_is_turned_up_and_nothing_else_is_wrong():
    rig = Rig()
    rig.rig.turn(14.0)
    plan, voice = rig.voice()
    assert plan.verdict == "up"
    rig.rig.turn(14.0 + plan.change_db)
    again, _ = rig.voice()
    assert again.verdict == "stay"
    assert again.expected_peak_dbfs == pytest.approx(plan.expected_peak_dbfs, abs=0.5)
    assert not voice


def test_a_healthy_rig_gets_no_complaint():
    rig = Rig()
    rig.rig.turn(30.0)
    assert complaints(rig.causes(parts=True, in_use=True)) == []
    plan, voice = rig.voice()
    assert voice == ()
    assert plan.verdict == "stay"
