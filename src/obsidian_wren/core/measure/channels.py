"""Which of several channels carries the voice, and what is to be said of the others.

Source: practice: the one with the voice, not the one with the loudest noise.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import integrity, levels, speech
from obsidian_wren.core.measure.faults import BadTake, Note
from obsidian_wren.core.wording import _, ngettext

_EMPTY_DBFS, _EMPTY_UNDER_DB = -85.0, 12.0
_LISTEN_S = 30.0
_BLEED_DB = 6.0


def is_empty(levels_dbfs: Sequence[float], channel: int) -> bool:
    """Whether a channel, counted from 1, carries no more than a converter's noise while another one
    carries sound. Levels of all of them, dBFS (AES17)."""
    level = levels_dbfs[channel - 1]
    return level < _EMPTY_DBFS and max(levels_dbfs) - level > _EMPTY_UNDER_DB


def choose_channel(samples: Samples, channel: int | None) -> tuple[Samples, tuple[Note, ...]]:
    """One channel of ``(n,)`` or ``(n, channels)`` samples; ``channel`` counts from 1, None takes
    the first that carries sound.

    Raises BadTake when the channel asked for does not exist or is dead while another carries sound.
    """
    if samples.ndim == 1:
        if channel not in (None, 1):
            raise BadTake(
                "no-such-channel",
                _(
                    "There is no channel {channel}: the sound has one channel. Choose channel 1.",
                    channel=channel,
                ),
            )
        return samples, ()
    count = samples.shape[1]
    if channel is not None and not 1 <= channel <= count:
        raise BadTake(
            "no-such-channel",
            _(
                "There is no channel {channel}: the sound has {count}. Choose one from 1 to"
                " {count}.",
                channel=channel,
                count=count,
            ),
        )
    alive = [c for c in range(count) if float(np.ptp(samples[:, c])) > 0.0]
    heard = integrity.compare_channels(samples)
    chosen = channel - 1 if channel else (alive[0] if alive else 0)
    # A microphone on the second input leaves only the converter's noise on the first.
    if channel is None and alive and is_empty(heard.levels_dbfs, chosen + 1):
        note = Note(
            "channel_chosen",
            _(
                "Channel {chosen} carries noise only; your microphone is on channel {loudest},"
                " which is used. Plug it into input 1, or choose channel {loudest} in other"
                " programs too.",
                chosen=chosen + 1,
                loudest=heard.loudest,
            ),
        )
        return np.ascontiguousarray(samples[:, heard.loudest - 1]), (note,)
    if alive and chosen not in alive:
        raise BadTake(
            "channel_dead",
            _(
                "Channel {chosen} is dead; channel {alive} carries the sound. Choose channel"
                " {alive}.",
                chosen=chosen + 1,
                alive=alive[0] + 1,
            ),
        )
    notes = []
    dead = [str(c + 1) for c in range(count) if c not in alive]
    if alive and dead:
        notes.append(
            Note(
                "channel_dead",
                ngettext(
                    "Channel {dead} is dead; channel {chosen} is used.",
                    "Channels {dead} are dead; channel {chosen} is used.",
                    len(dead),
                    dead=", ".join(dead),
                    chosen=chosen + 1,
                ),
            )
        )
    elif heard.verdict == "inverted":
        notes.append(
            Note(
                "inverted",
                _(
                    "One channel is inverted: in mono the two cancel and your voice is gone."
                    " Channel {chosen} is used; invert the polarity of one at the interface.",
                    chosen=chosen + 1,
                ),
            )
        )
    elif heard.verdict == "same":
        notes.append(
            Note(
                "fake-stereo",
                _(
                    "Both channels carry the same sound: this is one microphone. Channel"
                    " {chosen} is used.",
                    chosen=chosen + 1,
                ),
            )
        )
    elif count > 1 and channel is None:
        notes.append(
            Note(
                "channel_chosen",
                _(
                    "The sound has {count} channels; channel {chosen} is used. Choose another if"
                    " it is not your microphone.",
                    count=count,
                    chosen=chosen + 1,
                ),
            )
        )
    return np.ascontiguousarray(samples[:, chosen]), tuple(notes)


def voice_channel(samples: Samples, *, rate_hz: float) -> tuple[int | None, tuple[Note, ...]]:
    """Which of ``(n, channels)`` samples carries the voice, counted from 1, not which is loudest;
    None where the first that carries sound does, or none."""
    heard = samples[: round(_LISTEN_S * rate_hz)]
    alive = [c for c in range(samples.shape[1]) if float(np.ptp(samples[:, c])) > 0.0]
    if len(alive) < 2:
        return None, ()
    worth = {}
    for channel in alive:
        voicing = speech.find_voice(heard[:, channel], rate_hz=rate_hz)
        frames = levels.frame_levels_dbfs(heard[:, channel], rate_hz=rate_hz)
        over = speech.active_level(heard[:, channel], rate_hz=rate_hz).level_dbfs
        over -= float(np.percentile(np.maximum(frames, -200.0), 10)) if len(frames) else 0.0
        if speech.has_melody(voicing):
            worth[channel] = (voicing.voiced_s, over)
    most = max((voiced_s for voiced_s, _ in worth.values()), default=0.0)
    first = alive[0]
    talking = [c for c, (voiced_s, _) in worth.items() if voiced_s >= 0.5 * most]
    # What bleeds into another microphone stands less far over its noise.
    best = max(talking, key=lambda c: worth[c][1], default=first)
    bleeding = [c for c in talking if c != best and worth[best][1] - worth[c][1] >= _BLEED_DB]
    bleeds = _bleed_note(best, bleeding, heard) if bleeding else ()
    if best == first:
        return (first + 1 if bleeds else None), bleeds
    if first in talking and first not in bleeding:
        return None, ()
    return best + 1, (
        Note(
            "channel_chosen",
            _(
                "Your voice is on channel {best}, which is used. Plug it into input 1, or choose"
                " channel {best} in other programs too.",
                best=best + 1,
            ),
        ),
        *bleeds,
    )


def _bleed_note(best: int, bleeding: list[int], heard: Samples) -> tuple[Note, ...]:
    """What is said of other microphones that hear the voice too; nothing where they are copies."""
    if integrity.compare_channels(heard).verdict != "different":
        return ()
    names = ", ".join(str(c + 1) for c in bleeding)
    return (
        Note(
            "channel_bleed",
            ngettext(
                "Channel {names} hears your voice too; only channel {best} is used. Mute the"
                " other, or never mix the two.",
                "Channels {names} hear your voice too; only channel {best} is used. Mute the"
                " other, or never mix the two.",
                len(bleeding),
                names=names,
                best=best + 1,
            ),
        ),
    )
