"""The paths of a live run: voices through their chains, listeners behind their edges, what comes
back from them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import WAITING_S
from obsidian_wren.core.mix.channels import mono, wide
from obsidian_wren.core.mix.edge import Edge, Straight
from obsidian_wren.core.mix.return_plan import SAFE
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import Listener, ProgramSettings, Return, SoundStream, SourceGone

if TYPE_CHECKING:
    from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval

KEPT_S = 20.0
# Nothing before the mix is slower than this.
_SLOWEST_S = 0.15
_MOVED_EVERY = 10


class HeldBack:
    """Sound, or a gain for each sample, so many samples late; where that changes, one block fades
    over. ``before``: what it was before it began."""

    def __init__(self, delay_samples: int, rate_hz: int, *, before: float = 0.0) -> None:
        self._delay = self._wanted = delay_samples
        self._past = self._end = round(_SLOWEST_S * rate_hz)
        # Blocks one behind another; what is still asked for is moved now and then.
        self._held = np.full(_MOVED_EVERY * self._past, before)

    def change(self, delay_samples: int) -> None:
        """Be so many samples late from the next block on."""
        self._wanted = delay_samples

    def process(self, block: Samples) -> Samples:
        """The next ``(n,)`` samples, late."""
        if self._end + len(block) > len(self._held):
            held = self._held[self._end - self._past : self._end].copy()
            if self._past + len(block) > len(self._held):
                self._held = np.zeros(_MOVED_EVERY * (self._past + len(block)))
            self._held[: self._past], self._end = held, self._past
        self._held[self._end : self._end + len(block)] = block
        self._end += len(block)
        out = self._late(self._delay, len(block))
        if self._wanted != self._delay:
            fade = (np.arange(len(block)) + 1.0) / len(block)
            out = out * (1.0 - fade) + self._late(self._wanted, len(block)) * fade
            self._delay = self._wanted
        return out

    def _late(self, delay: int, count: int) -> Samples:
        end = self._end - delay
        return self._held[end - count : end].copy()


class VoicePath:
    """A voice: its source, its chain, and the raw voice held back so that both are in step;
    ``removal`` takes what a loudspeaker plays out of it before the chain. The treated voice is at
    least ``least_delay_samples`` late."""

    def __init__(
        self,
        key: str,
        stream: SoundStream,
        specs: Sequence[StageSpec],
        removal: LoudspeakerRemoval | None = None,
        *,
        least_delay_samples: int = 0,
    ) -> None:
        self.key = key
        self.stream = stream
        self.removal = removal
        missing = least_delay_samples - (0 if removal is None else removal.delay_samples)
        self.chain = VoiceChain(specs, stream.rate_hz, least_delay_samples=max(0, missing))
        self._held = HeldBack(self.delay_samples, stream.rate_hz)
        self._troubles_told = 0

    def read(self, count: int) -> Samples:
        """The next block ``(n,)`` of the source. Raises SourceGone."""
        block = self.stream.read(count)
        if block.ndim > 1:
            block = block[:, 0]
        if not len(block):
            raise SourceGone(
                _(
                    "The source sent no more sound, so the run stopped. Check the microphone,"
                    " then start it again."
                )
            )
        return block

    @property
    def delay_samples(self) -> int:
        """By how much the treated voice is later than the microphone."""
        before = 0 if self.removal is None else self.removal.delay_samples
        return before + self.chain.delay_samples

    def treat(
        self, raw: Samples, into_chain: Samples, played: Samples | None = None
    ) -> tuple[Samples, Samples]:
        """The raw block held back as long as the rest takes, and the treated one; ``played``: what
        a loudspeaker plays meanwhile, ``(n,)``."""
        if self.removal is not None and played is not None:
            into_chain = self.removal.process(into_chain, played)
        treated = self.chain.process(into_chain)
        # A chain that is gone over to may be later, from some block on.
        self._held.change(self.delay_samples)
        return self._held.process(raw), treated

    def change(self, specs: Sequence[StageSpec]) -> None:
        """Go over to other stages or settings without a gap or a click."""
        self.chain.change(specs)

    def troubles(self) -> list[str]:
        """What failed in the chain since it was asked last."""
        new = self.chain.troubles[self._troubles_told :]
        self._troubles_told += len(new)
        return [trouble.sentence for trouble in new]


@dataclass(frozen=True)
class PathDelay:
    """Where the time of one path goes, ms; ``measured_ms`` by the marker, which knows what the
    program adds."""

    chain_ms: float
    mix_ms: float
    block_ms: float
    edge_ms: float

    @property
    def total_ms(self) -> float:
        """All of it that is ours."""
        return self.block_ms + self.after_block_ms

    @property
    def after_block_ms(self) -> float:
        """What the marker sees of it: it begins with a block, so waiting for one is not in its
        time."""
        return self.chain_ms + self.mix_ms + self.edge_ms


class Seat:
    """A listener in the run: its program behind an edge, and what was sent to it last."""

    def __init__(
        self,
        key: str,
        number: int,
        program: Listener,
        *,
        own_feed: str | None,
        rate_hz: int,
        channels: int,
        waiting_s: float = WAITING_S,
    ) -> None:
        self.key = key
        self.number = number
        self.program = program
        self.own_feed = own_feed
        self.failed = False
        self.channels = channels
        self.sent = Ring(seconds=KEPT_S, rate_hz=rate_hz)
        self._rate_hz, self._waiting_s = rate_hz, waiting_s
        self.edge = self._new_edge()
        self._listened = program.listens

    def _new_edge(self) -> Edge | Straight:
        to_hz = self.program.takes_hz
        if not self.program.by_its_clock:
            return Straight(from_hz=self._rate_hz, to_hz=to_hz, channels=self.channels)
        return Edge(
            from_hz=self._rate_hz,
            to_hz=to_hz,
            channels=self.channels,
            waiting_s=self._waiting_s,
        )

    @property
    def name(self) -> str:
        """What the program is called."""
        return self.program.name

    @property
    def settings(self) -> ProgramSettings:
        """What is set in the program."""
        return self.program.settings

    @property
    def drift_ppm(self) -> float:
        """By how much its clock is slower than ours, as far as it is learned."""
        return self.edge.drift_ppm

    @property
    def waiting_s(self) -> float:
        """How long sound waits at its edge beyond a block."""
        return self.edge.waiting_s

    def hear(self, block: Samples) -> None:
        """Give the program ``(n,)`` or ``(n, 1 or 2)`` samples of what it picked; it takes what
        its clock asks for."""
        both = wide(block, self.channels)
        self.sent.push(mono(both))
        listens, before = self.program.listens, self._listened
        self._listened = listens
        if not listens:
            # Nothing would take it; it is told all the same that there is something.
            self.program.hear(both[:0])
            return
        if not before:
            # What it did not take is not heard late.
            self.edge = self._new_edge()
        self.edge.push(both)
        self.program.hear(self.edge.pull(self.program.wants(len(block) / self._rate_hz)))


class ReturnPath:
    """The return from a listener: brought to our rate and clock, treated, kept for
    measuring."""

    def __init__(
        self,
        of: str,
        program: Return,
        *,
        rate_hz: int,
        specs: Sequence[StageSpec] = SAFE,
        waiting_s: float = WAITING_S,
    ) -> None:
        self.of = of
        self.program = program
        self.failed = False
        self._rate_hz = rate_hz
        self._edge = Edge(from_hz=program.rate_hz, to_hz=rate_hz, channels=1, waiting_s=waiting_s)
        self._chain = VoiceChain(specs, rate_hz)
        self.raw = Ring(seconds=KEPT_S, rate_hz=rate_hz)

    def take(self, count: int) -> Samples:
        """The next treated ``(count,)`` samples."""
        self._edge.push(self.program.play(count / self._rate_hz)[:, None])
        raw = self._edge.pull(count)[:, 0]
        self.raw.push(raw)
        return self._chain.process(raw)

    def treat(self, specs: Sequence[StageSpec]) -> None:
        """Go over to other stages without a click."""
        self._chain.change(specs)
