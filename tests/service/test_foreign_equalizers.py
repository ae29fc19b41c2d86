"""The equalizer of another program comes in through open forms, or is refused."""

import numpy as np
import pytest
import soundfile
from scipy.signal import sosfilt

from obsidian_wren.core.chain.filters import EqualizerBand, band_section, response_db
from obsidian_wren.core.derive.curve_fit import fit_curve
from obsidian_wren.core.told import Told
from obsidian_wren.formats.equalizer import biquads_csv, impulse_wav
from obsidian_wren.service.carry import foreign
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.undo.put_back import undo
from signals import RATE


def curve_of(bands):
    hz = np.geomspace(60.0, 14_000.0, 200)
    sections = np.array([band_section(band, rate_hz=RATE) for band in bands])
    return hz, response_db(sections, hz, rate_hz=RATE)


def difference_db(app, bands):
    own = next(s for s in export_calibration(app)["chain"] if s["key"] == "equalizer-2")
    rows = own["settings"]["bands"]["value"]
    wanted = curve_of(bands)[1]
    _, found = curve_of(
        [EqualizerBand(r["shape"], r["frequency_hz"], r["gain_db"], r["q"]) for r in rows]
    )
    off = found - wanted
    return float(np.sqrt(np.mean((off - np.mean(off)) ** 2)))


BANDS = (
    EqualizerBand("low_shelf", 140.0, -3.0, 0.7),
    EqualizerBand("peak", 420.0, -4.0, 1.4),
    EqualizerBand("peak", 3200.0, 3.5, 1.0),
)


@pytest.mark.parametrize("form", ["table", "plain", "curve", "impulse"])
def test_the_equalizer_of_another_program_comes_in_through_open_forms(boathouse, tmp_path, form):
    hz, db = curve_of(BANDS)
    path = tmp_path / ("eq.wav" if form == "impulse" else "eq.txt")
    sections = [band_section(band, rate_hz=RATE) for band in BANDS]
    if form == "curve":
        path.write_text("\n".join(f"{f:.2f}\t{level:.3f}" for f, level in zip(hz, db, strict=True)))
    elif form == "plain":
        rows = (" ".join(f"{v:.10g}" for v in (*s[:3], *s[4:])) for s in sections)
        path.write_text("# b0 b1 b2 then a1 a2\n" + "\n".join(rows))
    elif form == "table":
        head = "b0,b1,b2,a0,a1,a2,rate_hz"
        rows = (",".join(repr(float(v)) for v in s) + f",{RATE}" for s in sections)
        path.write_text("\n".join([head, *rows]))
    else:
        impulse = np.zeros(16_384)
        impulse[0] = 0.5
        soundfile.write(path, sosfilt(np.array(sections), impulse), RATE, subtype="FLOAT")
    foreign.bring_equalizer(boathouse, path, path.name)
    assert difference_db(boathouse, BANDS) < 0.3
    undo(boathouse)
    assert "equalizer-2" not in [s["key"] for s in export_calibration(boathouse)["chain"]]


@pytest.mark.parametrize("form", ["equalizer.csv", "equalizer.wav"])
def test_what_we_write_for_other_programs_is_read_back(boathouse, tmp_path, form):
    path = tmp_path / form
    if form.endswith(".csv"):
        path.write_text(biquads_csv(BANDS, rate_hz=RATE))
    else:
        path.write_bytes(impulse_wav(BANDS, rate_hz=RATE))
    foreign.bring_equalizer(boathouse, path, path.name)
    assert difference_db(boathouse, BANDS) < 0.3


@pytest.mark.parametrize(
    ("name", "content", "why"),
    [
        ("never.txt", "1 0 0 -2.5 1.2", "an unstable biquad"),
        ("zero.txt", "1 0 0 0 0.1 0.1", "a0 = 0"),
        ("short.txt", "100 1\n200 2", "at least 3"),
        ("words.txt", "no numbers here", "usable rows"),
        ("flat.txt", "\n".join(f"{hz} 0" for hz in (50, 500, 5000, 15000)), "flat"),
        ("high.txt", "30000 1\n31000 2\n32000 3", "no curve between"),
        ("broken.wav", "RIFF but not", "sound"),
    ],
)
def test_an_equalizer_that_cannot_be_is_refused_and_nothing_changes(
    boathouse, tmp_path, name, content, why
):
    before = export_calibration(boathouse)
    (tmp_path / name).write_text(content)
    with pytest.raises(Told) as caught:
        foreign.bring_equalizer(boathouse, tmp_path / name, name)
    assert why in str(caught.value)
    assert export_calibration(boathouse) == before


def test_a_flat_curve_needs_no_bands_and_a_bell_needs_one():
    hz = np.geomspace(40.0, 18_000.0, 300)
    assert fit_curve(hz, np.full(300, 4.0), rate_hz=RATE).bands == ()
    bell = EqualizerBand("peak", 1000.0, 5.0, 1.0)
    found = fit_curve(
        hz, response_db(band_section(bell, rate_hz=RATE)[None, :], hz, rate_hz=RATE), rate_hz=RATE
    )
    assert [round(band.gain_db) for band in found.bands] == [5]
