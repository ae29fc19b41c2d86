"""The list of what waits for ``make test-wide`` names tests that are there, each once."""

import re
from pathlib import Path

from wide import listed

HERE = Path(__file__).parent


def is_there(test):
    path, _, name = test.partition("::")
    return re.search(rf"^def {name}\(", (HERE / path).read_text(), re.MULTILINE) is not None


def test_what_is_listed_is_there_and_once():
    tests = [test for test, _ in listed()]
    assert [test for test in tests if not is_there(test)] == []
    assert len(tests) == len(set(tests))
