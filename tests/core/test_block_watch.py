"""How the size of a block follows the gaps that come while it runs."""

from obsidian_wren.core.mix.block import BlockWatch


def seen(watch, gaps_at, until_s):
    """The changes of size, by the second; ``gaps_at`` are the seconds at which one is counted."""
    gaps, changes, before = 0, {}, watch.block_ms
    for second in range(until_s):
        gaps += gaps_at.count(second)
        after = watch.see(gaps, float(second))
        if after != before:
            changes[second], before = after, after
    return changes


def test_one_gap_now_and_then_changes_nothing():
    assert seen(BlockWatch(10.0), [5, 20, 35, 50, 65], 100) == {}


def test_two_gaps_soon_after_each_other_make_it_larger_and_a_calm_minute_smaller_again():
    assert seen(BlockWatch(10.0), [5, 9], 100) == {9: 20.0, 69: 10.0}
    assert seen(BlockWatch(10.0), [5, 9, 12, 13], 200) == {9: 20.0, 13: 40.0, 73: 20.0, 193: 10.0}


def test_a_busy_start_that_chose_the_largest_is_left_by_itself():
    assert seen(BlockWatch(40.0), [], 400) == {60: 20.0, 180: 10.0}


def test_a_size_that_fails_again_is_tried_less_often():
    changes = seen(BlockWatch(10.0), [1, 2, 65, 66, 190, 191, 440, 441], 1000)
    assert changes == {
        2: 20.0,
        62: 10.0,
        66: 20.0,
        186: 10.0,
        191: 20.0,
        431: 10.0,
        441: 20.0,
        921: 10.0,
    }


def test_none_is_larger_than_the_largest():
    assert seen(BlockWatch(40.0), [1, 2, 3, 4], 10) == {}
