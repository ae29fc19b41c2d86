"""A rule's answer and a person's pin."""

import math

from obsidian_wren.core.derive.setting import resolve


def test_a_pin_counts_and_what_was_derived_stays_beside_it():
    held = resolve(3.14, "dB", "why", 2.0)
    assert (held.value, held.derived, held.pinned) == (2.0, 3.1, True)
    free = resolve(3.14, "dB", "why", None)
    assert (free.value, free.derived, free.pinned) == (3.1, 3.1, False)


def test_a_zero_has_no_sign():
    assert math.copysign(1.0, resolve(-0.003, "dB", "why", None).value) == 1.0
