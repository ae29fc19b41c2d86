"""The ring of the room: off in a dry room, and never in place of moving closer.

Source: ISO 3382-2 for decay; Habets (2009) for the late reverb; practice for a dry room.
"""

from __future__ import annotations

from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.decay import Reverb
from obsidian_wren.core.numerals import DECIDES_DB, beside
from obsidian_wren.core.wording import _

# Under this the ring is under the direct sound by so much that speech masks it.
DRY_DECAY_S = 0.35
DRY_SHARE_DB = -8.0
# With more direct sound than this over the reverb, what is taken costs more than it gives.
_OFFERED_OVER_DB = -3.0
_MOST_DB, _MOST_BLIND_DB = 12.0, 6.0
# An estimate from speech is sure within a fifth, so it has to be clear.
_CLEAR_DECAY_S = 0.5
_USUAL_DECAY_S = 0.4
# What is assumed of the share where only the decay is known: a voice at the critical distance.
_SHARE_UNKNOWN_DB = -3.0


def derive_ring_reduction(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of ring reduction, from the room's decay and its share beside the direct sound."""
    answer = StagePlanBuilder("ring_reduction", pins)
    ring = take_set.ring
    if ring is None:
        answer.set(
            "decay_s",
            _USUAL_DECAY_S,
            _("Not measured yet: clap once at your place, or play a sweep there."),
        )
        answer.set("ring_share_db", _SHARE_UNKNOWN_DB, _("Not measured yet."))
        answer.set("reduction_db", 6.0, _("A careful start, until the room's decay is known."))
        return answer.plan(False, _("The reverb of your room is unknown."))
    blind = ring.method == "speech ends"
    how = (
        _("estimated from how your words decay")
        if blind
        else _("measured with a {method}", method=ring.method)
    )
    decay = answer.set(
        "decay_s",
        _USUAL_DECAY_S if ring.decay_s is None else ring.decay_s,
        (
            _("Your words do not show the room's decay, so this is a usual value.")
            if ring.decay_s is None
            else _(
                "Your room decays by 60 dB in {seconds}, {how}.", seconds=_seconds(ring), how=how
            )
        ),
    )
    share = ring.ring_share_db
    if share is None:
        share = answer.set(
            "ring_share_db",
            _SHARE_UNKNOWN_DB,
            _(
                "Unknown without a clap or a sweep; the reverb is assumed to be about as strong"
                " as the voice."
            ),
        )
    else:
        # As it is shown, so that every sentence tells the same.
        share = round(share, 1)
        share = answer.set(
            "ring_share_db",
            share,
            _("At this distance the reverb is {beside}.", beside=_beside(share)),
        )
    over = share - DRY_SHARE_DB
    answer.set(
        "reduction_db",
        min(_MOST_BLIND_DB if blind else _MOST_DB, max(3.0, over)),
        _(
            "Reduces the reverb towards {dry_share_db:.0f} dB under your voice, no further:"
            " words stay whole.",
            dry_share_db=-DRY_SHARE_DB,
        ),
    )
    near = share < _OFFERED_OVER_DB
    unknown = blind and ring.decay_s is None and decay == _USUAL_DECAY_S
    on = decay > (_CLEAR_DECAY_S if blind else DRY_DECAY_S) and not near
    if on and blind:
        text = _(
            "Your words decay as in a room of {decay:.2f} s, with the reverb {beside}; clap"
            " once to measure it. Going closer does more than this.",
            decay=decay,
            beside=_beside(share),
        )
    elif on:
        text = _(
            "The room decays in {decay:.2f} s and its reverb is {beside}. Half the distance"
            " would give 6 dB here.",
            decay=decay,
            beside=_beside(share),
        )
    elif near:
        text = _("You are close enough: the reverb is {beside}.", beside=_beside(share))
    elif unknown:
        text = _(
            "Your words fade into noise, or you are too close, before they show the room's"
            " decay; clap once to measure it."
        )
    elif decay <= DRY_DECAY_S:
        text = _("A dry room: it decays in {decay:.2f} s.", decay=decay)
    else:
        text = _(
            "Your words decay in {decay:.2f} s, too close to a dry room to be certain; clap"
            " once to measure it.",
            decay=decay,
        )
    return answer.plan(on, text, evidence=ring)


def _seconds(ring: Reverb) -> str:
    error = "" if ring.decay_error_s is None else f" ± {ring.decay_error_s:.2f}"
    return f"{ring.decay_s:.2f}{error} s"


def _beside(share_db: float) -> str:
    if abs(share_db) < DECIDES_DB:
        return _("as strong as your voice")
    return beside(share_db, _("your voice"))
