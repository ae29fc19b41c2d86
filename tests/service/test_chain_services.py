"""The voice chain through the services: derived after takes, switched, ordered, wished for,
undone, heard, handed out."""

import csv
import io
import json

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.chain.filters import response_db
from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.formats.calibration import chain_spec
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.service.calibration import chain_rows, settings, stages, trying
from obsidian_wren.service.calibration.preferences import (
    AimsBody,
    PreferencesBody,
    TargetBody,
    TasteBody,
)
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export import exporting, sounds
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.setup import things
from obsidian_wren.service.takes import from_file, simulated
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.models import Rig
from rigging import shape_voice
from shown import overview, shows
from signals import RATE


def stages_of(app):
    return {stage.key: stage for stage in shows(app, "stages")}


def value(app, stage, name):
    return next(s.value for s in shows(app, "settings") if (s.stage, s.name) == (stage, name))


def specs(app, **options):
    with app.sessions() as session:
        return chain_rows.chain_specs(RigContext(app, session, session.get_one(Rig, 1)), **options)


def steps(app):
    return {step.name: (step.status, step.why) for step in shows(app, "steps")}


def test_the_boathouse_has_a_whole_chain_with_reasons(boathouse):
    shown = overview(boathouse, "delivery", "settings", "stages")
    assert tuple(stage.key for stage in shown.stages) == default_sequence()
    assert all(stage.because for stage in shown.stages)
    names = {(s.stage, s.name) for s in shown.settings if s.band is None}
    assert names == {(key, p.name) for key in default_sequence() for p in kind_of(key).parameters}
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=0.2)
    assert shown.delivery.warnings == []
    assert sum(shown.delivery.levels_out) == pytest.approx(1.0, abs=0.01)


def test_what_is_planned_is_what_the_chain_gives(boathouse):
    with boathouse.sessions() as session:
        from obsidian_wren.service.readings.measuring import samples_of
        from obsidian_wren.service.rig.take_queries import current_takes

        take = current_takes(session, session.get_one(Rig, 1)).talk
        sound = samples_of(boathouse, take)
    out = render(specs(boathouse), sound, rate_hz=RATE)
    assert integrated_lufs(out, rate_hz=RATE) == pytest.approx(
        shows(boathouse, "delivery").planned_lufs, abs=0.05
    )


def test_clean_stands_before_the_passage_is_read(app):
    from rigging import use_boathouse

    use_boathouse(app)
    simulated.start_simulated(app, "rest")
    assert shows(app, "clean") is None
    simulated.start_simulated(app, "talk")
    shown = overview(app, "clean", "diagram", "stages")
    assert shown.clean.gate.counts.words > 5
    assert [stage.kind for stage in shown.stages] == [
        "hum",
        "learned",
        "clicks",
        "highpass",
        "deplosive",
        "noise_reduction",
        "ring_reduction",
        "gate",
    ]
    assert steps(app)["clean"][0] == "open"
    assert steps(app)["steady"][0] == "not yet"
    assert [point.name for point in shown.diagram][-1:] == ["cleaned"]
    assert specs(app) is None


def test_a_stage_is_held_let_go_and_undone(boathouse):
    before = stages_of(boathouse)
    loud = shows(boathouse, "delivery").planned_lufs
    stages.switch_stage(boathouse, "compressor", False)
    held = stages_of(boathouse)["compressor"]
    assert (held.on, held.derived_on, held.pinned) == (False, True, True)
    # The gain takes over what the make-up gain did.
    assert shows(boathouse, "delivery").planned_lufs == pytest.approx(loud, abs=0.2)
    assert value(boathouse, "gain", "gain_db") > 5.0
    put_back.undo(boathouse)
    assert stages_of(boathouse) == before
    put_back.redo(boathouse)
    assert stages_of(boathouse)["compressor"] == held
    stages.switch_stage(boathouse, "compressor", None)
    assert stages_of(boathouse)["compressor"] == before["compressor"]
    with pytest.raises(Refused, match="stays on"):
        stages.switch_stage(boathouse, "limiter", False)


def test_a_setting_is_kept_within_its_range_and_over_a_new_derivation(boathouse):
    settings.change_setting(boathouse, "compressor", "ratio", value=4.0, band=None, pinned=True)
    assert value(boathouse, "compressor", "ratio") == 4.0
    makeup = value(boathouse, "compressor", "makeup_db")
    simulated.start_simulated(boathouse, "in-use")
    assert value(boathouse, "compressor", "ratio") == 4.0
    settings.change_setting(boathouse, "compressor", "ratio", value=None, band=None, pinned=False)
    assert value(boathouse, "compressor", "makeup_db") < makeup
    with pytest.raises(Refused, match="from 1 to 20"):
        settings.change_setting(
            boathouse, "compressor", "ratio", value=40.0, band=None, pinned=True
        )


def test_another_order_is_kept_warned_of_and_undone(boathouse):
    order = [key for key in default_sequence() if key != "limiter"]
    order.insert(8, "limiter")
    stages.order_stages(boathouse, order)
    shown = overview(boathouse, "delivery", "stages")
    assert [stage.key for stage in shown.stages] == order
    assert [w.kind for w in shown.delivery.warnings] == ["limiter"]
    assert [s.kind for s in specs(boathouse)] == [kind_of(key).kind for key in order]
    put_back.undo(boathouse)
    assert shows(boathouse, "delivery").warnings == []
    with pytest.raises(Refused, match="every stage once"):
        stages.order_stages(boathouse, ["gate"])


def test_the_room_in_use_and_how_words_weigh_move_the_gate(boathouse):
    assert not stages_of(boathouse)["gate"].on
    simulated.start_simulated(boathouse, "in-use")
    assert stages_of(boathouse)["gate"].on
    first = value(boathouse, "gate", "threshold_dbfs")
    settings.change_preferences(boathouse, PreferencesBody(cut_weight=0.1))
    assert value(boathouse, "gate", "threshold_dbfs") > first
    assert shows(boathouse, "undo").title == "Changed how clipped words weigh"
    put_back.undo(boathouse)
    assert value(boathouse, "gate", "threshold_dbfs") == first


def test_edges_are_tried_without_being_kept(boathouse):
    simulated.start_simulated(boathouse, "in-use")
    kept = value(boathouse, "gate", "threshold_dbfs")
    low, high = (trying.try_gate(boathouse, threshold_dbfs=level) for level in (-80.0, -20.0))
    assert low.beginnings_cut == 0
    assert low.room_let_through_s == pytest.approx(low.room_s)
    assert high.beginnings_cut + high.ends_cut > 0.3 * high.words
    assert high.room_let_through_s < 2.0
    assert value(boathouse, "gate", "threshold_dbfs") == kept


def test_nothing_can_be_tried_on_nothing(app):
    with pytest.raises(Refused, match="nothing to try"):
        trying.try_gate(app, threshold_dbfs=-50.0)
    with pytest.raises(Refused, match="not derived yet"):
        stages.switch_stage(app, "gate", True)


@pytest.mark.parametrize("purpose", ["clap", "sweep"])
def test_the_ring_is_measured_and_a_silent_clap_is_told(boathouse, purpose, tmp_path):
    simulated.start_simulated(boathouse, purpose)
    ring = shows(boathouse, "clean").ring_reduction
    assert ring.method == purpose
    assert 0.2 < ring.decay_s < 0.6
    assert len(ring.octaves) >= 4
    path = tmp_path / "hiss.wav"
    soundfile.write(path, np.random.default_rng(1).normal(0, 1e-3, 4 * RATE), RATE)
    with pytest.raises(Refused, match="Clap once, louder"):
        from_file.keep_file(boathouse, purpose, path, channel=None)
    assert shows(boathouse, "clean").ring_reduction == ring


def test_targets_are_chosen_bent_and_imported(boathouse):
    before = [s.band for s in shows(boathouse, "settings") if s.band]
    settings.change_preferences(boathouse, PreferencesBody(taste=TasteBody(clarity_db=4.0)))
    bent = [s.band for s in shows(boathouse, "settings") if s.band]
    assert bent != before
    put_back.undo(boathouse)
    with pytest.raises(Refused, match="no reference take"):
        settings.change_preferences(
            boathouse, PreferencesBody(target=TargetBody(kind="reference take"))
        )
    simulated.start_simulated(boathouse, "reference")
    settings.change_preferences(
        boathouse, PreferencesBody(target=TargetBody(kind="reference take"))
    )
    # The reference is the same voice through the same rig, so hardly anything is left to correct.
    tone = shows(boathouse, "tone")
    assert tone.target_name == "your reference take"
    gains = [abs(s.band.gain_db) for s in shows(boathouse, "settings") if s.band]
    assert max(gains, default=0.0) < 1.5
    settings.change_preferences(boathouse, PreferencesBody(target=TargetBody(kind="higher voice")))
    assert "higher voices" in shows(boathouse, "tone").target_name
    settings.keep_target(boathouse, "evening", [[100.0, 55.0], [1000.0, 54.0], [16000.0, 40.0]])
    assert shows(boathouse, "targets")[0].name == "evening"
    assert shows(boathouse, "tone").target_name == "evening"
    with pytest.raises(Refused, match="no longer stored"):
        settings.change_preferences(
            boathouse, PreferencesBody(target=TargetBody(kind="imported", id=99))
        )


def test_other_aims_are_met(boathouse):
    settings.change_preferences(
        boathouse,
        PreferencesBody(
            aims=AimsBody(loudness_lufs=-23.0, ceiling_dbtp=-6.0, peaks_dbfs=(-16.0, -9.0))
        ),
    )
    landed = shows(boathouse, "delivery")
    assert landed.planned_lufs == pytest.approx(-23.0, abs=0.2)
    assert landed.planned_true_peak_dbtp <= -6.0
    with pytest.raises(Refused, match="lower end"):
        settings.change_preferences(
            boathouse, PreferencesBody(aims=AimsBody(peaks_dbfs=(-5.0, -10.0)))
        )


def test_a_second_passage_is_averaged_with_the_first(boathouse):
    before = shows(boathouse, "tone")
    assert before.passages == 1
    simulated.start_simulated(boathouse, "passage")
    assert shows(boathouse, "tone").passages == 2
    # Once the microphone moved, what was read before does not count any more.
    from rigging import change

    change(boathouse, distance_cm=18)
    simulated.start_simulated(boathouse, "rest")
    simulated.start_simulated(boathouse, "passage")
    assert shows(boathouse, "tone").passages == 1


def wav(data):
    return soundfile.read(io.BytesIO(data))[0]


def test_every_version_is_heard_at_one_loudness_and_lined_up(boathouse):
    take = next(t.id for t in shows(boathouse, "takes") if t.purpose == "talk" and t.current)
    heard = {
        name: wav(sounds.hear_take(boathouse, take, version, matched=True, off=off))
        for name, version, off in (
            ("raw", "raw", ()),
            ("treated", "treated", ()),
            ("without", "treated", ("compressor",)),
        )
    }
    loudness = [integrated_lufs(sound, rate_hz=RATE) for sound in heard.values()]
    assert max(loudness) - min(loudness) < 0.15
    assert len({len(sound) for sound in heard.values()}) == 1
    assert np.abs(heard["treated"] - heard["without"]).max() > 0.01
    # Lined up: the raw and the treated voice match best without a shift.
    part = slice(5 * RATE, 6 * RATE)
    shifts = range(-60, 61)
    match = [np.dot(heard["raw"][part], np.roll(heard["treated"], s)[part]) for s in shifts]
    assert abs(shifts[int(np.argmax(match))]) <= 8


def test_what_a_stage_takes_is_heard_alone(boathouse):
    """Taken away from what reaches the stage, it leaves what the stage gives."""
    take = next(t.id for t in shows(boathouse, "takes") if t.purpose == "talk" and t.current)
    chain = specs(boathouse)
    first = next(place for place, spec in enumerate(chain) if spec.on)
    assert chain[first].kind == "highpass"
    raw = wav(sounds.hear_take(boathouse, take, "raw", matched=False))
    taken = wav(sounds.hear_taken(boathouse, take, "highpass", matched=False))
    left = render([chain[first]], raw, rate_hz=RATE)
    assert np.abs(left).max() > 0.1
    np.testing.assert_allclose(raw - taken, left, rtol=0, atol=1e-3)
    assert np.abs(raw - left).max() > 3e-3
    with pytest.raises(Refused, match="is off, so it takes nothing"):
        sounds.hear_taken(boathouse, take, "hum", matched=False)
    with pytest.raises(Refused, match="no longer there"):
        sounds.hear_taken(boathouse, 999, "highpass", matched=False)


def test_pictures_follow_the_sound(boathouse):
    take = next(t for t in shows(boathouse, "takes") if t.purpose == "talk" and t.current)
    frames = sounds.frames_of_take(boathouse, take.id, "treated")
    assert len(frames["level_dbfs"]) == pytest.approx(take.seconds / frames["step_s"], abs=1)
    assert len(frames["bands_dbfs"][0]) == len(frames["bands_hz"])
    assert min(frames["gains_db"]["compressor"]) < -3.0
    assert max(frames["gains_db"]["limiter"]) <= 0.0
    raw = sounds.frames_of_take(boathouse, take.id, "raw")
    assert raw["gains_db"] == {}
    with pytest.raises(Refused, match="no longer there"):
        sounds.frames_of_take(boathouse, 999, "raw")
    assert len(wav(sounds.sweep_wav(boathouse, RATE))) == 6 * RATE


def test_the_calibration_file_is_the_whole_chain(boathouse, tmp_path):
    simulated.start_simulated(boathouse, "in-use")
    body = exporting.export_calibration(boathouse)
    assert tuple(dict.fromkeys(stage["kind"] for stage in body["chain"])) == tuple(KINDS)
    path = tmp_path / "c.json"
    path.write_text(json.dumps(body))
    found = chain_spec(read_calibration(path))
    sound = np.random.default_rng(2).normal(0, 0.02, RATE)
    assert render(found, sound, rate_hz=RATE) == pytest.approx(
        render(specs(boathouse), sound, rate_hz=RATE), abs=1e-9
    )
    assert body["feeds"][0]["planned_floor_dbfs_a"] < -55.0


def test_the_equalizer_is_handed_out_as_biquads_and_as_an_impulse(boathouse):
    shape_voice(boathouse)
    name, body, _ = exporting.export_equalizer(boathouse, "biquads", RATE)
    rows = list(csv.DictReader(io.StringIO(body.decode())))
    assert name == "equalizer.csv"
    assert len(rows) == sum(1 for s in shows(boathouse, "settings") if s.band)
    sections = np.array(
        [[float(row[c]) for c in ("b0", "b1", "b2", "a0", "a1", "a2")] for row in rows]
    )
    _, sound, _ = exporting.export_equalizer(boathouse, "impulse", RATE)
    answer = wav(sound)
    hz = np.fft.rfftfreq(len(answer), 1 / RATE)[20:-20]
    told = 20 * np.log10(np.abs(np.fft.rfft(answer)))[20:-20]
    assert told == pytest.approx(response_db(sections, hz, rate_hz=RATE), abs=0.05)
    # Minimum phase: all its energy comes first.
    assert np.argmax(np.abs(answer)) == 0


def test_no_equalizer_is_handed_out_before_there_is_one(app):
    with pytest.raises(Refused, match="fit the tone first"):
        exporting.export_equalizer(app, "biquads", RATE)


def test_a_second_rig_keeps_a_chain_of_its_own(boathouse):
    stages.switch_stage(boathouse, "lowpass", False)
    things.add_rig(boathouse, "Another")
    assert shows(boathouse, "stages") == []
    things.use_rig(boathouse, 1)
    assert stages_of(boathouse)["lowpass"].pinned
