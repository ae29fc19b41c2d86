"""Listening into the room live: levels and third octaves twenty times a second, while someone
switches a lamp off and sees what fell."""

from __future__ import annotations

import threading
from typing import Literal

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.live import FRAME_S, BlockMeter
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SoundStream, SourceGone
from obsidian_wren.service import live, takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.simulated import rig_of
from obsidian_wren.service.live.voice_news import heard_link
from obsidian_wren.service.live.voice_tracks import listen_in
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.system_microphone import open_voice
from obsidian_wren.voice.frames import frame_json


class Watch:
    """One watch over a stream; frames go to every open page until it is stopped."""

    def __init__(
        self, app: AppContext, stream: SoundStream, purpose: Literal["rest", "talk"]
    ) -> None:
        self.purpose = purpose
        self.rate_hz = stream.rate_hz
        self.finished = threading.Event()
        self._app = app
        self._stream = stream
        self._stop = threading.Event()
        self._meter = BlockMeter(stream.rate_hz)
        self._thread = threading.Thread(target=self._work, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End."""
        self._stop.set()
        self._thread.join(timeout=5)

    def _work(self) -> None:
        count = round(FRAME_S * self._stream.rate_hz)
        try:
            while not self._stop.is_set():
                block = self._stream.read(count)
                if not len(block):
                    break
                sound = block if block.ndim == 1 else block[:, 0]
                live.current(self._app).hear_aside(sound)
                for frame in self._meter.add(sound):
                    self._app.bus.tell("frame", frame_json(frame, "watch"))
        except SourceGone as error:
            self._app.bus.tell("trouble", {"sentence": str(error)})
        finally:
            self._stream.close()
            self.finished.set()
            self._app.changed()


def start_watch(
    app: AppContext, purpose: Literal["rest", "talk"], *, browser_rate_hz: int | None = None
) -> None:
    """Listen in: to the simulated rig, or to the browser's microphone whose pieces follow."""
    with app.lock:
        if takes.current(app).running is not None:
            raise Refused(
                "take-runs",
                _("A running take shows its own levels. Wait for it, or stop it."),
            )
        now = live.current(app)
        if now.watch is not None:
            now.watch.stop()
            now.watch = None
        with app.sessions.begin() as session:
            ctx = in_hand(app, session)
            rig = ctx.rig
            stream: SoundStream
            if rig.source == "simulated":
                stream = listen_in(heard_link(app), rig_of(ctx), purpose)
            elif rig.source == "system":
                stream = open_voice(ctx, block_s=FRAME_S)
            elif rig.source == "browser" and browser_rate_hz is not None:
                stream = now.watched = app.world.open_browser(browser_rate_hz)
            elif rig.source == "browser":
                raise Refused(
                    "no-microphone",
                    _("The page opens your microphone. Start listening from there."),
                )
            else:
                raise Refused(
                    "files",
                    _(
                        "The source is files, so there is nothing to listen to live. Choose"
                        " your microphone in Rig."
                    ),
                )
        now.watch = watch = Watch(app, stream, purpose)
        watch.start()
    app.changed()


def push_watch(app: AppContext, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    now = live.current(app)
    if now.watching is None or now.watched is None:
        raise Refused("not-watching", _("Listening has already ended."))
    now.watched.push(samples)


def stop_watch(app: AppContext) -> None:
    """Stop listening in."""
    now = live.current(app)
    if now.watch is not None:
        now.watch.stop()
        now.watch = now.watched = None
    app.changed()
