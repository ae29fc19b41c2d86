"""Killed in the middle of every kind of work: what was acknowledged is there, and the program
starts without a finding."""

import random
import shutil

import pytest

from kills import KINDS, kill_during


@pytest.mark.parametrize("name", KINDS)
def test_what_was_acknowledged_is_there(boathouse_data, tmp_path, name):
    folder = tmp_path / "data"
    shutil.copytree(boathouse_data, folder)
    outcome = kill_during(name, folder, random.Random(name))
    assert outcome.findings == ()
    assert outcome.acknowledged >= 1
    if outcome.done is not None:
        assert outcome.acknowledged <= outcome.done <= outcome.acknowledged + 1
