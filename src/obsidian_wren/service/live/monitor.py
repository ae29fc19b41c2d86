"""The live voice in headphones: raw and treated side by side, so that the page can go from one
to the other without a gap."""

from __future__ import annotations

import queue
import struct
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress

import numpy as np

from obsidian_wren.core.chain.left_out import without
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.monitor import Monitor
from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.voice import records

_CHUNK_S = 0.04
# Headphones that cannot follow lose the oldest sound, so that they never lag for good.
_MOST_WAITING = 60
_PATIENCE_S = 5.0
_RAW = records.Track("voice as heard")


def watch_meter(app: AppContext) -> None:
    """Let pages see how loud the treated voice is."""
    run = live.current(app).running
    if run is not None:
        run.meter(app.bus.tell, lambda: app.bus.watched)


class LiveMonitor:
    """One pair of headphones.

    The run or the watch puts blocks in; :meth:`chunks` gives them compared.

    What runs them only queues a block, whatever the headphones do.
    """

    def __init__(self, whole: Mapping[str, StageSpec], off: Sequence[str], rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._whole = dict(whole)
        self._off = tuple(off)
        self._heard_through = self._wanted
        self._monitor = Monitor(self._heard_through, rate_hz=rate_hz)
        self._waiting: queue.Queue[Samples | None] = queue.Queue(_MOST_WAITING)

    @property
    def _wanted(self) -> tuple[StageSpec, ...]:
        return without(self._whole, self._off)

    def hear(self, block: Samples) -> None:
        """The next ``(n,)`` raw samples."""
        self._put(block)

    def follow(self, whole: Mapping[str, StageSpec]) -> None:
        """Hear the chain as it now is, by the keys of its stages, but for what is left out."""
        self._whole = dict(whole)

    def leave_out(self, off: Sequence[str]) -> None:
        """Leave other stages and bands out, without a gap."""
        self._off = tuple(off)

    def close(self) -> None:
        """No more comes."""
        self._put(None)

    def chunks(self) -> Iterator[bytes]:
        """Pieces of about 40 ms: count of frames (uint32), delay of the chain in ms, gain of raw
        and of treated in dB (float32), then both interleaved (float32), all little-endian. Ends
        when the sound does."""
        while (block := self._next()) is not None:
            if self._wanted != self._heard_through:
                self._heard_through = self._wanted
                self._monitor.change(self._heard_through)
            heard = self._monitor.process(block)
            delay_ms = self._monitor.delay_samples * 1000.0 / self.rate_hz
            both = np.column_stack([heard.raw, heard.treated]).astype("<f4")
            yield (
                struct.pack("<Ifff", len(block), delay_ms, heard.raw_gain_db, heard.treated_gain_db)
                + both.tobytes()
            )

    def _put(self, block: Samples | None) -> None:
        with suppress(queue.Empty):
            while self._waiting.full():
                self._waiting.get_nowait()
        with suppress(queue.Full):
            self._waiting.put_nowait(block)

    def _next(self) -> Samples | None:
        got: list[Samples] = []
        while sum(map(len, got)) < _CHUNK_S * self.rate_hz:
            try:
                block = self._waiting.get(timeout=_PATIENCE_S)
            except queue.Empty:
                return None
            if block is None:
                return None
            got.append(block)
        return np.concatenate(got)


def put_on(app: AppContext, *, off: Sequence[str] = ()) -> LiveMonitor:
    """Hear what is live, or what is listened into.

    ``off`` are stages and bands left out in the headphones alone. One pair at a time.
    """
    now = live.current(app)
    source = now.running or now.watching
    if source is None:
        raise Refused(
            "not-live",
            _(
                "There is nothing to hear live. Listen in, or start live, then switch the"
                " headphones on."
            ),
        )
    with app.sessions() as session:
        specs = chain_rows.keyed_specs(in_hand(app, session))
    take_off(app)
    now.monitor = ears = LiveMonitor(specs or {}, off, source.rate_hz)
    hear_in_headphones(app)
    return ears


def hear_in_headphones(app: AppContext) -> None:
    """Let the headphones, if they are on, hear what is live now."""
    now = live.current(app)
    if now.let_ears_go is not None:
        now.let_ears_go()
        now.let_ears_go = None
    run = now.running
    if now.monitor is not None and run is not None:
        now.let_ears_go = run.follow(
            "headphones", [_RAW], lambda blocks: now.hear_aside(blocks[0][:, 0])
        )


def leave_out(app: AppContext, off: Sequence[str]) -> None:
    """Leave other stages out in the headphones, without a gap."""
    ears = live.current(app).monitor
    if ears is None:
        raise Refused("not-live", _("The headphones are off. Switch them on first."))
    ears.leave_out(off)


def take_off(app: AppContext, monitor: LiveMonitor | None = None) -> None:
    """Take the headphones off; given ``monitor``, only if those are still the ones that are on."""
    held = live.current(app).monitor
    if held is not None and (monitor is None or held is monitor):
        held.close()
        live.current(app).monitor = None
        hear_in_headphones(app)
