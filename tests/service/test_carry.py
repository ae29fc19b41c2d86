"""A calibration is carried: saved, looked at, brought over; what travels comes over bit by bit."""

import io
import json
import zipfile

import jsonschema_rs
import pytest
import soundfile

from obsidian_wren.formats.calibration import CalibrationFile, schema_json
from obsidian_wren.service.calibration import settings, stages
from obsidian_wren.service.calibration.preferences import BandValue, PreferencesBody, TasteBody
from obsidian_wren.service.carry import bringing_over, brought, packing, versions
from obsidian_wren.service.carry.portables import portable_of
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.send import listeners
from obsidian_wren.service.situations import keeping, switching
from obsidian_wren.service.undo.put_back import undo
from rigging import change
from shown import shows
from signals import RATE


def saved(app, path, whole=None):
    path.write_text(json.dumps(whole or export_calibration(app)), "utf-8")
    return path


def brought_over(app, path):
    brought.bring_in(app, path, path.name)
    bringing_over.bring_over(app)
    return export_calibration(app)


def shaped(app):
    """What a person decides in every part that travels."""
    settings.change_preferences(app, PreferencesBody(taste=TasteBody(warmth_db=1.5, air_db=-1.0)))
    settings.change_setting(app, "compressor", "ratio", value=2.7, band=None, pinned=True)
    settings.change_setting(app, "compressor", "attack_ms", value=9.0, band=None, pinned=True)
    stages.switch_stage(app, "colour", on=True)
    stages.add_stage(app, "equalizer")
    stages.add_band(
        app, "equalizer-2", BandValue(shape="peak", frequency_hz=900, gain_db=-2.0, q=1.5)
    )
    key = shows(app, "destinations")[0].key
    listeners.pin_mix(app, key, "aim_lufs", value=-19.5, source=None)
    keeping.make(app, "Evening")
    return key


def travelling(whole):
    """Of a file what has to be equal bit by bit on the other side."""
    return portable_of(CalibrationFile.model_validate(whole)).model_dump()


def test_a_file_of_an_older_program_brings_its_wishes(boathouse, other_boathouse, tmp_path):
    shaped(boathouse)
    whole = export_calibration(boathouse)
    kept = whole.pop("preferences")
    brought_over(other_boathouse, saved(boathouse, tmp_path / "old.json", whole | {"wishes": kept}))
    assert export_calibration(other_boathouse)["preferences"] == kept


def test_what_travels_is_equal_bit_by_bit_in_another_folder(boathouse, other_boathouse, tmp_path):
    shaped(boathouse)
    whole = export_calibration(boathouse)
    change(other_boathouse, distance_cm=31)
    found = brought_over(other_boathouse, saved(boathouse, tmp_path / "desk.json"))
    assert travelling(found) == travelling(whole)
    # Once more changes nothing more, and it is a version.
    again = brought_over(other_boathouse, saved(other_boathouse, tmp_path / "again.json"))
    assert travelling(again) == travelling(found)
    assert shows(other_boathouse, "versions")[0].name == "again.json"
    # A situation that came is used like one that was made here.
    settings.change_preferences(other_boathouse, PreferencesBody())
    assert switching.use_by_name(other_boathouse, "evening") == "Evening"
    assert shows(other_boathouse, "preferences").taste.warmth_db == 1.5


def test_what_belongs_to_the_place_stays_the_places_own(boathouse, other_boathouse, tmp_path):
    whole = export_calibration(boathouse)
    own = export_calibration(other_boathouse)
    for stage in whole["chain"]:
        for name in ("threshold_dbfs", "frequency_hz", "makeup_db", "reduction_db"):
            if name in stage["settings"] and stage["key"] != "deesser":
                stage["settings"][name]["value"] += 7.0
    whole["rig"]["gain_db"] = 41.0
    found = brought_over(other_boathouse, saved(None, tmp_path / "f.json", whole))
    assert found["rig"] == own["rig"]
    here, there = ({s["key"]: s for s in body["chain"]} for body in (found, own))
    assert here["gate"]["settings"]["threshold_dbfs"]["value"] == pytest.approx(
        there["gate"]["settings"]["threshold_dbfs"]["value"], abs=1.0
    )
    assert here["highpass"]["settings"] == there["highpass"]["settings"]


def test_nothing_changes_before_the_person_says_so_and_undo_takes_all_of_it_back(
    boathouse, tmp_path
):
    path = saved(boathouse, tmp_path / "before.json")
    shaped(boathouse)
    stood = export_calibration(boathouse)
    brought.bring_in(boathouse, path, "before.json")
    seen = shows(boathouse, "brought")
    assert seen.name == "before.json"
    assert {row.title for row in seen.comes} >= {"Target and taste", "Compressor's character"}
    gain = next(row for row in seen.measured if row.title == "Preamp gain")
    assert (gain.then, gain.unit) == (gain.here, "dB")
    assert (seen.missing, seen.other_microphone) == ([], False)
    assert export_calibration(boathouse)["chain"] == stood["chain"]
    bringing_over.bring_over(boathouse)
    assert shows(boathouse, "brought") is None
    assert export_calibration(boathouse)["preferences"] != stood["preferences"]
    undo(boathouse)
    assert export_calibration(boathouse)["preferences"] == stood["preferences"]
    brought.bring_in(boathouse, path, "before.json")
    brought.leave(boathouse)
    with pytest.raises(Refused, match="Bring one in first"):
        bringing_over.bring_over(boathouse)


def test_who_has_no_takes_yet_is_told_which_are_missing(boathouse, app_over, tmp_path):
    app = app_over(tmp_path / "empty")
    path = saved(boathouse, tmp_path / "desk.json")
    brought.bring_in(app, path, "desk.json")
    seen = shows(app, "brought")
    assert seen.missing == ["the room", "the passage"]
    assert seen.other_microphone
    assert all(row.here is None for row in seen.measured if row.title != "Preamp gain")
    bringing_over.bring_over(app)
    assert shows(app, "preferences") == shows(boathouse, "preferences")


def test_a_hand_on_the_equalizer_is_added_to_the_fit_here(boathouse, tmp_path):
    whole = export_calibration(boathouse)
    bands = next(s for s in whole["chain"] if s["key"] == "equalizer")["settings"]["bands"]
    first = {"shape": "peak", "frequency_hz": 400.0, "gain_db": -3.0, "q": 1.2}
    bands["value"] = [{**first, "gain_db": -0.5, "pinned": True}]
    bands["derived"] = [first]
    found = brought_over(boathouse, saved(None, tmp_path / "f.json", whole))
    (further,) = [s for s in found["chain"] if s["key"] == "equalizer-2"]
    (band,) = further["settings"]["bands"]["value"]
    assert band["gain_db"] == pytest.approx(2.5)
    assert band["frequency_hz"] == first["frequency_hz"]


def test_the_zip_holds_the_file_and_the_takes_and_comes_in_alike(boathouse, tmp_path):
    raw = packing.packed(boathouse)
    with zipfile.ZipFile(io.BytesIO(raw)) as archive:
        names = archive.namelist()
        assert json.loads(archive.read("calibration.json")) == export_calibration(boathouse)
        samples, rate = soundfile.read(io.BytesIO(archive.read("takes/passage.flac")))
    assert {"takes/rest.flac", "takes/talk.flac", "takes/passage.flac"} <= set(names)
    assert rate == RATE
    assert len(samples) > 5 * RATE
    (tmp_path / "c.zip").write_bytes(raw)
    brought.bring_in(boathouse, tmp_path / "c.zip", "c.zip")
    assert shows(boathouse, "brought").name == "c.zip"


def test_the_schema_ships_is_the_models_and_holds_what_is_saved(boathouse):
    shipped = json.loads(packing.schema_text())
    assert shipped == schema_json()
    validator = jsonschema_rs.validator_for(shipped)
    whole = export_calibration(boathouse)
    assert validator.is_valid(json.loads(json.dumps(whole)))
    version = shows(boathouse, "versions")[0]
    versions.describe_version(boathouse, version.id, name="Loft", note="Dry day.")
    name, kept = versions.version_file(boathouse, version.id)
    assert (kept["name"], kept["note"], name) == (
        "Loft",
        "Dry day.",
        f"calibration-{version.number}.json",
    )
    assert validator.is_valid(json.loads(json.dumps(kept)))
    assert not validator.is_valid({**whole, "version": 2})
    assert not validator.is_valid({**whole, "chain": [{"kind": 3}]})
