"""What several tests of the core begin with."""

import pytest

from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, room


@pytest.fixture(scope="session")
def quiet():
    """The usual room at rest."""
    return read_quiet(room(), rate_hz=RATE)
