"""The services, over takes that are as long as they must be to be known, and no longer."""

import pytest

from obsidian_wren.service import taking

ENOUGH_S = {"rest": 8.0, "in-use": 12.0, "talk": 18.0, "loud": 8.0, "soft": 12.0, "passage": 26.0, "reference": 26.0}


@pytest.fixture(autouse=True)
def short_takes(monkeypatch):
    """Takes of usual purposes last as long as :data:`ENOUGH_S` says, unless a test asks for another length."""
    for purpose, seconds in ENOUGH_S.items():
        monkeypatch.setitem(taking.DEFAULT_SECONDS, purpose, seconds)
