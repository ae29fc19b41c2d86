"""What spoils a take altogether: no other number holds beside it.

Source: practice: faults beside which no level, spectrum or noise floor holds.
"""

from __future__ import annotations

from obsidian_wren.core.decibels import AES17_OFFSET_DB, power_db
from obsidian_wren.core.derive.cause import (
    Cause,
)
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.levels import OFFSET_SHARE
from obsidian_wren.core.measure.readings import QuietReading
from obsidian_wren.core.wording import _

_DC_SHARE = OFFSET_SHARE
_EMPTY_DBFS, _EMPTY_UNDER_DB = -85.0, 12.0
_GAPS_SHARE = 0.02
_LONG_GAP_S = 0.08
_GATED_SPREAD_DB = 45.0


def spoilers(rest: QuietReading) -> list[Cause]:
    """What makes a take of the room useless as it is: gaps, a dead channel, a constant offset."""
    found = []
    gaps = rest.dropouts
    gated = (
        gaps.share > _GAPS_SHARE and gaps.longest_s > _LONG_GAP_S
    ) or rest.percentiles_dbfs.p90 - rest.percentiles_dbfs.p10 > _GATED_SPREAD_DB
    if gated:
        found.append(
            Cause(
                "gated",
                "computer",
                "rest",
                _("Something cuts out the quiet before it gets here"),
                _(
                    "{share:.0%} of the take is exact silence, in stretches of up to"
                    " {longest_s:.1f} s: no room and no converter does that.",
                    share=gaps.share,
                    longest_s=gaps.longest_s,
                ),
                _(
                    "Switch off noise removal and voice activation in the sound settings and in"
                    " the device’s own program, then record the room again."
                ),
                None,
                True,
                True,
            )
        )
    elif gaps.count:
        found.append(
            Cause(
                "dropouts",
                "computer",
                "rest",
                _("Pieces of sound are missing"),
                _(
                    "{count} gaps, {total_s:.0f} ms together, the longest {longest_s:.0f} ms.",
                    count=gaps.count,
                    total_s=1000 * gaps.total_s,
                    longest_s=1000 * gaps.longest_s,
                ),
                _(
                    "Use another USB port without a hub, give the device a larger buffer, and"
                    " close other programs that record."
                ),
                None,
                True,
                True,
            )
        )
    if rest.flat_tops.count:
        found.append(
            Cause(
                "clipped",
                "converter",
                "rest",
                _("Even the quiet parts clip"),
                _(
                    "{count} flat tops at {level_dbfs:.1f} dBFS.",
                    count=rest.flat_tops.count,
                    level_dbfs=rest.flat_tops.level_dbfs,
                ),
                _("Turn the preamp down by 20 dB."),
                None,
                True,
                True,
            )
        )
    if abs(rest.dc_offset) > _DC_SHARE:
        level = power_db(rest.dc_offset**2) + AES17_OFFSET_DB
        found.append(
            Cause(
                "dc",
                "converter",
                "rest",
                _("The signal has a DC offset"),
                _(
                    "A constant offset of {dc_offset:+.2f} % of full scale ({level:.0f} dBFS)"
                    " is under the sound.",
                    dc_offset=100 * rest.dc_offset,
                    level=level,
                ),
                _(
                    "It costs headroom on one side and clicks at every cut: the high-pass"
                    " removes it; a driver update or another input may fix it."
                ),
                None,
                True,
                True,
            )
        )
    return found


def _channel_causes(channels: Channels | None) -> list[Cause]:
    if channels is None:
        return []
    if channels.verdict == "inverted":
        return [
            Cause(
                "inverted",
                "cable",
                "rest",
                _("One channel is inverted"),
                _("Both channels together cancel to nothing."),
                _(
                    "Invert the polarity of one at the interface, or use one channel only: in"
                    " mono they give silence."
                ),
                None,
                True,
                True,
            )
        ]
    if (
        channels.loudest != 1
        and channels.levels_dbfs[0] < _EMPTY_DBFS
        and channels.levels_dbfs[channels.loudest - 1] - channels.levels_dbfs[0] > _EMPTY_UNDER_DB
    ):
        return [
            Cause(
                "wrong-channel",
                "cable",
                "rest",
                _("The microphone is on channel {loudest}", loudest=channels.loudest),
                _(
                    "Channel 1 is at {levels_dbfs:.0f} dBFS, channel {loudest} at"
                    " {levels_dbfs_2:.0f}.",
                    levels_dbfs=channels.levels_dbfs[0],
                    loudest=channels.loudest,
                    levels_dbfs_2=channels.levels_dbfs[channels.loudest - 1],
                ),
                _(
                    "Plug it into input 1, or choose channel {loudest} in every program: most"
                    " listen to the first.",
                    loudest=channels.loudest,
                ),
                None,
                True,
                True,
            )
        ]
    if channels.verdict == "same":
        return [
            Cause(
                "fake-stereo",
                "computer",
                "rest",
                _("Both channels carry the same sound"),
                _("It is one microphone, sent twice."),
                _("Nothing to fix; choose mono where a program asks."),
                None,
                False,
                False,
            )
        ]
    return []
