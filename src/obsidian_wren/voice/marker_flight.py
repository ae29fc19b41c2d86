"""A marker on its way: its codes, and what came of them at each listener."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.marker_codes import MARKER_S, MarkerCodes
from obsidian_wren.voice.loop import piece
from obsidian_wren.voice.paths import KEPT_S, Seat

# As late as anything that is still called live arrives.
_MARKER_TAIL_S = 1.2
# What is written over while it is read.
_MARGIN_S = 1.0


@dataclass(frozen=True)
class HeardMarker:
    """What one listener heard of a marker: from the instant it was sent, at its rate, and what
    came back from it; what was sent to it in the last seconds at the run's rate, beside what it
    heard, both from ``before_s`` before the marker on. ``began_s`` is when that was sent, by the
    machine's clock; ``start`` the position that the listener was at then, ``arrived_s`` when that
    sample was there, None where nothing takes time; ``lost`` how often sound was lost meanwhile."""

    rate_hz: int
    takes_hz: int
    heard: Samples
    returned: Samples
    sent_before: Samples
    heard_before: Samples
    began_s: float = 0.0
    start: int = 0
    before_s: float = 0.0
    arrived_s: float | None = None
    lost: int = 0


@dataclass
class MarkerInFlight:
    """Codes that are added to the coming blocks, and where each listener was when they began."""

    codes: MarkerCodes
    rate_hz: int
    done: Callable[[dict[str, HeardMarker]], None]
    at: int = 0
    began_s: float = 0.0
    starts: dict[str, tuple[int, int, int]] = field(default_factory=dict)

    def begin(self, seats: Sequence[Seat]) -> None:
        """Note where each listener is, once; a block may be given just then, so this belongs to the
        thread that gives it."""
        if self.at == 0:
            self.began_s = time.monotonic()
            self.starts = {
                s.key: (probe.position, probe.returned_position, s.sent.position)
                for s in seats
                if (probe := s.program.probe) is not None
            }

    def on_voice(self, raw: Samples) -> tuple[Samples, Samples]:
        """The first voice with the code on it: as it goes round the chain, and into it."""
        count = len(raw)
        return raw + piece(self.codes.raw, self.at, count), raw + piece(
            self.codes.treated, self.at, count
        )

    def on_returns(self, signals: dict[str, Samples], count: int) -> None:
        """Put a code on the return from each listener, as if its far side had sent it."""
        for key, code in self.codes.returns.items():
            name = f"return-{key}"
            if name in signals:
                signals[name] = signals[name] + piece(code, self.at, count)

    def on_mixes(self, mixed: dict[str, Samples], count: int) -> None:
        """Put each feed's code on its mix, and go on."""
        for key, code in self.codes.feeds.items():
            if key in mixed:
                mixed[key] = mixed[key] + piece(code, self.at, count)[:, None]
        self.at += count

    @property
    def over(self) -> bool:
        """Whether whatever is still called live has arrived by now."""
        return self.at >= round((MARKER_S + _MARKER_TAIL_S) * self.rate_hz)

    def heard_by(self, seats: Sequence[Seat]) -> dict[str, HeardMarker]:
        """What each listener heard since it began, by key."""
        found = {}
        for seat in seats:
            probe = seat.program.probe
            if probe is None or seat.key not in self.starts:
                continue
            heard, returned, sent = self.starts[seat.key]
            takes_hz = seat.program.takes_hz
            since_s = (seat.sent.position - sent) / self.rate_hz
            # One that began to hear for this marker has not heard all that was sent.
            before_s = max(
                0.0,
                min(KEPT_S - since_s - _MARGIN_S, sent / self.rate_hz, heard / takes_hz),
            )
            found[seat.key] = HeardMarker(
                probe.rate_hz,
                takes_hz,
                probe.heard_since(heard),
                probe.returned_since(returned),
                seat.sent.since(sent - round(before_s * self.rate_hz)),
                probe.heard_since(heard - round(before_s * takes_hz)),
                self.began_s,
                heard,
                before_s,
            )
        return found
