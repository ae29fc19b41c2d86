"""Which cases of the slow tests wait for ``make test-wide``.

``make test`` takes one of every few cases of a test whose cases show the same thing of different
data, and leaves out tests whose way is gone by another one too. Those tests stand in ``wide.txt``,
each with the cases that every run takes, as ``1 of 3`` or ``none``.
"""

from pathlib import Path

import pytest

_LIST = Path(__file__).with_name("wide.txt")


def listed():
    """``(test, one of so many)`` in the order of the list; None where no case is left."""
    lines = (line.partition("#")[0].split() for line in _LIST.read_text().splitlines())
    return [(words[0], None if words[1] == "none" else int(words[3])) for words in lines if words]


def mark_wide(items, root):
    """Mark the cases that wait."""
    chosen, seen = dict(listed()), {}
    for item in items:
        name = item.originalname if hasattr(item, "originalname") else item.name
        test = f"{item.path.relative_to(root).as_posix()}::{name}"
        if test not in chosen:
            continue
        place = seen[test] = seen.get(test, -1) + 1
        if chosen[test] is None or place % chosen[test]:
            item.add_marker(pytest.mark.wide)
