import json

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.measure.clipping import flat_tops
from obsidian_wren.core.measure.decay import ring_of_response
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.simulation.acoustics import TALKER, room_response
from obsidian_wren.simulation.spec import (
    BOATHOUSE,
    BadSpec,
    PlacementSpec,
    RoomSpec,
    WorldSpec,
    read_spec,
)
from obsidian_wren.simulation.world import SimulatedRig

STILL = {
    "noises": [],
    "microphone": {"self_noise_dba": -10, "sensitivity_mv_pa": 20},
    "interface": {
        "gain_db": 30,
        "equivalent_input_noise_dbu": -140,
        "converter_noise_dbfs": -150,
        "bits": 32,
    },
}


def world(**changes):
    return SimulatedRig(WorldSpec.model_validate({**STILL, **changes}))


def test_the_same_spec_and_seed_give_the_same_sound():
    spec = read_spec(BOATHOUSE)
    first, second = (SimulatedRig(spec).take("in-use", seconds=2.0) for _ in range(2))
    assert np.array_equal(first, second)
    other = SimulatedRig(spec.model_copy(update={"seed": 41})).take("in-use", seconds=2.0)
    assert not np.array_equal(first, other)
    assert not np.array_equal(first, SimulatedRig(spec).take("in-use", seconds=2.0, repeat=1))


def test_a_noise_of_known_pressure_reads_its_level():
    """54 dB SPL on 20 mV/Pa is 0.2 mV = -71.76 dBu; 30 dB of gain into +9 dBu full scale: -50.76
    dBFS."""
    rig = world(noises=[{"kind": "white", "level_db_spl": 54}])
    assert rms_dbfs(rig.take("rest", seconds=10.0)) == pytest.approx(-50.76, abs=0.1)


def test_hum_of_known_pressure_reads_its_level_and_frequency():
    noises = [
        {"kind": "hum", "level_db_spl": 54, "mains_hz": 60.02},
        {"kind": "white", "level_db_spl": 40},
    ]
    found = read_quiet(world(noises=noises).take("rest", seconds=15.0), rate_hz=48_000)
    assert found.hum.mains_hz == pytest.approx(60.02, abs=0.02)
    assert found.hum.level_dbfs == pytest.approx(-50.76, abs=0.1)


def test_converter_noise_alone():
    rig = world(interface={**STILL["interface"], "converter_noise_dbfs": -90, "gain_db": 0})
    assert rms_dbfs(rig.take("rest", seconds=5.0)) == pytest.approx(-90.0, abs=0.1)


def test_the_preamp_turns_in_steps_within_its_range_and_moves_everything_alike():
    rig = world(noises=[{"kind": "white", "level_db_spl": 54}])
    before = rms_dbfs(rig.take("rest", seconds=3.0))
    assert rig.turn(36.6).gain_db == 37.0
    assert rms_dbfs(rig.take("rest", seconds=3.0)) == pytest.approx(before + 7.0, abs=0.02)
    assert rig.turn(99.0).gain_db == 60.0
    assert rig.turn(-5.0).gain_db == 0.0


def test_too_much_gain_clips():
    rig = world()
    rig.turn(60.0)
    assert flat_tops(rig.take("loud", seconds=8.0)).count > 50


def test_clicks_only_in_use_and_as_many_as_said():
    rig = world(
        noises=[
            {"kind": "white", "level_db_spl": 30},
            {"kind": "clicks", "level_db_spl": 70, "when": "in-use", "per_minute": 80},
        ]
    )
    assert read_quiet(rig.take("rest", seconds=15.0), rate_hz=48_000).transients.count == 0
    assert read_quiet(rig.take("in-use", seconds=15.0), rate_hz=48_000).transients.count == 20


def test_half_the_distance_is_six_decibels_more_direct_sound():
    near, far = (
        read_talk(
            world(
                placement={"distance_m": d},
                room={"decay_s": 0.1},
                microphone={**STILL["microphone"], "pattern": "omni"},
            ).take("talk", seconds=12.0),
            rate_hz=48_000,
        )
        for d in (0.2, 0.4)
    )
    assert near.active_level_dbfs - far.active_level_dbfs == pytest.approx(6.0, abs=0.7)


def test_a_cardioid_gains_bass_up_close():
    def low_over_middle(distance):
        bands = read_talk(
            world(placement={"distance_m": distance}, room={"decay_s": 0.1}).take(
                "talk", seconds=20.0
            ),
            rate_hz=48_000,
        ).third_octaves
        level = {b.centre_hz: b.level_dbfs for b in bands}
        return level[125] - level[1000]

    # The spherical wave at 125 Hz: 14.6 dB at 5 cm against 3.1 dB at 40 cm.
    assert low_over_middle(0.05) - low_over_middle(0.4) == pytest.approx(9.5, abs=3.0)


@pytest.mark.parametrize("decay_s", [0.35, 0.4, 0.6, 0.85, 1.2])
def test_a_room_rings_as_long_as_it_is_said_to(decay_s):
    """Live rooms too, whose late reflections are too many to be worked out one by one."""
    for distance_m in (0.5, 1.2):
        response = room_response(
            RoomSpec(decay_s=decay_s), PlacementSpec(distance_m=distance_m), "cardioid", 48_000
        )
        found = ring_of_response(np.concatenate([response, np.zeros(4800)]), rate_hz=48_000)
        assert found.decay_s == pytest.approx(decay_s, rel=0.12)


@pytest.mark.parametrize(
    "text, says",
    [
        ("{", "not JSON"),
        ('{"seed": -1}', "seed"),
        ('{"interface": {"bits": 11}}', "interface.bits"),
        ('{"colour": 1}', "colour"),
    ],
)
def test_a_bad_spec_is_refused_by_place(tmp_path, text, says):
    path = tmp_path / "spec.json"
    path.write_text(text)
    with pytest.raises(BadSpec, match=says):
        read_spec(path)


def test_the_shipped_spec_is_whole():
    assert json.loads(BOATHOUSE.read_text())["format"] == "obsidian-wren/world"


def test_the_talkers_texts_and_recordings_belong_together():
    texts = json.loads((TALKER / "texts.json").read_text())["parts"]
    assert {path.stem for path in TALKER.glob("*.flac")} == set(texts)
    for path in TALKER.glob("*.flac"):
        # Between two and four words a second is how people read.
        words = len(texts[path.stem]["text"].split())
        assert 2.0 < words / soundfile.info(path).duration < 4.0
        assert path.stat().st_size < 4 * 1024**2
