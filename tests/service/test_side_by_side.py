"""What comes next is made in a thread of its own."""

import threading
from functools import partial

import pytest

from obsidian_wren.service.side_by_side import at_once, beside


def test_what_comes_next_is_made_while_the_last_is_worked_with():
    made = threading.Event()

    def give():
        yield 1
        made.set()
        yield 2

    found = beside(give())
    assert next(found) == 1
    assert made.wait(30.0)
    assert [*found] == [2]


def test_what_goes_wrong_in_the_making_is_raised_where_it_is_asked_for():
    def give():
        yield 1
        raise ValueError("no more")

    found = beside(give())
    assert next(found) == 1
    with pytest.raises(ValueError, match="no more"):
        next(found)


def test_who_goes_no_further_ends_the_making():
    ended = threading.Event()

    def give():
        try:
            yield from range(10**9)
        finally:
            ended.set()

    before = threading.active_count()
    found = beside(beside(give()))
    assert next(found) == 0
    found.close()
    assert ended.is_set()
    assert threading.active_count() == before


def test_steps_are_done_at_once_and_all_before_it_comes_back():
    met, done = threading.Barrier(2, timeout=30.0), []

    def step(number):
        # Neither goes on before the other is here.
        met.wait()
        done.append(number)

    with at_once() as together:
        together([partial(step, 1), partial(step, 2)])
        assert sorted(done) == [1, 2]
        together([partial(done.append, 3)])
    assert done[-1] == 3


@pytest.mark.parametrize("wrong", [0, 1])
def test_what_goes_wrong_in_a_step_is_raised_when_the_others_are_done(wrong):
    done = threading.Event()
    steps = [done.set, done.set]
    steps[wrong] = partial(int, "no number")
    with at_once() as together, pytest.raises(ValueError, match="no number"):
        together(steps)
    assert done.is_set()
