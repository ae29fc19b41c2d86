"""The services, over takes that are as long as they must be to be known, and no longer."""

import pytest

from obsidian_wren.service.takes import beginning
from short import ENOUGH_S


@pytest.fixture(autouse=True)
def short_takes(monkeypatch):
    """Takes of usual purposes last as long as they must, unless a test asks for another length."""
    for purpose, seconds in ENOUGH_S.items():
        monkeypatch.setitem(beginning.DEFAULT_SECONDS, purpose, seconds)
