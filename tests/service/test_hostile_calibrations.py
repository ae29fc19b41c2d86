"""Calibration files from strangers: read, or refused with a sentence, and nothing changes."""

import io
import json
import zipfile

import pytest
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

from obsidian_wren.core.told import Told
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.service.calibration.preferences import BandValue, TasteBody
from obsidian_wren.service.carry import brought
from obsidian_wren.service.carry.portables import portable_of
from obsidian_wren.service.export.exporting import export_calibration
from shown import shows


def spoiled(whole, **how):
    return json.dumps({**whole, **how})


def with_setting(whole, key, name, value):
    found = json.loads(json.dumps(whole))
    stage = next(s for s in found["chain"] if s["key"] == key)
    stage["settings"][name]["value"] = value
    return json.dumps(found)


def bomb():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("calibration.json", b"[" * 40_000_000)
    return out.getvalue()


def zipped(name, content):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(name, content)
    return out.getvalue()


def hostile(whole):
    """Files that must be refused, each with a word of why."""
    text = json.dumps(whole)
    held = {"kind": "call", "held": {"under_lu": {"voice": 1e9}}}
    no_stage = {"kind": "x", "settings": {}}
    wild = with_setting(whole, "compressor", "ratio", 1e12)
    injected = with_setting(whole, "compressor", "ratio", "; DROP TABLE rig")
    taste = {"taste": {"warmth_db": 1e6}}
    rows = [[100.0, 0.0]] * 5000
    return {
        "empty": (b"", "not valid JSON"),
        "words": (b"hello", "not valid JSON"),
        "cut off": (text[: len(text) // 2].encode(), "not valid JSON"),
        "binary": (bytes(range(256)) * 50, "not valid JSON"),
        "wrong encoding": (text.encode("utf-16"), "not valid JSON"),
        "not valid JSON": (text.replace("27", "NaN", 1).encode(), "not valid JSON"),
        "infinite": (
            with_setting(whole, "compressor", "ratio", 0)
            .replace('"value": 0', '"value": 1e999', 1)
            .encode(),
            "not valid JSON",
        ),
        "nested": (b"[" * 100_000, "not valid JSON"),
        "nested in a part": (spoiled(whole, readings=nest(60)).encode(), "nested deeper"),
        "a list": (b"[1, 2]", "not a calibration"),
        "another format": (spoiled(whole, format="other/preset").encode(), "not a calibration"),
        "newer": (spoiled(whole, version=2).encode(), "version 2"),
        "no version": (spoiled(whole, version=None).encode(), "no version"),
        "version is true": (spoiled(whole, version=True).encode(), "no version"),
        "old version": (spoiled(whole, version=0).encode(), "no version"),
        "chain is no list": (spoiled(whole, chain={}).encode(), "chain"),
        "chain of numbers": (spoiled(whole, chain=[1]).encode(), "chain"),
        "unknown stage": (spoiled(whole, chain=[no_stage]).encode(), "no stage"),
        "unknown key": (spoiled(whole, sequence=["../../etc"]).encode(), "does not have"),
        "unknown number": (spoiled(whole, sequence=["equalizer-999"]).encode(), "does not have"),
        "too many stages": (spoiled(whole, chain=whole["chain"] * 20).encode(), "chain"),
        "setting out of range": (wild.encode(), "ompressor"),
        "setting is text": (injected.encode(), "chain"),
        "taste out of range": (spoiled(whole, preferences=taste).encode(), "warmth_db"),
        "target with too many rows": (
            spoiled(whole, preferences={"target": {"kind": "imported", "rows": rows}}).encode(),
            "rows",
        ),
        "target of another kind": (
            spoiled(whole, preferences={"target": {"kind": "sudo"}}).encode(),
            "target.kind",
        ),
        "mix out of range": (spoiled(whole, feeds=[held]).encode(), "under_lu"),
        "feeds of text": (spoiled(whole, feeds=["x"]).encode(), "feeds"),
        "zip bomb": (bomb(), "larger than any"),
        "zip without it": (zipped("readme.txt", "x"), "zip without"),
        "zip that goes up": (zipped("../calibration.json", text), "zip without"),
        "broken zip": (zipped("calibration.json", text)[:200], "cannot be read"),
        "huge": (b" " * 25_000_000, "MB"),
    }


def nest(levels):
    found = {}
    for _ in range(levels):
        found = {"a": found}
    return found


def test_hostile_files_are_refused_with_a_sentence_and_change_nothing(boathouse, tmp_path):
    files = hostile(export_calibration(boathouse))
    assert len(files) >= 30
    before = export_calibration(boathouse)
    for name, (content, why) in files.items():
        path = tmp_path / "given"
        path.write_bytes(content)
        with pytest.raises(Told) as caught:
            brought.bring_in(boathouse, path, f"{name}.json")
        assert why in str(caught.value), (name, str(caught.value))
        assert len(str(caught.value)) < 400, name
    assert shows(boathouse, "brought") is None
    assert export_calibration(boathouse) == before


@pytest.fixture(scope="module")
def a_file(tmp_path_factory):
    return tmp_path_factory.mktemp("carry") / "file.json"


values = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8) | st.integers(),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3)
    ),
    max_leaves=8,
)


@hypothesis_settings(
    max_examples=70, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(data=st.data())
def test_whatever_is_put_into_a_file_it_is_read_or_refused_with_a_sentence(
    data, plain_calibration, a_file
):
    whole = json.loads(json.dumps(plain_calibration))
    part = data.draw(st.sampled_from(["chain", "feeds", "preferences", "sequence", "rig", "name"]))
    where = whole.get(part)
    if isinstance(where, list) and where and data.draw(st.booleans()):
        where[data.draw(st.integers(0, len(where) - 1))] = data.draw(values)
    else:
        whole[part] = data.draw(values)
    a_file.write_text(json.dumps(whole), "utf-8")
    try:
        portable_of(read_calibration(a_file, "file.json"))
    except Told as error:
        assert str(error).endswith((".", "?"))


@given(
    taste=st.builds(
        TasteBody,
        warmth_db=st.floats(-5, 5),
        body_db=st.floats(-5, 5),
        clarity_db=st.floats(-5, 5),
        air_db=st.floats(-5, 5),
    ),
    weight=st.floats(0.05, 0.95),
    ratio=st.floats(1.0, 10.0),
    band=st.builds(
        BandValue,
        shape=st.sampled_from(["peak", "low_shelf", "high_shelf"]),
        frequency_hz=st.floats(20, 20_000),
        gain_db=st.floats(-12, 9),
        q=st.floats(0.4, 6),
    ),
)
@hypothesis_settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
def test_every_number_that_travels_survives_the_file_to_the_last_bit(
    taste, weight, ratio, band, plain_calibration, a_file
):
    whole = json.loads(json.dumps(plain_calibration))
    whole["preferences"] = {"taste": taste.model_dump(), "cut_weight": weight}
    compressor = next(s for s in whole["chain"] if s["key"] == "compressor")
    compressor["settings"]["ratio"]["value"] = ratio
    whole["chain"].append(
        {
            "kind": "equalizer",
            "key": "equalizer-2",
            "settings": {
                "bands": {
                    "value": [band.model_dump()],
                    "unit": "bands",
                    "derived": None,
                    "pinned": True,
                    "because": "",
                }
            },
        }
    )
    a_file.write_text(json.dumps(whole), "utf-8")
    comes = portable_of(read_calibration(a_file, "file.json"))
    assert comes.preferences.taste == taste
    assert comes.preferences.cut_weight == weight
    assert comes.character["compressor"]["ratio"] == ratio
    assert comes.bands == {"equalizer-2": [band]}
