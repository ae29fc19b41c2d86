"""Long sounds: the same numbers from stretches, in memory that does not grow; bombs are let off
gently."""

import json
import tracemalloc

import numpy as np
import pytest
import soundfile

from obsidian_wren.cli import main as cli
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.offline import render, rendered
from obsidian_wren.core.measure.long import STRETCH_S, read_level_long, read_talk_long
from obsidian_wren.core.measure.readings import read_level, read_talk
from obsidian_wren.formats.jsonable import reading_json
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.service.files import reading as files
from obsidian_wren.service.side_by_side import at_once
from obsidian_wren.service.takes import from_file
from shown import shows
from signals import RATE, noise, room, voice


def stretches(sound):
    step = round(STRETCH_S * RATE)
    return lambda: (sound[first : first + step] for first in range(0, len(sound), step))


@pytest.fixture(scope="module")
def talk():
    """A minute and a half of talk in a room, with a loud part."""
    said = np.concatenate([voice("talk"), voice("passage"), voice("loud")])[: 90 * RATE + 777]
    return said + room(seconds=len(said) / RATE + 1.0)[: len(said)]


def test_a_talk_reading_from_stretches_is_that_of_the_whole(talk):
    whole = read_talk(talk, rate_hz=RATE)
    long = read_talk_long(stretches(talk), rate_hz=RATE, duration_s=len(talk) / RATE)
    found = long.reading
    assert long.has_voice
    for name in ("rms_dbfs", "peak_dbfs", "active_level_dbfs", "loudness_lufs", "duration_s"):
        assert getattr(found, name) == pytest.approx(getattr(whole, name), abs=0.01), name
    for name in ("true_peak_dbtp", "a_weighted_dbfs", "loudness_range_lu"):
        assert getattr(found, name) == pytest.approx(getattr(whole, name), abs=0.1), name
    assert found.percentiles_dbfs.p50 == pytest.approx(whole.percentiles_dbfs.p50, abs=0.05)
    assert found.activity == pytest.approx(whole.activity, abs=0.005)
    assert found.pitch_hz.p50 == pytest.approx(whole.pitch_hz.p50, rel=0.02)
    assert found.voiced_s == pytest.approx(whole.voiced_s, rel=0.1)
    for here, there in zip(found.third_octaves, whole.third_octaves, strict=True):
        assert here.level_dbfs == pytest.approx(there.level_dbfs, abs=0.5)
    mine, theirs = found.voice.points_db(), whole.voice.points_db()
    assert np.sqrt(np.mean((mine - theirs)[12:80] ** 2)) < 0.5
    assert found.flat_tops == whole.flat_tops
    assert (found.soft_clipping is None) == (whole.soft_clipping is None)
    with at_once() as together:
        again = read_talk_long(
            stretches(talk), rate_hz=RATE, duration_s=len(talk) / RATE, together=together
        )
    assert reading_json(again.reading) == reading_json(found)


def test_a_level_reading_from_stretches_is_that_of_the_whole():
    sound = np.concatenate(
        [noise(0.05, 33.3), np.clip(2.0 * noise(0.4, 20.0), -0.5, 0.5), noise(0.01, 21.0)]
    )
    whole, found = read_level(sound, rate_hz=RATE), read_level_long(stretches(sound), rate_hz=RATE)
    for name in ("rms_dbfs", "peak_dbfs", "loudness_lufs", "dc_offset", "duration_s"):
        assert getattr(found, name) == pytest.approx(getattr(whole, name), abs=0.01), name
    assert found.flat_tops.level_dbfs == pytest.approx(whole.flat_tops.level_dbfs, abs=0.01)
    assert found.flat_tops.share_of_samples == pytest.approx(
        whole.flat_tops.share_of_samples, rel=0.02
    )


def test_a_chain_gives_the_same_block_by_block():
    sound = noise(0.2, 2.0)
    specs = (GainSpec(6.0), LimiterSpec(-3.0, 100.0))
    blocks = (sound[first : first + 7001] for first in range(0, len(sound), 7001))
    found = np.concatenate(list(rendered(specs, blocks, rate_hz=RATE)))
    assert np.allclose(found, render(specs, sound, rate_hz=RATE), atol=1e-9)


def long_file(path, seconds, *, channels=1, rate=RATE, sound=None):
    """A long file, written as it comes."""
    block = sound if sound is not None else np.zeros(rate * 10)
    wide = np.repeat(block[:, None], channels, axis=1)
    with soundfile.SoundFile(
        path, "w", samplerate=rate, channels=channels, format="FLAC", subtype="PCM_16"
    ) as file:
        for _ in range(round(seconds * rate / len(block))):
            file.write(wide)
    return path


def most_mb(what):
    """What a call gives, and the most memory that it held at once, MB."""
    tracemalloc.start()
    try:
        found = what()
        return found, tracemalloc.get_traced_memory()[1] / 1e6
    finally:
        tracemalloc.stop()


def test_a_quarter_of_an_hour_of_talk_is_read_in_little_memory(tmp_path):
    path = long_file(tmp_path / "talk.flac", 900.0, sound=voice()[: 20 * RATE])
    answer, most = most_mb(lambda: files.read_talk_file(path))
    assert answer.body["duration_s"] == pytest.approx(900.0, rel=0.01)
    # Held whole the samples alone would be 345 MB.
    assert most < 120.0


def test_a_bomb_of_silence_is_told_in_little_memory(tmp_path, capsys):
    path = long_file(tmp_path / "bomb.flac", 200.0, channels=8)
    # Held whole it would be 610 MB.
    assert path.stat().st_size < 500_000
    sound, most = most_mb(lambda: read_sound(path))
    assert len(sound.samples) == RATE * 200
    assert most < 200.0
    assert cli.main(["read", "talk", str(path)]) == 2
    assert "digital silence" in capsys.readouterr().err


def test_a_flac_that_does_not_say_how_long_it_is_is_read(tmp_path, capsys):
    path = tmp_path / "stream.flac"
    soundfile.write(path, noise(0.05, 5.0), RATE, format="FLAC", subtype="PCM_16")
    raw = bytearray(path.read_bytes())
    # The samples in STREAMINFO: 36 bits of zeros mean unknown.
    raw[21] &= 0xF0
    raw[22:26] = b"\0\0\0\0"
    path.write_bytes(raw)
    assert cli.main(["read", "level", str(path), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["duration_s"] == pytest.approx(5.0, abs=0.1)


def test_of_a_long_take_its_beginning_is_used_and_that_said(app, tmp_path):
    path = long_file(tmp_path / "room.flac", 400.0, sound=room(1e-3, 10.0))
    from_file.keep_file(app, "muted", path, channel=None)
    (take,) = shows(app, "takes")
    assert take.seconds == 300.0
    assert any("Only the first 5.0 min are used" in note for note in take.notes)


def test_a_clip_is_told_to_be_too_long_from_its_header(app, tmp_path):
    from obsidian_wren.service.mixes import clips

    with pytest.raises(Exception, match="the most here is 60 s"):
        clips.load_file(app, long_file(tmp_path / "clip.flac", 90.0), "clip.flac")


def test_a_render_writes_what_it_was_given_no_more_and_leaves_no_half(tmp_path, capsys):
    sound = tmp_path / "in.wav"
    soundfile.write(sound, noise(0.05, 3.3), RATE)
    calibration = tmp_path / "c.json"
    body = {
        "format": "obsidian-wren/calibration",
        "version": 1,
        "rig": {},
        "readings": {},
        "chain": [],
        "feeds": [],
    }
    calibration.write_text(json.dumps(body))
    assert (
        cli.main(
            ["render", "--calibration", str(calibration), str(sound), str(tmp_path / "out.wav")]
        )
        == 0
    )
    assert soundfile.info(tmp_path / "out.wav").frames == soundfile.info(sound).frames
    assert cli.main(["render", "--calibration", str(calibration), str(sound), str(sound)]) == 2
    assert "Name another file" in capsys.readouterr().err
    broken = tmp_path / "broken.wav"
    broken.write_bytes(sound.read_bytes()[:90_000])
    assert (
        cli.main(
            ["render", "--calibration", str(calibration), str(broken), str(tmp_path / "half.wav")]
        )
        == 2
    )
    assert not (tmp_path / "half.wav").exists()


@pytest.mark.parametrize(
    "arguments, says",
    [
        (["simulate", "SPEC", "--take", "rest", "--seconds", "nan", "o.wav"], "--seconds"),
        (
            ["simulate", "SPEC", "--take", "rest", "--seconds", "3", "--gain", "nan", "o.wav"],
            "--gain",
        ),
        (
            ["simulate", "SPEC", "--take", "rest", "--seconds", "3", "--gain", "1e308", "o.wav"],
            None,
        ),
        (["read", "level"], "required"),
        (["read", "level", "none.wav", "--channel", "two"], "--channel"),
        (["read", "level", "."], "folder"),
        (["doctor", "--data", "nowhere"], "There is no data folder"),
    ],
)
def test_every_error_of_the_command_line_is_one_sentence(
    tmp_path, capsys, monkeypatch, arguments, says
):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "SPEC").write_text("{}")
    try:
        code = cli.main(arguments)
    except SystemExit as ended:
        code = ended.code
    said = capsys.readouterr().err
    if says is None:
        # It goes as far as a preamp does.
        assert code in (0, 2)
    else:
        assert code == 2
        assert says in said
        assert said.count("\n") == 1


@pytest.mark.parametrize(
    "spec",
    [
        '{"room": {"size_m": [0.001, 3, 3]}}',
        '{"room": {"size_m": [NaN, 3, 3]}}',
        '{"interface": {"gain_db": 1e308}}',
        '{"microphone": {"response_db": [[100, Infinity]]}}',
        "[" * 100_000,
        "[]",
        '{"noises": [{"kind": "tone", "level_db_spl": NaN}]}',
    ],
)
def test_worlds_that_cannot_be_are_refused(tmp_path, capsys, spec):
    path = tmp_path / "w.json"
    path.write_text(spec)
    assert (
        cli.main(
            ["simulate", str(path), "--take", "rest", "--seconds", "1", str(tmp_path / "o.wav")]
        )
        == 2
    )
    assert capsys.readouterr().err.count("\n") == 1


@pytest.mark.parametrize("value", ["NaN", "Infinity", "-Infinity"])
def test_a_calibration_of_numbers_that_are_none_is_refused(tmp_path, capsys, value):
    sound = tmp_path / "s.wav"
    soundfile.write(sound, room(), RATE)
    file = tmp_path / "c.json"
    setting = f'{{"value": {value}, "unit": "dB", "derived": 0, "pinned": false, "because": ""}}'
    file.write_text(
        '{"format": "obsidian-wren/calibration", "version": 1, "rig": {}, "readings": {},'
        f' "feeds": [], "chain": [{{"kind": "gain", "settings": {{"gain_db": {setting}}}}}]}}'
    )
    assert (
        cli.main(["render", "--calibration", str(file), str(sound), str(tmp_path / "o.wav")]) == 2
    )
    assert capsys.readouterr().err.count("\n") == 1


def test_a_third_column_of_no_number_is_named(tmp_path):
    from obsidian_wren.formats.response import read_rows

    path = tmp_path / "r.txt"
    path.write_text("20 1 0\n200 0 nan\n2000 0 10\n")
    with pytest.raises(Exception, match="line 2"):
        read_rows(path)
