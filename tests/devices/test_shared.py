"""Sound in memory that two processes have."""

import subprocess
import sys

import numpy as np
import pytest

from obsidian_wren.voice.shared import SharedTracks, TracksReader


@pytest.fixture
def tracks(tmp_path):
    found = SharedTracks(2, 800, tmp_path)
    yield found
    found.close()


def numbered(first, count):
    """What the two tracks hold from a sample on: its number, and a thousand more."""
    at = np.arange(first, first + count, dtype=float)
    return np.column_stack([at, at + 1000.0])


def test_blocks_of_any_length_are_read_as_they_were_written(tracks):
    reader = TracksReader(tracks.place, 2, 800)
    assert reader.read(100).shape == (0, 2)
    written = read = 0
    for length in (1, 480, 7, 300, 480, 479):
        tracks.push(numbered(written, length))
        written += length
        while len(found := reader.read(113)):
            assert np.array_equal(found, numbered(read, len(found)))
            read += len(found)
    assert (read, reader.lost) == (written, 0)
    reader.close()


def test_who_reads_too_late_goes_on_with_what_is_there_and_counts_it(tracks):
    reader = TracksReader(tracks.place, 2, 800)
    for first in range(0, 2000, 100):
        tracks.push(numbered(first, 100))
    found = reader.read(10_000)
    assert np.array_equal(found, numbered(1300, 700))
    assert reader.lost == 1
    reader.close()


def test_another_process_reads_it_and_can_change_nothing(tracks):
    tracks.push(numbered(0, 480))
    code = (
        "import sys; from obsidian_wren.voice.shared import TracksReader;"
        "r = TracksReader(sys.argv[1], 2, 800); r.at = 0; print(*r.read(3)[:, 1]);"
        "r._memory[0:1] = b'x'"
    )
    ran = subprocess.run(
        [sys.executable, "-P", "-c", code, tracks.place],
        capture_output=True,
        text=True,
        check=False,
    )
    assert ran.stdout.split() == ["1000.0", "1001.0", "1002.0"]
    assert "TypeError" in ran.stderr
    assert ran.returncode == 1


def test_it_is_gone_with_who_wrote_it(tracks, tmp_path):
    gone = SharedTracks(1, 100, tmp_path)
    gone.close()
    with pytest.raises(OSError):
        TracksReader(gone.place, 1, 100)
    assert list(tmp_path.iterdir()) == []
