"""What stands for a listener in this computer's own system: an input that any program can pick,
headphones that are played to, and what is heard of them and of what plays."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.channels import mono, wide
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import (
    FEED_HZ,
    NoSoundServer,
    Output,
    SystemFeed,
    SystemSound,
)
from obsidian_wren.ports.world import ProgramSettings, SourceGone
from obsidian_wren.voice.taps import Tap

_KEPT_S = 20.0
# As many blocks as are kept have a time.
_TIMES = 2000
_PATIENCE_S, _MAY_WAIT_S = 5.0, 1.0
# Nobody wrote for so long: nothing is live, so the output is let go.
_IDLE_S, _LOOK_S = 2.0, 0.2
_GOES_ON_S = 0.5
# A server may open an output and never join it to the device: it asks for nothing.
_ASKS_WITHIN_S = 3.0
# What waits at an output while its clock and ours ask at different instants.
_CUSHION_S = 0.02


class SourceProbe:
    """Hears a feed where any program would, and the return; only while it is asked to."""

    rate_hz = FEED_HZ

    def __init__(
        self, system: SystemSound, name: Callable[[], str | None], back: Callable[[], str | None]
    ) -> None:
        self._system, self._name, self._back = system, name, back
        self._taps: list[Tap] = []
        self._heard, self._returned = _ring(), _ring()
        self._times: deque[tuple[int, float]] = deque(maxlen=_TIMES)

    def begin(self) -> None:
        """Hear from now on. Raises SourceGone where there is nothing to hear."""
        self.end()
        self._heard, self._returned = _ring(), _ring()
        self._times.clear()
        self._taps = [self._tap(self._name, self._came)]
        if self._back() is not None:
            self._taps.append(self._tap(self._back, lambda block: self._returned.push(mono(block))))
        if not self._taps[0].hearing.wait(_PATIENCE_S):
            self.end()
            raise SourceGone(_("The input cannot be heard. Stop live and start it again."))

    @property
    def gaps(self) -> int:
        """How often something of it was lost on its way here, since it began."""
        return sum(tap.gaps for tap in self._taps)

    def _tap(self, name: Callable[[], str | None], came: Callable[[Samples], None]) -> Tap:
        # Nobody hears this: it may come late, and must be whole.
        return Tap(self._system, name, came, patience_s=_MAY_WAIT_S)

    def _came(self, block: Samples) -> None:
        self._heard.push(mono(block))
        self._times.append((self._heard.position, time.monotonic()))

    def arrived_s(self, position: int) -> float | None:
        """When the sample of a position was here."""
        return next((at for end, at in list(self._times) if end > position), None)

    @property
    def hears(self) -> bool:
        """Whether it is asked to hear now."""
        return bool(self._taps)

    def end(self) -> None:
        """Let go of the input."""
        for tap in self._taps:
            tap.end()
        self._taps = []

    @property
    def position(self) -> int:
        """Samples heard since it began."""
        return self._heard.position

    def heard_since(self, position: int) -> Samples:
        """What was heard from a position on."""
        return self._heard.since(position)

    @property
    def returned_position(self) -> int:
        """Samples given back since it began."""
        return self._returned.position

    def returned_since(self, position: int) -> Samples:
        """What was given back from a position on."""
        return self._returned.since(position)


class NamedInput:
    """An input of the system in the place of a program: whatever picks it hears what is written."""

    takes_hz = FEED_HZ
    by_its_clock = False
    listens = True

    def __init__(
        self,
        system: SystemSound,
        key: str,
        kind: str,
        name: str,
        *,
        feed: Callable[[], SystemFeed | None],
        wrote: Callable[[], None],
        back: Callable[[], str | None],
    ) -> None:
        self.kind, self.name = kind, name
        self.picks: str | None = None
        self.settings = ProgramSettings()
        self.gaps = 0
        self._feed, self._wrote, self._back = feed, wrote, back
        self._system = system
        self.probe = SourceProbe(system, lambda: system.input_name(key), back)

    @property
    def returns(self) -> ProgramReturn | None:
        """What a program plays, where one was chosen."""
        return None if self._back() is None else ProgramReturn(self._system, self.name, self._back)

    @property
    def delay_s(self) -> float:
        """What waits in its pipe for the server, seconds."""
        feed = self._feed()
        return 0.0 if feed is None else feed.delay_s

    def set(self, settings: ProgramSettings) -> None:
        """Nothing of a real program is set from here."""

    def wants(self, elapsed_s: float) -> int:
        """It has no clock: it takes what comes."""
        return round(elapsed_s * self.takes_hz)

    def hear(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples."""
        feed = self._feed()
        if feed is not None:
            before = feed.gaps
            feed.write(block, as_it_is=self.probe.hears)
            self.gaps += feed.gaps - before
            self._wrote()


class ProgramReturn:
    """What a program plays, heard at the monitor of an output of ours."""

    rate_hz = FEED_HZ

    def __init__(self, system: SystemSound, name: str, monitor: Callable[[], str | None]) -> None:
        self.name = name
        self._lock = threading.Lock()
        self._waiting: list[Samples] = []
        self._asked_s = time.monotonic()
        self._tap: Tap | None = Tap(system, monitor, self._came)

    def _came(self, block: Samples) -> None:
        with self._lock:
            self._waiting = [*self._waiting[-50:], mono(block)]

    def play(self, elapsed_s: float) -> Samples:
        """All that came since it was asked last, by the program's clock."""
        with self._lock:
            came, self._waiting = self._waiting, []
        return np.concatenate([np.zeros(0), *came])

    def close(self) -> None:
        """Hear nothing more."""
        if self._tap is not None:
            self._tap.end()
            self._tap = None


class PlayedTo:
    """Headphones of the system: played to by their own clock while something is live; silent where
    no output is chosen. Never another output than that one."""

    by_its_clock = True
    probe = None
    returns = None
    takes_hz = FEED_HZ

    def __init__(
        self, system: SystemSound, kind: str, name: str, output: Callable[[], str | None]
    ) -> None:
        self.kind, self.name = kind, name
        self.picks: str | None = None
        self.settings = ProgramSettings()
        self.gaps = 0
        self._system, self._wanted = system, output
        self._open: Output | None = None
        self._given = self._missed = 0
        self._heard_s = 0.0
        self._worker: threading.Thread | None = None

    @property
    def listens(self) -> bool:
        """Whether an output is open."""
        return self._open is not None

    @property
    def delay_s(self) -> float:
        """What waits at the output, seconds."""
        output = self._open
        return 0.0 if output is None else output.delay_s

    def set(self, settings: ProgramSettings) -> None:
        """Nothing of an output is set from here."""

    def wants(self, elapsed_s: float) -> int:
        """What the output took since it was asked last; our own pace while there is none."""
        output = self._open
        if output is None:
            return round(elapsed_s * FEED_HZ)
        asked, self._given = output.asked - self._given, output.asked
        return asked

    def hear(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples."""
        goes_on = time.monotonic() - self._heard_s < _GOES_ON_S
        self._heard_s = time.monotonic()
        if self._worker is None or not self._worker.is_alive():
            self._worker = threading.Thread(target=self._attend, name="output", daemon=True)
            self._worker.start()
        output = self._open
        if output is not None:
            # What it lacked before we began is no gap.
            self.gaps += max(0, output.missed - self._missed) if goes_on else 0
            self._missed = output.missed
            output.write(wide(block, 2))

    def _attend(self) -> None:
        """Open it, and again when it is back or asks for nothing; let it go when nothing is live
        any more."""
        name, asked, asked_s = None, 0, 0.0
        while time.monotonic() - self._heard_s < _IDLE_S:
            wanted, output, now_s = self._wanted(), self._open, time.monotonic()
            if output is not None:
                if output.asked != asked:
                    asked, asked_s = output.asked, now_s
                if output.is_gone or wanted != name or now_s - asked_s > _ASKS_WITHIN_S:
                    self._let_go()
            if self._open is None and wanted is not None:
                try:
                    opened = self._system.open_output(wanted, rate_hz=FEED_HZ, channels=2)
                    name, self._missed = wanted, 0
                    asked, asked_s = 0, time.monotonic()
                    # Its count begins anew; whoever gives may have stopped asking meanwhile.
                    self._given = -round(_CUSHION_S * FEED_HZ)
                    self._open = opened
                except (SourceGone, NoSoundServer):
                    pass
            time.sleep(_LOOK_S)
        self._let_go()

    def _let_go(self) -> None:
        output, self._open = self._open, None
        if output is not None:
            output.close()


class ByOurClock:
    """A source of the system by our clock and at our rate: a monitor in two channels, or one
    ``channel`` of a microphone, counted from 0; its last one where it has not so many."""

    def __init__(
        self,
        system: SystemSound,
        name: Callable[[], str | None],
        rate_hz: int,
        *,
        channel: int | None = None,
    ) -> None:
        # Loaded where something plays, not where the first state is read.
        from obsidian_wren.core.mix.edge import Edge

        self._lock = threading.Lock()
        self._channel, self._channels = channel, 2 if channel is None else 1
        self._edge = Edge(from_hz=FEED_HZ, to_hz=rate_hz, channels=self._channels)
        self.rate_hz = rate_hz
        self._tap = Tap(system, name, self._came)

    @property
    def gaps(self) -> int:
        """How often sound was lost before anybody here had it."""
        return self._tap.gaps

    def _came(self, block: Samples) -> None:
        if self._channel is None:
            block = wide(block[:, :2], 2)
        else:
            block = block[:, [min(self._channel, block.shape[1] - 1)]]
        with self._lock:
            self._edge.push(block)

    def read(self, count: int) -> Samples:
        """The next ``(count, channels)`` samples; silence while nothing comes."""
        with self._lock:
            return self._edge.pull(count)

    def sample(self, seconds: float) -> Samples:
        """Nothing is known of what it will play."""
        return np.zeros((round(seconds * self.rate_hz), self._channels))

    def close(self) -> None:
        """Hear nothing more."""
        self._tap.end()


def _ring() -> Ring:
    return Ring(seconds=_KEPT_S, rate_hz=FEED_HZ)
