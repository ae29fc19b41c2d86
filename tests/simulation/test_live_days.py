"""A watch beside a live voice, on days of simulated rigs that something secret happens to."""

import pytest

from live_days import day, is_right, noticed, on_day


@pytest.mark.parametrize(
    ("seed", "kind"), [(6011, "fan"), (6002, "gain"), (5028, "distance"), (6004, "hum")]
)
def test_what_happens_is_named_within_a_minute_of_talk(seed, kind):
    each = day(seed, kind, before_s=48.0)
    each.before = each.before * 4
    told = on_day(each)
    assert is_right(kind, told), told
    assert told[0][1] <= 60.0
    # Once.
    assert [code for code, _ in told].count(told[0][0]) == 1


def test_another_reading_on_another_day_is_nothing():
    each = day(6005, None)
    assert on_day(each) == []
    assert noticed(each.then, each.after, each.distance_m) == []
