"""The page of ours that listens, as a call would: it picks an input in a browser and sends back
what it hears, so that what arrives there is proved by the sound.

When its pieces get here tells nothing of when they were heard, so no delay is said of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.mix.marker import marker_level_dbfs
from obsidian_wren.core.mix.proof import prove
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.core.mix.verdict import Arrived, Verdict, judge
from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.voice.marker_flight import HeardMarker

_KEPT_S = 20.0


@dataclass
class ListeningPage:
    """A page that listens: what its input is called, the last seconds of it, where it was when a
    marker was sent, and what came of that; how often the run lost sound by now and when the marker
    was sent, and where it was when that became more last."""

    label: str
    rate_hz: int
    heard: Ring = field(init=False)
    start: int | None = None
    level_dbfs: float | None = None
    proof: dict[str, Any] | None = None
    lost: int = 0
    lost_before: int = 0
    lost_at: int | None = None

    @property
    def shown_dbfs(self) -> float | None:
        """The level of the newest piece, to be shown; None for silence."""
        if self.level_dbfs is None or not np.isfinite(self.level_dbfs):
            return None
        return round(self.level_dbfs, 1)

    def __post_init__(self) -> None:
        """A ring at the page's rate."""
        self.heard = Ring(seconds=_KEPT_S, rate_hz=self.rate_hz)


@dataclass
class Pages:
    """The page that listens now; one at a time."""

    page: ListeningPage | None = None


def current(app: AppContext) -> Pages:
    """The page that listens."""
    return app.own(Pages)


def begin(app: AppContext, label: str, rate_hz: int) -> None:
    """A page begins to listen to an input by its label; one that listened before is passed over."""
    current(app).page = ListeningPage(label.strip(), rate_hz, lost=_lost(app))


def push(app: AppContext, samples: Samples) -> None:
    """The next piece of what it hears. Raises Refused where it listens no more."""
    page = _page(app)
    page.heard.push(samples)
    lost = _lost(app)
    if lost != page.lost:
        page.lost, page.lost_at = lost, page.heard.position
    page.level_dbfs = rms_dbfs(samples)


def end(app: AppContext) -> None:
    """It listens no more."""
    current(app).page = None


def note_start(app: AppContext) -> None:
    """A marker is about to be sent."""
    page = current(app).page
    if page is not None:
        page.start, page.proof = page.heard.position, None
        page.lost_before = page.lost


def note_failed(app: AppContext, sentence: str) -> None:
    """A marker ended on its way."""
    page = current(app).page
    if page is not None:
        page.proof = _shown(None, (Verdict("lost", "fault", sentence),))


def look(
    app: AppContext,
    run: VoiceRun,
    heard: Mapping[str, HeardMarker],
    level_dbfs: float,
    lufs: Mapping[str, float],
) -> None:
    """What of the marker arrived at the page, if it listens; ``heard`` by those in the run."""
    page = current(app).page
    if page is None or page.start is None:
        return
    seats = {seat.own_feed: seat for seat in run.seats if seat.own_feed is not None}
    # A browser may add the device's kind to the label.
    own = next((feed for feed in seats if feed in page.label), next(iter(seats), None))
    if own is None or seats[own].key not in heard:
        return
    about = seats[own]
    sent = heard[about.key]
    before_s = min(
        sent.before_s, page.start / page.rate_hz, (page.start - page.heard.oldest()) / page.rate_hz
    )
    since = page.start - round(before_s * page.rate_hz)
    arrived = app.work(
        _proved,
        page.heard.since(page.start),
        {
            "rate_hz": page.rate_hz,
            "feeds": {feed: seat.number for feed, seat in seats.items()},
            "own_feed": own,
            "own_number": about.number,
            "sent_level_dbfs": level_dbfs,
            "feed_level_dbfs": marker_level_dbfs(lufs[about.key]),
            "sent_before": sent.sent_before[round((sent.before_s - before_s) * run.rate_hz) :],
            "heard_before": page.heard.since(since),
            "sent_rate_hz": run.rate_hz,
            "lost": max(
                page.lost - page.lost_before, page.lost_at is not None and page.lost_at >= since
            ),
        },
    )
    verdicts = judge(replace(arrived, delay_ms=None), listener=_("this page"))
    page.proof = _shown(arrived.feed, verdicts)


def _shown(feed: str | None, verdicts: Sequence[Verdict]) -> dict[str, Any]:
    return {
        "feed": feed,
        "good": all(verdict.mark != "fault" for verdict in verdicts),
        "verdicts": [asdict(verdict) for verdict in verdicts],
    }


def _lost(app: AppContext) -> int:
    run = live.current(app).run
    return 0 if run is None else run.dropouts


def _page(app: AppContext) -> ListeningPage:
    page = current(app).page
    if page is None:
        raise Refused("not-listening", _("This page no longer listens. Start it again."))
    return page


def _proved(_app: AppContext, heard: Samples, known: dict[str, Any]) -> Arrived:
    return prove(heard, np.zeros(0), **known)
