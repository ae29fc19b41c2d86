"""What is wrong with a take before anything is read from it, each with what to do next.

A fault stops a reading; a note goes with it. The sentences are the ones that the page and the
command line show.

Source: practice: what makes every reading wrong is said before any. Houtgast and Steeneken (1985)
for a whisper: the envelope of speech moves at the rate of syllables, mostly between 2 and 8 Hz;
noise, hum and music do not.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import clipping, speech
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.room_sounds import RoomSound, moving_sound
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _

_FRAME_S = 0.01
_BAND_HZ = (500.0, 6000.0)
_DEPTH_DB = 50.0
_LEAST_SPREAD_DB = 12.0
_LEAST_SHARE = 0.38
_LEAST_ACTIVE, _MOST_ACTIVE = 0.25, 0.97
_LEAST_S = 3.0


def is_whispered(samples: Samples, *, rate_hz: float) -> bool:
    """Whether ``(n,)`` samples have the rhythm of speech though no pitch was found in them."""
    if len(samples) < _LEAST_S * rate_hz:
        return False
    high = min(_BAND_HZ[1], 0.45 * rate_hz)
    edges = [_BAND_HZ[0], high]
    sections = scipy.signal.butter(2, edges, "bandpass", fs=rate_hz, output="sos")
    band = filtered(sections, samples)
    level = frame_levels_dbfs(band, rate_hz=rate_hz, frame_s=_FRAME_S)
    level = np.maximum(level, level.max() - _DEPTH_DB)
    low, top = np.percentile(level, [10, 90])
    active = float(np.mean(level > top - _DEPTH_DB / 2.0))
    if top - low < _LEAST_SPREAD_DB or not _LEAST_ACTIVE <= active <= _MOST_ACTIVE:
        return False
    return speech.syllable_share(level) >= _LEAST_SHARE


Purpose = Literal[
    "rest",
    "in-use",
    "muted",
    "other-gain",
    "talk",
    "loud",
    "soft",
    "passage",
    "dial",
    "clap",
    "sweep",
    "reference",
    "phone",
    "check",
    "both",
    "beside",
    "sentence",
    "level",
]
SHORTEST_S = 3.0
_TONE_RATE_HZ = 16_000
_ONE_VALUE = 2e-7


class BadTake(Told, ValueError):
    """A take that cannot be used for its purpose.

    ``code`` is stable; the message says what to do.
    """


@dataclass(frozen=True)
class Note:
    """Something worth knowing that does not stop the reading."""

    code: str
    sentence: str


def require_finite(samples: Samples, *, rate_hz: float) -> None:
    """Raise BadTake when a sample is not a number or infinite. Samples ``(n,)``. Raises BadTake."""
    bad = np.flatnonzero(~np.isfinite(samples.reshape(len(samples), -1)).all(axis=1))
    if len(bad):
        raise BadTake(
            "not-finite",
            _(
                "{bad} samples are infinite or not a number, the first at {bad_2:.2f} s. The"
                " program that wrote the file is at fault: export it again as 24-bit WAV or"
                " FLAC.",
                bad=len(bad),
                bad_2=bad[0] / rate_hz,
            ),
        )


def check(samples: Samples, *, rate_hz: float, purpose: Purpose) -> tuple[Note, ...]:
    """Raise BadTake when ``(n,)`` samples cannot serve; return the notes otherwise.

    ``level`` reads anything that is sound, ``muted`` anything that is not digital silence; the
    others ask for 3 s and for what their names say: nobody talking in a room take, no melody but in
    one of the room in use, a voice in talk.
    Raises BadTake.
    """
    if not len(samples):
        raise BadTake(
            "empty",
            _("There is no sound in it: it has no samples. Record it again."),
        )
    require_finite(samples, rate_hz=rate_hz)
    notes = list(_signal(samples, purpose))
    if purpose in ("level", "muted"):
        return tuple(notes)
    if len(samples) < SHORTEST_S * rate_hz:
        raise BadTake(
            "too-short",
            _(
                "Only {samples:.1f} s of sound; at least {shortest_s:.0f} s are needed. Record"
                " it again, longer.",
                samples=len(samples) / rate_hz,
                shortest_s=SHORTEST_S,
            ),
        )
    if purpose in ("passage", "reference", "phone") and rate_hz < _TONE_RATE_HZ:
        raise BadTake(
            "narrow-band",
            _(
                "Sampled at {rate_hz:g} kHz, like a telephone: it contains nothing above"
                " {rate_hz_2:g} kHz, so the tone cannot be fitted. Record the passage again at"
                " 44.1 or 48 kHz.",
                rate_hz=rate_hz / 1000,
                rate_hz_2=rate_hz / 2000,
            ),
        )
    if purpose in ("dial", "clap", "sweep"):
        return tuple(notes)
    voicing = speech.find_voice(samples, rate_hz=rate_hz)
    if purpose in ("rest", "in-use", "other-gain"):
        moves = moving_sound(samples, voicing, rate_hz=rate_hz)
        if moves is not None:
            notes.append(_in_room(moves, purpose))
        return tuple(notes)
    voicing = speech.pitched(voicing)
    if voicing.voiced_s < 0.05 * len(samples) / rate_hz or not speech.has_melody(voicing):
        if not is_whispered(samples, rate_hz=rate_hz):
            raise BadTake("no_voice_in_talk", _NO_VOICE)
        notes.append(Note("whisper", WHISPERED))
    return tuple(notes)


def _in_room(moves: RoomSound, purpose: Purpose) -> Note:
    """What is to be said of what moves in a take of a room. Raises BadTake."""
    if moves.kind == "voice":
        raise BadTake(
            "voice_in_quiet",
            _(
                "Someone talks in this take, first at {first:.1f} s. Record the room again"
                " with nobody talking.",
                first=moves.first_s,
            ),
        )
    if purpose == "in-use":
        return Note(
            "moves_in_use",
            _("It contains a melody, first at {first:.1f} s.", first=moves.first_s)
            if moves.kind == "melody"
            else _("It contains knocks, first at {first:.1f} s.", first=moves.first_s),
        )
    if moves.kind == "melody":
        raise BadTake(
            "melody_in_quiet",
            _(
                "This take contains a melody, first at {first:.1f} s: music, an animal, a bell."
                " Record the room at rest without it; the room in use may have it.",
                first=moves.first_s,
            ),
        )
    return Note(
        "knocks_in_quiet",
        _(
            "This take contains knocks, first at {first:.1f} s. They belong in the room in use;"
            " short ones are left out of the room at rest.",
            first=moves.first_s,
        ),
    )


def check_long(peak_dbfs: float, tops: clipping.FlatTops, *, has_voice: bool) -> None:
    """:func:`check` of talk that was read in stretches, from what was read. Raises BadTake."""
    if not np.isfinite(peak_dbfs):
        raise BadTake("silent", _SILENT)
    if tops.share_of_samples > _CLIPPED_SHARE:
        raise BadTake("clipped-throughout", _clipped(tops))
    if not has_voice:
        raise BadTake("no_voice_in_talk", _NO_VOICE)


_SILENT = _(
    "Nothing but digital silence: the input is muted, it is the wrong input, or noise removal"
    " cuts the room out. Unmute it, choose another input, or switch enhancements off in the"
    " sound settings."
)
_NO_VOICE = _(
    "No voice was found in this take. Check that the right microphone is chosen and not muted,"
    " then record it again."
)
WHISPERED = _(
    "This is speech without pitch, as in a whisper: the average of all voices is used where a"
    " pitch is needed."
)
_CLIPPED_SHARE = 0.02


def _clipped(tops: clipping.FlatTops) -> str:
    return _(
        "Clipped throughout: {share_of_samples:.0%} of all samples lie flat at {level_dbfs:.1f}"
        " dBFS. Turn the preamp down by 20 dB and record again.",
        share_of_samples=tops.share_of_samples,
        level_dbfs=tops.level_dbfs,
    )


def _signal(samples: Samples, purpose: Purpose) -> list[Note]:
    level = purpose == "level"
    if not samples.any() and purpose == "muted":
        raise BadTake(
            "silent",
            _(
                "Digital silence: this mute comes after the converter, so it shows nothing of"
                " preamp and converter. Unplug the microphone instead (phantom power off first),"
                " or mute at the microphone itself."
            ),
        )
    if not samples.any():
        return _stop_or_note(
            level,
            "silent",
            _SILENT,
        )
    if float(np.ptp(samples)) <= _ONE_VALUE:
        return _stop_or_note(
            level,
            "constant",
            _(
                "A constant value of {samples:+.3f} and no sound (DC only). The input is broken"
                " or not connected: check the cable and the input.",
                samples=samples[0],
            ),
        )
    tops = clipping.flat_tops(samples)
    if tops.share_of_samples > _CLIPPED_SHARE:
        return _stop_or_note(level, "clipped-throughout", _clipped(tops))
    return []


def _stop_or_note(only_note: bool, code: str, sentence: str) -> list[Note]:
    if only_note:
        return [Note(code, sentence)]
    raise BadTake(code, sentence)
