"""Response files in and out."""

import numpy as np
import pytest

from obsidian_wren.formats.response import read_rows
from obsidian_wren.formats.sound_header import BadSound
from obsidian_wren.service.calibration import chain_rows, deriving
from obsidian_wren.service.export import exporting
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.setup import (
    responses,
    rig_changes,
)
from obsidian_wren.store.models import Rig
from rigging import status
from shown import shows
from signals import RATE


def write(path, text):
    path.write_text(text)
    return path


@pytest.mark.parametrize(
    "text",
    [
        "20 -6\n1000 0\n20000 3\n",
        "* made by hand\n20;-6,0;1\n1000;0,0;0\n20000;3,0;-5\n",
        "Hz,dB\n20,-6\n1000,0\n20000,3",
        "20\t-6\r\n1000\t0\r\n20000\t3",
    ],
)
def test_response_files_come_in_as_they_are_handed_out(boathouse, tmp_path, text):
    responses.import_response(boathouse, write(tmp_path / "x", text), "reedling.txt")
    microphone = shows(boathouse, "microphones")[0]
    assert microphone.response_name == "reedling.txt"
    assert microphone.response_points == [[20.0, -6.0], [1000.0, 0.0], [20000.0, 3.0]]
    name, exported = exporting.export_response(boathouse, "microphone")
    assert name == "Reedling 40.txt"
    assert [
        row[:2] for row in read_rows(write(tmp_path / "back", exported))
    ] == microphone.response_points


def test_a_bad_row_is_named_by_its_line_and_nothing_changes(boathouse, tmp_path):
    for text, says in (
        ("20 -6\n1000 zero\n3 3\n", "line 2"),
        ("20 -6\n1000 0\n", "2 usable rows"),
        ("20 1\n20 2\n30 1\n", "is listed twice"),
    ):
        with pytest.raises(BadSound, match=says):
            responses.import_response(boathouse, write(tmp_path / "x", text), "x.txt")
    assert shows(boathouse, "microphones")[0].response_name is None


def test_a_response_file_leaves_tone_stale_and_is_used_by_the_next_fit(boathouse):
    app = boathouse
    before = [s.band for s in shows(app, "settings") if s.band]
    rows = [
        [float(hz), 6.0 * float(np.exp(-(np.log2(hz / 3000.0) ** 2)))]
        for hz in np.geomspace(20, 20_000, 60)
    ]
    rig_changes.attach_response(app, "r.txt", rows)
    assert "response file" in next(step.why for step in shows(app, "steps") if step.name == "tone")
    deriving.derive_again(app)
    assert status(app)["tone"] == "confirmed"
    assert [s.band for s in shows(app, "settings") if s.band] != before
    rig_changes.detach_response(app)
    deriving.derive_again(app)
    assert [s.band for s in shows(app, "settings") if s.band] == before


def test_the_exported_correction_is_what_the_chain_does(boathouse, tmp_path):
    from obsidian_wren.core.chain.offline import render

    rows = read_rows(
        write(tmp_path / "c.txt", exporting.export_response(boathouse, "correction")[1])
    )
    with boathouse.sessions() as session:
        specs = chain_rows.tone_specs(RigContext(boathouse, session, session.get_one(Rig, 1)))
    for hz, db in rows[::20]:
        tone = np.sin(2 * np.pi * hz * np.arange(RATE) / RATE)
        treated = render(specs, tone, rate_hz=RATE)[RATE // 2 :]
        assert 10 * np.log10(np.mean(treated**2) * 2) == pytest.approx(db, abs=0.1)
