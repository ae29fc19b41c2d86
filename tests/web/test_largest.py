"""The largest file of every kind that is promised is taken in over HTTP, and one byte more than its
route takes is refused before it is sent."""

import http.client
import io
import json
from urllib.parse import urlsplit

import numpy as np
import pytest
import soundfile
from waitress.adjustments import Adjustments

from kills import Asked
from obsidian_wren.formats.carried_file import LARGEST_TEXT
from obsidian_wren.web import app, limits
from obsidian_wren.web.access import Access
from obsidian_wren.web.server import _bounded
from signals import RATE, noise

# What a person would lose most by, each beside what its route says.
FILES = {
    "/takes/file": limits.SOUND,
    "/clips": limits.CLIP,
    "/brought": limits.CARRIED,
    "/brought/equalizer": limits.IMPULSE,
    "/response": limits.TEXT,
    "/targets": limits.TEXT,
}
PIECES = ("/watch/piece", "/run/piece", "/listener/piece", "/takes/browser/<take_id>/<int:number>")


def flac(sound, rate):
    out = io.BytesIO()
    soundfile.write(out, sound, rate, format="FLAC", subtype="PCM_24")
    return out.getvalue()


def test_every_route_that_takes_a_file_says_how_much():
    found = {route.path: route.limit for route in app.ROUTES if route.limit is not limits.SMALL}
    assert found == FILES | dict.fromkeys(PIECES, limits.PIECE)
    for path, limit in found.items():
        asked = "/api" + path.replace("<take_id>", "a" * 12).replace("<int:number>", "7")
        assert limits.largest_body("POST", asked) == limit
    assert limits.largest_body("POST", "/api/versions/3/bring-back") == limits.SMALL
    assert limits.largest_body("GET", "/api/takes/file") == limits.NOTHING


@pytest.fixture(scope="module")
def program(boathouse_data, tmp_path_factory):
    import shutil

    folder = tmp_path_factory.mktemp("largest") / "data"
    shutil.copytree(boathouse_data, folder)
    running = Asked(folder, "--fast")
    running.ask("GET", "state")
    yield running
    running.end()


def test_what_was_saved_with_its_takes_comes_back(program):
    connection = http.client.HTTPConnection(urlsplit(program.url).netloc, timeout=300)
    connection.request(
        "GET", "/api/calibration/zip", headers={"Authorization": f"Bearer {program.token}"}
    )
    whole = connection.getresponse().read()
    assert len(whole) > limits.SMALL.largest
    shown = program.ask("POST", "brought", form={"file": whole})
    assert shown["brought"]["microphone"] == "Reedling 40"
    # As large as the takes of the widest rig would make it: what lies beside is not looked at.
    padded = whole[:-22] + whole[-22:-2] + (60_000).to_bytes(2, "little") + b"x" * 60_000
    assert program.ask("POST", "brought", form={"file": padded})["brought"]["comes"]
    program.ask("DELETE", "brought")


def test_the_largest_calibration_is_looked_at(program):
    whole = program.ask("GET", "calibration")
    whole["preferences"] = {
        "target": {"kind": "imported", "name": "x", "rows": [[k + 1.0, 0.5] for k in range(4000)]}
    }
    text = json.dumps(whole).encode()
    # Blanks are no numbers: as many as fit.
    text += b" " * (LARGEST_TEXT - len(text))
    assert program.ask("POST", "brought", form={"file": text})["brought"]["comes"]
    program.ask("DELETE", "brought")


def test_the_longest_impulse_and_the_longest_clip_are_taken_in(program):
    impulse = np.zeros(20 * 192_000)
    impulse[0], impulse[150] = 0.6, 0.2
    shown = program.ask("POST", "brought/equalizer", form={"file": flac(impulse, 192_000)})
    assert any(stage["key"] == "equalizer-2" for stage in shown["stages"])
    program.ask("POST", "undo")
    shown = program.ask(
        "POST", "clips", form={"file": flac(np.column_stack([noise(0.05, 60.0)] * 2), RATE)}
    )
    assert shown["clips"][-1]["fault"] is None


def test_the_largest_response_and_target_are_taken_in(program):
    rows = "\n".join(f"{20 + k * 0.9:.4f}\t{0.1 * (k % 7):.3f}" for k in range(20_000))
    text = rows.encode()
    text += b"\n" * (4_000_000 - len(text))
    assert len(text) == 4_000_000
    assert program.ask("POST", "response", form={"file": text})["rig"]
    assert program.ask("POST", "targets", form={"file": text})["targets"]


def test_a_piece_of_a_second_of_the_widest_microphone_is_taken_in(program):
    rig = {"purpose": "rest", "rate_hz": 192_000, "seconds": 3}
    take = program.ask("POST", "takes/browser", rig)["take_id"]
    piece = np.zeros(192_000, dtype="<f4").tobytes()
    assert program.ask("POST", f"takes/browser/{take}/0", raw=piece)["ok"]


@pytest.mark.parametrize("path, limit", FILES.items())
def test_a_byte_more_is_refused_before_it_is_read(path, limit):
    access = Access("t" * 32, 1)
    for size, refused in ((limit.largest, False), (limit.largest + 1, True)):
        parser = _bounded(access).parser_class(Adjustments())
        head = (
            f"POST /api{path} HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {'t' * 32}\r\n"
            f"Content-Length: {size}\r\n\r\n"
        )
        parser.received(head.encode())
        assert (parser.error is not None) == refused
        assert parser.too_large == limit.sentence
