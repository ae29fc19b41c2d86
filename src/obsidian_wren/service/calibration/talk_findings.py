"""What is found in a talk beside the room at rest, as causes that Gain shows before it is
confirmed."""

from __future__ import annotations

from obsidian_wren.core.derive.cause import Cause, Where
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.measure.pair_findings import rate_findings
from obsidian_wren.core.measure.take_findings import talk_findings
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.floors import floor_match
from obsidian_wren.service.readings.measuring import room_shift_db, samples_of, talk_reading
from obsidian_wren.service.rig.context import RigContext

# What Gain does not say otherwise: its title, and where it comes from.
_TITLES: dict[str, tuple[str, Where]] = {
    "floor_mismatch": (_("The noise floor differs under your voice"), "room"),
    "far_and_live": (_("You sit far away in a live room"), "room"),
    "music_in_talk": (_("There is music under your voice"), "room"),
    "background_voice": (_("Someone else talks under your voice"), "room"),
    "processed": (_("Another gate already works on your voice"), "computer"),
    "band_limited": (_("The sound ends abruptly at the top"), "computer"),
    "rate_mismatch": (_("Room and voice have different sample rates"), "computer"),
}


def found_in_talk(ctx: RigContext) -> tuple[Cause, ...]:
    """The causes, those that make every later answer wrong as such."""
    talk, rest = ctx.takes.talk, ctx.takes.quiet
    if talk is None or rest is None:
        return ()
    match = floor_match(ctx, talk, rest)
    shift_db = room_shift_db(rest, talk, ctx.rig)
    found: tuple[Finding, ...] = ctx.app.readings.get(
        ("found", talk.sha256, rest.sha256, shift_db),
        lambda: talk_findings(
            samples_of(ctx.app, talk), talk_reading(ctx.app, talk, rest, ctx.rig)
        ),
    )
    rates = rate_findings(rest.rate_hz, talk.rate_hz)
    all_ = (*(match.findings if match is not None else ()), *found, *rates)
    return tuple(
        Cause(
            finding.code,
            _TITLES[finding.code][1],
            "talk",
            _TITLES[finding.code][0],
            finding.sentence,
            finding.action,
            None,
            finding.stops,
            True,
        )
        for finding in all_
        if finding.code in _TITLES
    )
