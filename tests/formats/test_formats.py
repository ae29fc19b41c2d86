import json
import math

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.derive.setting import resolve
from obsidian_wren.core.measure.voice_spectrum import FineSpectrum
from obsidian_wren.core.numerals import frequency
from obsidian_wren.formats.calibration import BadCalibration, chain_spec
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.formats.response import read_response, response_at
from obsidian_wren.formats.sound_header import BadSound
from obsidian_wren.formats.write_sound import write_sound
from signals import RATE, noise


def number(value, unit="dB"):
    return {"value": value, "unit": unit, "derived": value, "pinned": False, "because": "a test"}


CALIBRATION = {
    "format": "obsidian-wren/calibration",
    "version": 1,
    "rig": {},
    "readings": {},
    "feeds": [],
    "chain": [
        {
            "kind": "highpass",
            "on": True,
            "settings": {"frequency_hz": number(74, "Hz"), "order": number(3, "order")},
        },
        {
            "kind": "equalizer",
            "on": False,
            "settings": {
                "bands": number(
                    [{"shape": "peak", "frequency_hz": 212, "gain_db": -3.4, "q": 1.1}], "bands"
                )
            },
        },
        {"kind": "gain", "settings": {"gain_db": number(9.5)}},
        {
            "kind": "limiter",
            "on": True,
            "settings": {"ceiling_dbtp": number(-3, "dBTP"), "release_ms": number(100, "ms")},
        },
    ],
}


def written(tmp_path, **changes):
    path = tmp_path / "c.json"
    path.write_text(json.dumps({**CALIBRATION, **changes}))
    return path


def test_a_calibration_becomes_the_chain_that_it_describes(tmp_path):
    spec = chain_spec(read_calibration(written(tmp_path)))
    assert spec == (
        HighpassSpec(74.0, 3, on=True),
        EqualizerSpec((EqualizerBand("peak", 212.0, -3.4, 1.1),), on=False),
        GainSpec(9.5, on=True),
        LimiterSpec(-3.0, 100.0, on=True),
    )


def test_the_order_of_the_file_is_the_order_of_the_chain(tmp_path):
    turned = chain_spec(read_calibration(written(tmp_path, chain=CALIBRATION["chain"][::-1])))
    assert [type(stage) for stage in turned] == [LimiterSpec, GainSpec, EqualizerSpec, HighpassSpec]


@pytest.mark.parametrize(
    "changes, says",
    [
        ({"version": 2}, "version 2"),
        ({"format": "something/else"}, "not a calibration"),
        (
            {
                "chain": [
                    {
                        "kind": "highpass",
                        "settings": {"frequency_hz": number(74, "Hz"), "order": number(9, "order")},
                    }
                ]
            },
            "highpass.order: 9 is out of range",
        ),
        (
            {"chain": [{"kind": "equalizer", "settings": {"bands": number(3.0, "bands")}}]},
            "bands are missing",
        ),
        ({"chain": [{"kind": "equalizer", "settings": {}}]}, "no “bands”"),
        (
            {
                "chain": [
                    {
                        "kind": "equalizer",
                        "settings": {
                            "bands": number(
                                [{"shape": "notch", "frequency_hz": 1, "gain_db": 0, "q": 1}]
                            )
                        },
                    }
                ]
            },
            "chain.0",
        ),
        (
            {"chain": [{"kind": "limiter", "settings": {"ceiling_dbtp": number(-3, "dBTP")}}]},
            "release_ms",
        ),
        ({"chain": "none"}, "chain"),
    ],
)
def test_what_is_wrong_with_a_calibration_is_named(tmp_path, changes, says):
    with pytest.raises(BadCalibration, match=says):
        chain_spec(read_calibration(written(tmp_path, **changes)))


@pytest.mark.parametrize("separator", ["\t", ",", ";", " ", ", "])
def test_responses_with_any_separator(tmp_path, separator):
    path = tmp_path / "r.txt"
    path.write_text(
        "\ufeff* made up\n# also a comment\nFreq dB\n"
        + "\n".join(
            separator.join(row) for row in (("20", "-4.0"), ("1000", "1"), ("20000", "-6.5"))
        )
    )
    hz_found, db = read_response(path)
    assert hz_found.tolist() == [20.0, 1000.0, 20000.0]
    assert db.tolist() == [-4.0, 1.0, -6.5]


def test_a_response_is_levelled_at_1_khz_and_unknown_outside(tmp_path):
    at = response_at(
        np.array([10.0, 100.0, 1000.0, 30_000.0]),
        np.array([50.0, 1000.0, 20_000.0]),
        np.array([-2.0, 3.0, 0.0]),
    )
    assert math.isnan(at[0])
    assert math.isnan(at[3])
    assert at[2] == 0.0
    assert -5.0 < at[1] < 0.0


@pytest.mark.parametrize(
    "row, says",
    [
        ("abc5 1", None),
        ("500", "line 3"),
        ("500 x", "line 3"),
        ("-5 1", "line 3"),
        ("500 999", "line 3"),
    ],
)
def test_bad_rows_are_named_by_line(tmp_path, row, says):
    path = tmp_path / "r.txt"
    path.write_text(f"20 0\n100 0\n{row}\n1000 0\n")
    if says is None:
        assert len(read_response(path)[0]) == 3
    else:
        with pytest.raises(BadSound, match=says):
            read_response(path)


@pytest.mark.parametrize("ending", ["wav", "flac", "aiff"])
@pytest.mark.parametrize("rate", [8_000, 44_100, 192_000])
def test_what_is_written_is_read_again(tmp_path, ending, rate):
    sound = noise(0.1, 0.5, rate_hz=rate)
    write_sound(tmp_path / f"a.{ending}", sound, rate_hz=rate)
    again = read_sound(tmp_path / f"a.{ending}")
    assert again.rate_hz == rate
    np.testing.assert_allclose(again.samples, sound, rtol=0, atol=2**-22)


def test_a_stream_of_unknown_length_is_no_cut_off_file(tmp_path):
    """Programs that write to a pipe leave the length at its largest value."""
    path = tmp_path / "a.wav"
    soundfile.write(path, noise(0.1, 1.0), RATE, subtype="PCM_16")
    body = bytearray(path.read_bytes())
    at = body.index(b"data") + 4
    body[at : at + 4] = b"\xff\xff\xff\xff"
    path.write_bytes(bytes(body))
    assert len(read_sound(path).samples) == RATE


def test_samples_over_full_scale_are_cut_and_never_wrap(tmp_path):
    write_sound(tmp_path / "a.wav", np.array([2.0, -2.0, 0.5]), rate_hz=RATE)
    assert read_sound(tmp_path / "a.wav").samples == pytest.approx([1.0, -1.0, 0.5], abs=1e-6)


def test_plain_values():
    assert to_jsonable(-math.inf) is None
    assert to_jsonable(np.float64(-12.3456)) == -12.35
    assert to_jsonable(0.0012345678) == 0.001235
    assert to_jsonable({"a": (np.int64(3), np.bool_(True))}) == {"a": [3, True]}
    assert to_jsonable(FineSpectrum(np.array([1e-9, 0.0]), 24_000.0)) == {
        "top_hz": 24_000.0,
        "cells": [1e-9, 0.0],
    }


def test_settings_keep_what_was_derived_beside_the_pin():
    free, held = resolve(9.54, "dB", "why", None), resolve(9.54, "dB", "why", 12.0)
    assert (free.value, free.derived, free.pinned) == (9.5, 9.5, False)
    assert (held.value, held.derived, held.pinned) == (12.0, 9.5, True)
    assert [frequency(v) for v in (92.4, 999.0, 1000.0, 3400.0, 12_000.0)] == [
        "92 Hz",
        "999 Hz",
        "1 kHz",
        "3.4 kHz",
        "12 kHz",
    ]


@pytest.mark.parametrize("kind", [list, tuple, np.array])
def test_many_numbers_at_once_are_those_of_one_by_one(kind):
    rng = np.random.default_rng(3)
    values = [*rng.normal(0.0, 40.0, 200), *rng.normal(0.0, 0.05, 200), math.inf, -math.inf, 0.0]
    found = to_jsonable(kind([float(value) for value in values]))
    alone = [to_jsonable(float(value)) for value in values]
    assert [value is None for value in found] == [value is None for value in alone]
    known = [(one, other) for one, other in zip(found, alone, strict=True) if one is not None]
    assert all(one == pytest.approx(other, abs=1e-9) for one, other in known)
    assert all(type(one) is float for one, _ in known)
    assert json.loads(json.dumps(found)) == found


def test_what_is_not_all_numbers_is_turned_piece_by_piece():
    mixed = [1.23456, None, "words", True, 7, *([0.5] * 10)]
    assert to_jsonable(mixed) == [1.23, None, "words", True, 7, *([0.5] * 10)]
