"""The recorder: files that are whole whatever happens, tracks in step, splits without a gap."""

import os
import random
import shutil
import signal
import struct
import time

import numpy as np
import pytest
import soundfile

from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.recording import library
from obsidian_wren.service.recording.tracks import bytes_per_s
from obsidian_wren.service.undo.put_back import undo
from obsidian_wren.store.models import Recording
from obsidian_wren.voice.recorder import Recorder
from obsidian_wren.voice.records import BeginRecording, RecordedTrack
from obsidian_wren.voice.track_files import open_track
from shown import shows
from signals import RATE, noise, voice

FORMATS = ("flac", "wav")
# Every sample says where it stands, in 24 bit.
RAMP = (np.arange(400_000) % 60_000 - 30_000) / 2.0**23


@pytest.mark.parametrize("file_format", FORMATS)
def test_a_file_is_whole_at_any_instant(tmp_path, file_format):
    track = open_track(
        tmp_path / f"t.{file_format}", rate_hz=RATE, channels=1, file_format=file_format
    )
    rng = random.Random(5)
    at = 0
    for number in range(120):
        count = rng.choice((1, 97, 480, 4096, 5000))
        track.write(RAMP[at : at + count, None])
        at += count
        if number % 10 == 9 and track.safe_frames:
            shutil.copy(track.path, tmp_path / f"copy.{file_format}")
            found, rate = soundfile.read(tmp_path / f"copy.{file_format}")
            assert rate == RATE
            assert len(found) >= track.safe_frames > track.frames - RATE
            assert np.array_equal(found[: track.safe_frames], RAMP[: track.safe_frames])
    track.close()
    assert np.array_equal(soundfile.read(track.path)[0], RAMP[:at])


@pytest.mark.parametrize("file_format", FORMATS)
def test_killed_at_fifty_random_instants_nothing_that_was_acknowledged_is_lost(
    tmp_path, file_format
):
    rng = random.Random(11)
    for number in range(25):
        path = tmp_path / f"{number}.{file_format}"
        reading, writing = os.pipe()
        child = os.fork()
        if child == 0:
            try:
                track = open_track(path, rate_hz=RATE, channels=1, file_format=file_format)
                for at in range(0, len(RAMP), 480):
                    track.write(RAMP[at : at + 480, None])
                    os.write(writing, struct.pack("<I", track.safe_frames))
            finally:
                os._exit(0)
        os.close(writing)
        # At an instant between two of its acknowledgements, from before the first to long after.
        awaited = 4 * rng.randrange(len(RAMP) // 480)
        told = b""
        while len(told) < awaited and (part := os.read(reading, 65536)):
            told += part
        time.sleep(0.001 * rng.random())
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        while part := os.read(reading, 65536):
            told += part
        os.close(reading)
        assert len(told) >= awaited
        acknowledged = (
            struct.unpack("<I", told[len(told) // 4 * 4 - 4 : len(told) // 4 * 4])[0]
            if len(told) >= 4
            else 0
        )
        # All but the last second is safe.
        assert acknowledged >= 480 * (awaited // 4) - RATE
        if acknowledged:
            found, _ = soundfile.read(path)
            assert len(found) >= acknowledged
            assert np.array_equal(found[:acknowledged], RAMP[:acknowledged])


def record(folder, sound, *, tracks, minutes=None, megabytes=None, block=480, file_format="flac"):
    """Record sound; gives the files that were told whole, in order, and the troubles."""
    news = []
    asked = BeginRecording(
        "abc",
        "Walk",
        str(folder),
        "2026-11-25 12-00-00 Walk",
        tracks,
        file_format,
        minutes,
        megabytes,
    )
    recorder = Recorder(asked, rate_hz=RATE, tell=lambda kind, body: news.append((kind, body)))
    for first in range(0, len(sound), block):
        piece = sound[first : first + block]
        recorder.tap(
            {"voice raw": piece, "voice treated": 2.0 * piece},
            {"recorder": np.column_stack([piece, -piece])},
        )
    recorder.stop()
    assert news[-1][0] == "recording ended"
    begun = [body["part"] for kind, body in news if kind == "recording part"]
    parts = [body for kind, body in news if kind == "recorded file"]
    names = [asked.file_name(track, part) for part in begun for track in tracks]
    assert sorted(part["file"] for part in parts) == sorted(names)
    return parts, [body["sentence"] for kind, body in news if kind == "recording trouble"]


VOICE = RecordedTrack("voice treated", "treated voice", "voice treated", 1)
RAW = RecordedTrack("voice raw", "raw voice", "voice raw", 1)
MIX = RecordedTrack("mix", "mix", "mix recorder", 2)


@pytest.mark.parametrize("file_format", FORMATS)
def test_tracks_run_in_step_and_splits_leave_no_gap(tmp_path, file_format):
    sound = RAMP[:200_000]
    parts, troubles = record(
        tmp_path,
        sound,
        tracks=(RAW, VOICE, MIX),
        minutes=1.0 / 60.0,
        file_format=file_format,
    )
    assert troubles == []
    by_track = {}
    for name in sorted(part["file"] for part in parts):
        track = name.removeprefix("2026-11-25 12-00-00 Walk ").rpartition(" ")[0]
        by_track.setdefault(track, []).append(soundfile.read(tmp_path / name)[0])
    assert len(by_track["voice raw"]) == 5
    assert [len(p) for p in by_track["voice raw"]] == [len(p) for p in by_track["mix"]]
    assert np.array_equal(np.concatenate(by_track["voice raw"]), sound)
    assert np.array_equal(np.concatenate(by_track["voice treated"]), 2.0 * sound)
    assert np.array_equal(np.concatenate(by_track["mix"]), np.column_stack([sound, -sound]))


def test_a_file_ends_by_size(tmp_path):
    parts, _ = record(tmp_path, noise(0.3, 12.0), tracks=(RAW,), megabytes=1.0, file_format="wav")
    assert len(parts) == 2
    first = min(part["file"] for part in parts)
    assert 1e6 <= (tmp_path / first).stat().st_size < 1.1e6


def test_every_part_says_what_it_holds(tmp_path):
    sound = noise(0.05, 4.0)
    (part,), _ = record(tmp_path, sound, tracks=(RAW,))
    assert part["frames"] == len(sound)
    assert part["lufs"] == pytest.approx(-24.5, abs=3.0)
    assert len(part["waveform"]) == 40
    assert part["file"] == "2026-11-25 12-00-00 Walk voice raw 01.flac"


def test_a_full_disk_ends_it_with_a_sentence_and_keeps_what_was_written(tmp_path, monkeypatch):
    from obsidian_wren.voice import track_files

    real, left = track_files._write_all, [600_000]

    def full(fd, data, at):
        left[0] -= len(data)
        if left[0] < 0:
            raise OSError(28, "No space left on device")
        real(fd, data, at)

    monkeypatch.setattr(track_files, "_write_all", full)
    parts, troubles = record(tmp_path, noise(0.3, 8.0), tracks=(RAW,), file_format="wav")
    assert len(troubles) == 1
    assert "disk is full" in troubles[0]
    sound, _ = soundfile.read(tmp_path / parts[0]["file"])
    assert len(sound) >= 180_000


def test_a_file_that_cannot_begin_is_refused(tmp_path):
    with pytest.raises(FolderError):
        open_track(tmp_path / "gone" / "t.flac", rate_hz=RATE, channels=1, file_format="flac")


def cut_off(app, frames=9000):
    """A recording as a kill leaves it: a file that grows, and its row."""
    asked = BeginRecording("abc", "Walk", "", "2026-11-25 12-00-00 Walk", (RAW,))
    path = app.folder.recordings / asked.file_name(RAW, 1)
    library.keep_open(app, asked, 1, RATE)
    track = open_track(path, rate_hz=RATE, channels=1, file_format="flac")
    track.write(RAMP[:frames, None])
    os.close(track._fd)
    return path


def test_what_a_kill_cut_off_is_measured_and_listed_at_the_next_start(app):
    cut_off(app)
    assert "was interrupted" in library.take_up(app)
    (shown,) = shows(app, "recordings")
    assert (shown.title, shown.track, shown.seconds) == ("Walk", "raw voice", round(8192 / RATE, 1))


def test_a_stub_without_a_sample_goes(app):
    path = cut_off(app, frames=100)
    assert library.take_up(app) is None
    assert shows(app, "recordings") == []
    assert not path.exists()


def test_recordings_are_renamed_and_deleted_and_brought_back(app):
    path = cut_off(app)
    library.take_up(app)
    (shown,) = shows(app, "recordings")
    library.rename(app, shown.id, "  Low water ")
    assert shows(app, "recordings")[0].title == "Low water"
    with pytest.raises(Refused, match="needs a name"):
        library.rename(app, shown.id, "  ")
    library.discard(app, shown.id)
    assert shows(app, "recordings") == []
    assert path.exists()
    with pytest.raises(Refused, match="no longer there"):
        library.discard(app, shown.id)
    undo(app)
    undo(app)
    assert shows(app, "recordings")[0].title == "Walk"
    library.discard(app, shown.id)
    library.purge_discarded(app)
    assert not path.exists()
    with app.sessions() as session:
        assert session.get(Recording, shown.id) is None


def test_a_track_takes_what_is_said_and_a_packed_one_no_more(tmp_path):
    talk = voice()[: 10 * RATE, None]
    sizes = {}
    for file_format in FORMATS:
        track = open_track(
            tmp_path / f"t.{file_format}", rate_hz=RATE, channels=1, file_format=file_format
        )
        track.write(talk)
        track.close()
        said = bytes_per_s([RecordedTrack("raw", "raw", "raw voice", 1)], RATE, file_format)
        sizes[file_format] = track.path.stat().st_size / (said * len(talk) / RATE)
    assert sizes["wav"] == pytest.approx(1.0, rel=0.01)
    assert 0.4 < sizes["flac"] <= 1.0
