"""What a program does while it rests."""

import pytest

from obsidian_wren.service import live, mixes, takes
from obsidian_wren.web import resting
from waiting import wait_until


class Left:
    """Counts what was left."""

    def __init__(self):
        self.states = []

    def keep_while_it_runs(self, read):
        self.states.append(read())


@pytest.fixture
def given(monkeypatch):
    """What was given back, each time."""
    times = []
    monkeypatch.setattr(resting, "give_back", lambda: times.append("all"))
    monkeypatch.setattr(resting, "give_back_freed", lambda: times.append("freed"))
    return times


def test_it_gives_back_and_leaves_its_state_once_after_each_change(workshop, given):
    left = Left()
    rests = resting.Resting(workshop, left, rest_s=0.02)
    rests.begin()
    for number in (1, 2, 3):
        wait_until(lambda number=number: len(given) == len(left.states) == number)
        workshop.changed()
    wait_until(lambda: len(given) == 4)
    rests.end()
    assert len(given) == len(left.states) == 4
    assert all(state.startswith("{") for state in left.states)


def test_who_never_rests_forgets_long_transforms_all_the_same(workshop, given, monkeypatch):
    forgotten = []
    monkeypatch.setattr(resting, "forget_transforms", lambda: forgotten.append(len(given)))
    monkeypatch.setattr(resting.Resting, "_works", lambda self: True)
    rests = resting.Resting(workshop, Left(), rest_s=0.02)
    rests.begin()
    wait_until(lambda: len(forgotten) >= 3)
    rests.end()
    assert given == []


@pytest.mark.parametrize(("long_rest_s", "given_back", "times"), [(1e6, 1, 1), (0.2, 2, 2)])
def test_the_material_of_mixes_goes_after_a_long_rest(
    workshop, given, long_rest_s, given_back, times
):
    materials, made = mixes.current(workshop).materials, []
    materials.get("scene", lambda: made.append("scene"))
    rests = resting.Resting(workshop, Left(), rest_s=0.02, long_rest_s=long_rest_s)
    rests.begin()
    wait_until(lambda: len(given) == given_back)
    rests.end()
    materials.get("scene", lambda: made.append("scene"))
    assert len(made) == times


def test_what_is_taken_without_a_change_is_given_back_too(workshop, given, monkeypatch):
    held = [100 << 20]
    monkeypatch.setattr(resting, "resident_bytes", lambda: held[0])
    rests = resting.Resting(workshop, Left(), rest_s=0.02)
    rests.begin()
    wait_until(lambda: len(given) == 1)
    held[0] += 8 << 20
    # It looks many times meanwhile.
    rests._ended.wait(0.3)
    assert len(given) == 1
    held[0] += 32 << 20
    wait_until(lambda: len(given) == 2)
    rests._ended.wait(0.3)
    rests.end()
    # What is really held is not given back again and again.
    assert len(given) == 2


def test_what_is_live_is_not_left_and_a_take_is_not_disturbed(workshop, given):
    left = Left()
    rests = resting.Resting(workshop, left, rest_s=0.02)
    live.current(workshop).run = "one"
    rests.begin()
    wait_until(lambda: given)
    # Reading libraries anew would hold a block up.
    assert (left.states, given) == ([], ["freed"])
    takes.current(workshop).running = "one"
    live.current(workshop).run = None
    workshop.changed()
    # It looks many times meanwhile.
    rests._ended.wait(0.3)
    assert (len(given), left.states) == (1, [])
    takes.current(workshop).running = None
    wait_until(lambda: len(given) == 2)
    assert len(left.states) == 1
    rests.end()
