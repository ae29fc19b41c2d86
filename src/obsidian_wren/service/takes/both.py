"""Two microphones on two channels, recorded at once: two takes that belong together."""

from __future__ import annotations

import uuid
from dataclasses import replace

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import faults, integrity
from obsidian_wren.core.measure.channels import is_empty
from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.takes.write_take import write_take
from obsidian_wren.store import parts

# The second of two takes says by this which first it belongs to.
PAIR = "pair"


def keep_both(
    app: AppContext,
    info: parts.PartInfo,
    samples: Samples,
    half: bool,
    ended: str | None,
    _channels: integrity.Channels | None = None,
) -> tuple[int, bool]:
    """Write the first two channels of ``(n, channels)`` samples as two takes, and give the number
    of the first and whether they can be used. One channel, or an empty one, is kept with the
    sentence that says so."""
    fault = _fault(samples, info.rate_hz)
    pair = uuid.uuid4().hex
    wide = samples[:, None] if samples.ndim == 1 else samples[:, :2]
    channels = integrity.compare_channels(wide) if wide.shape[1] > 1 else None
    ids = []
    # The second first: whoever sees the first finds the second there.
    for channel in reversed(range(wide.shape[1])):
        ids.append(
            write_take(
                app,
                replace(
                    info,
                    purpose=("both", "beside")[channel],
                    facts={**info.facts, PAIR: pair},
                ),
                wide[:, channel].copy(),
                half=half,
                ended=ended,
                notes=list(info.notes),
                fault=fault,
                channels=channels,
            )
        )
    return ids[-1], fault is None


def _fault(samples: Samples, rate_hz: int) -> faults.BadTake | None:
    if samples.ndim == 1 or samples.shape[1] == 1:
        return faults.BadTake(
            "one-channel",
            _(
                "This sound has one channel, so only one microphone. Plug the second into input"
                " 2 of the same interface, or compare with another rig."
            ),
        )
    heard = integrity.compare_channels(samples[:, :2])
    for channel in (1, 2):
        if is_empty(heard.levels_dbfs, channel):
            return faults.BadTake(
                "one-channel",
                _(
                    "Channel {channel} carries noise only. Plug the other microphone into input"
                    " {channel} and turn its gain up, then record both again.",
                    channel=channel,
                ),
            )
    if heard.verdict in ("same", "inverted"):
        return faults.BadTake(
            "one-channel",
            _(
                "Both channels carry the same sound: this is one microphone. Switch the"
                " interface to two separate inputs, then record both again."
            ),
        )
    try:
        for channel in range(2):
            faults.check(samples[:, channel].copy(), rate_hz=rate_hz, purpose="both")
    except faults.BadTake as error:
        return error
    return None
