"""The sequence of a chain: the keys of its stages, in the order in which the voice passes them.

Source: practice: clean first, then tone, then dynamics, the limiter last.
"""

from __future__ import annotations

from collections.abc import Iterable

from obsidian_wren.core.chain.kinds import INSTANCES, KINDS, kind_of
from obsidian_wren.core.wording import within

_MOST_OF_A_KIND = 9


def default_sequence() -> tuple[str, ...]:
    """One stage of every kind, and what stands beside them, in the order in which they work
    best."""
    found = list(KINDS)
    for key, (before, _) in INSTANCES.items():
        found.insert(found.index(before) + 1, key)
    return tuple(found)


def title_of(key: str) -> str:
    """What a stage is called: further ones of a kind carry their number."""
    number = key.partition("-")[2] if is_further(key) else ""
    return f"{kind_of(key).title} {number}" if number else kind_of(key).title


def with_stage(key: str, setting: str) -> str:
    """A setting's title with its stage's, each word once; no unit."""
    stage = title_of(key)
    return setting if stage.lower() in setting.lower() else f"{stage}: {within(setting)}"


def is_further(key: str) -> bool:
    """Whether a stage was added by a person beside the first of its kind."""
    return "-" in key and key not in INSTANCES


def next_key(kind: str, sequence: Iterable[str]) -> str | None:
    """The key of a further stage of a kind; None where there can be no more."""
    taken = set(sequence)
    if kind not in KINDS or not KINDS[kind].repeats:
        return None
    free = (f"{kind}-{number}" for number in range(2, _MOST_OF_A_KIND + 1))
    return next((key for key in free if key not in taken), None)


def completed(sequence: Iterable[str]) -> tuple[str, ...]:
    """A person's sequence with what this version knows beside it, each in its default place, and
    without what it does not know."""
    found = [key for key in dict.fromkeys(sequence) if key.partition("-")[0] in KINDS]
    default = list(default_sequence())
    for place, key in enumerate(default):
        if key not in found:
            before = [found.index(other) for other in default[:place] if other in found]
            found.insert(max(before) + 1 if before else 0, key)
    return tuple(found)


def numbered(kinds: Iterable[str]) -> tuple[str, ...]:
    """Keys for stages of which only the kinds are known, as in a calibration file."""
    seen: dict[str, int] = {}
    keys = []
    for kind in kinds:
        seen[kind] = seen.get(kind, 0) + 1
        keys.append(kind if seen[kind] == 1 else f"{kind}-{seen[kind]}")
    return tuple(keys)
