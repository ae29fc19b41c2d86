"""Who hears what, as a graph: a listener never gets its own sound back, and never one voice by two
ways.

Sources are heard by destinations (a *send*). A destination may give sound back: a call plays into
its return, a program may play into the computer's own sound, a loudspeaker reaches the microphones.
Sound that can come round to where it was sent is a loop, and mix-minus is the rule that there is
none. One voice that reaches a listener twice, once later than the other, sounds hollow: the two
cancel at some frequencies (comb filtering).

Source: depth-first search for loops and for second ways.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal

from obsidian_wren.core.wording import _

SourceKind = Literal["voice", "person", "second", "computer", "music", "clips", "return"]
DestinationKind = Literal[
    "call", "game chat", "stream", "recorder", "headphones", "second computer"
]
Tap = Literal["treated", "raw"]


@dataclass(frozen=True)
class Source:
    """Something that can be heard. ``of`` names the destination that a return comes back from."""

    key: str
    name: str
    kind: SourceKind
    of: str | None = None


@dataclass(frozen=True)
class Destination:
    """A listener.

    ``plays_into``: sources in which what it plays is heard. ``passes_on``: what it plays holds what
    it hears for sure, as with a loudspeaker or a second computer; a call only may, when it lets
    people hear themselves.
    """

    key: str
    name: str
    kind: DestinationKind
    plays_into: frozenset[str] = frozenset()
    passes_on: bool = False


@dataclass(frozen=True)
class Send:
    """A source goes to a destination. Voices go treated or raw; the rest has one form."""

    source: str
    destination: str
    tap: Tap = "treated"


@dataclass(frozen=True)
class Routing:
    """All that goes where."""

    sources: Mapping[str, Source]
    destinations: Mapping[str, Destination]
    sends: frozenset[Send] = field(default_factory=frozenset)

    def to(self, destination: str) -> tuple[Send, ...]:
        """What goes to one listener, in a fixed order."""
        return tuple(
            sorted(
                (s for s in self.sends if s.destination == destination),
                key=lambda s: (s.source, s.tap),
            )
        )


class RouteRefused(ValueError):
    """A send that would make a loop or a double; ``path`` names what the sound would go through,
    in order."""

    def __init__(self, sentence: str, path: Sequence[str]) -> None:
        super().__init__(sentence)
        self.path = tuple(path)


@dataclass(frozen=True)
class Double:
    """One source reaches a listener by two ways, each named from the source to the listener."""

    destination: str
    first: tuple[str, ...]
    second: tuple[str, ...]


def find_loop(routing: Routing) -> tuple[str, ...] | None:
    """The keys round which sound can come back to where it was sent, beginning and ending with
    one destination; None without a loop."""
    for start in sorted(routing.destinations):
        for path in _ways(routing, start, sure=False, most=1):
            if path[-1] == start:
                return path
    return None


def find_doubles(routing: Routing) -> tuple[Double, ...]:
    """Every listener whom a source reaches by two ways at once, in a routing without loops:
    where there is one, look for it first."""
    found = []
    for source in sorted(routing.sources):
        ways: dict[str, list[tuple[str, ...]]] = {}
        for path in _ways(routing, source, sure=True, most=2):
            if path[-1] in routing.destinations:
                ways.setdefault(path[-1], []).append(path)
        for destination, paths in ways.items():
            taps = [s for s in routing.to(destination) if s.source == source]
            if len(taps) > 1:
                found.append(
                    Double(
                        destination,
                        (f"{source} treated", destination),
                        (f"{source} raw", destination),
                    )
                )
            elif len(paths) > 1:
                found.append(Double(destination, paths[0], paths[1]))
    return tuple(found)


def admit(routing: Routing, send: Send) -> Routing:
    """The routing with one more send.

    Raises RouteRefused, with the way named, where it would make a loop or a double.
    """
    _known(routing, send)
    source, listener = routing.sources[send.source], routing.destinations[send.destination]
    wanted = replace(routing, sends=routing.sends | {send})
    if source.of == send.destination:
        raise RouteRefused(
            _(
                "{name} would hear itself: a listener never gets its own return.",
                name=listener.name,
            ),
            (send.destination, send.source),
        )
    loop = find_loop(wanted)
    if loop is not None:
        names = named(wanted, loop)
        raise RouteRefused(
            _(
                "That would be a loop: {names}. Keep {name} out of {name_2}, or break the loop"
                " elsewhere.",
                names=" → ".join(names),
                name=source.name,
                name_2=listener.name,
            ),
            names,
        )
    before = find_doubles(routing)
    for double in find_doubles(wanted):
        if double not in before:
            first, second = named(wanted, double.first), named(wanted, double.second)
            raise RouteRefused(
                _(
                    "{name} would hear one sound twice: {first}, and {second}. Together they"
                    " sound hollow; keep one of them out.",
                    name=wanted.destinations[double.destination].name,
                    first=" → ".join(first),
                    second=" → ".join(second),
                ),
                second,
            )
    return wanted


def withdraw(routing: Routing, send: Send) -> Routing:
    """The routing without a send."""
    return replace(routing, sends=routing.sends - {send})


def without_faults(routing: Routing) -> tuple[Routing, tuple[Send, ...]]:
    """The routing with as few sends withdrawn as make it sound, the latest in order first, and
    those that were withdrawn.

    What comes from outside (a program that changed where it plays) cannot be refused; the mixes are
    cut instead.
    """
    return _without_faults(
        tuple(routing.sources.values()), tuple(routing.destinations.values()), routing.sends
    )


@lru_cache(maxsize=64)
def _without_faults(
    sources: tuple[Source, ...], destinations: tuple[Destination, ...], sends: frozenset[Send]
) -> tuple[Routing, tuple[Send, ...]]:
    kept = Routing(
        {source.key: source for source in sources},
        {listener.key: listener for listener in destinations},
    )
    cut = []
    # Voices first: where two ways clash, the straight one stays.
    for send in sorted(
        sends,
        key=lambda s: (kept.sources[s.source].kind != "voice", s.source, s.destination, s.tap),
    ):
        try:
            kept = admit(kept, send)
        except RouteRefused:
            cut.append(send)
    return kept, tuple(cut)


def named(routing: Routing, path: Sequence[str]) -> tuple[str, ...]:
    """A way in the names that people gave."""
    names: dict[str, str] = {key: source.name for key, source in routing.sources.items()}
    names |= {key: listener.name for key, listener in routing.destinations.items()}
    for key, source in routing.sources.items():
        names |= {f"{key} treated": f"{source.name}, treated", f"{key} raw": f"{source.name}, raw"}
    return tuple(names[key] for key in path)


def _known(routing: Routing, send: Send) -> None:
    if send.source not in routing.sources or send.destination not in routing.destinations:
        raise KeyError(
            f"There is no way from {send.source} to {send.destination}: one of them is not there."
        )


def _next(routing: Routing, key: str, *, sure: bool) -> Iterator[str]:
    if key in routing.destinations:
        listener = routing.destinations[key]
        if listener.passes_on or not sure:
            yield from sorted(source for source in listener.plays_into if source in routing.sources)
    else:
        yield from sorted({s.destination for s in routing.sends if s.source == key})


def _ways(routing: Routing, start: str, *, sure: bool, most: int) -> Iterator[tuple[str, ...]]:
    """Ways on from ``start``, shorter ones first, at most so many to each place: enough to tell
    none, one and several apart."""
    reached: dict[str, int] = {}
    waiting: deque[tuple[str, ...]] = deque([(start,)])
    while waiting:
        path = waiting.popleft()
        if len(path) > 1:
            if reached.get(path[-1], 0) >= most:
                continue
            reached[path[-1]] = reached.get(path[-1], 0) + 1
            yield path
            if path[-1] == start:
                continue
        waiting.extend(
            (*path, key)
            for key in _next(routing, path[-1], sure=sure)
            if key == start or key not in path
        )
