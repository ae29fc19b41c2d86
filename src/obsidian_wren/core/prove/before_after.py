"""One passage raw and treated, at one loudness: what changed over time, and what is said of it.

Source: ITU-R BS.1770-5 for the one loudness; IEC 61672-1 for the room in the pauses; practice: a
change of a decibel is not worth a sentence.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from obsidian_wren.core.decibels import SILENCE_DB, Samples, amplitude_from_db, power_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs
from obsidian_wren.core.measure.loudness import hops_of, integrated_lufs, k_weighted
from obsidian_wren.core.measure.moments import STEP_S as ROOM_STEP_S
from obsidian_wren.core.measure.moments import a_weighted_levels_dbfs
from obsidian_wren.core.measure.speech import runs
from obsidian_wren.core.measure.words import Word, within
from obsidian_wren.core.numerals import frequency, plain
from obsidian_wren.core.record_types import Level
from obsidian_wren.core.wording import _, ngettext

if TYPE_CHECKING:
    from obsidian_wren.core.derive.learned import MovingKind

STEP_S = 0.5
_FRAME_S = 0.01
_HOP_S, _HOPS, _HALF = 0.1, 4, 0.5
# The reverb of a word is no pause, nor is the breath before one.
_BESIDE_WORD_S = 0.12
_LEAST_FRAMES = 12
_RIBBON = (10.0, 95.0)
_FOUR_FIFTHS = (10.0, 90.0)
# Less is not worth a sentence.
_ROOM_DB, _MOVING_DB, _LEVEL_DB, _TONE_DB = 2.0, 6.0, 1.0, 1.5
_SILENT_DBFS = -100.0
_OVER_ROOM_DB = 10.0
_WINDOW_S = 0.085
_SMOOTH_OCTAVES, _LOWEST_HZ, _HIGHEST_HZ = 1.0 / 3.0, 70.0, 14_000.0
_MOST_SENTENCES = 3


@dataclass(frozen=True)
class Track:
    """A sound for each half second: the 10th and 95th percentile of speech in frames of 10 ms,
    dBFS, and the room in the pauses, dBFS(A); None where there was none. The highest peak, dBFS."""

    low_dbfs: tuple[float | None, ...]
    high_dbfs: tuple[float | None, ...]
    room_dbfs_a: tuple[float | None, ...]
    peak_dbfs: tuple[Level, ...]


@dataclass(frozen=True)
class BeforeAfter:
    """Both at one loudness: ``raised_db`` is what the raw one is raised by for it. The room in
    the pauses, dBFS(A), None without pauses; how wide the middle four fifths of its momentary
    loudness lie, LU; where the tone changed most, Hz, and by how much, dB."""

    raised_db: float
    before: Track
    after: Track
    room_before_dbfs_a: float | None
    room_after_dbfs_a: float | None
    width_before_db: float
    width_after_db: float
    tone_hz: float
    tone_db: float


def before_after(
    raw: Samples, treated: Samples, *, rate_hz: float, words: tuple[Word, ...]
) -> BeforeAfter | None:
    """What treating changed, of ``(n,)`` samples raw and treated at the same moments; None where
    nobody speaks in them. The treated sound stays as loud as it is."""
    raised = integrated_lufs(treated, rate_hz=rate_hz) - integrated_lufs(raw, rate_hz=rate_hz)
    if not words or not math.isfinite(raised):
        return None
    raw = raw * amplitude_from_db(raised)
    count = min(len(raw), len(treated)) // round(_FRAME_S * rate_hz)
    at = np.arange(count) * _FRAME_S
    speech = within(words, at)
    pause = ~_widened(speech, round(_BESIDE_WORD_S / _FRAME_S))
    before, after = (_Sound(sound, rate_hz, count, speech, pause) for sound in (raw, treated))
    tone_hz, tone_db = _tone(raw, treated, rate_hz, speech, pause)
    return BeforeAfter(
        raised,
        before.track,
        after.track,
        before.room,
        after.room,
        before.width,
        after.width,
        tone_hz,
        tone_db,
    )


def _widened(mask: np.ndarray, frames: int) -> np.ndarray:
    wide = mask.copy()
    for first, last in runs(mask):
        wide[max(0, first - frames) : last + frames] = True
    return wide


class _Sound:
    """One of both, frame by frame."""

    def __init__(
        self, sound: Samples, rate_hz: float, count: int, speech: np.ndarray, pause: np.ndarray
    ) -> None:
        levels = frame_levels_dbfs(sound, rate_hz=rate_hz)[:count]
        # As often as the other levels, and as many of them.
        room = np.repeat(
            a_weighted_levels_dbfs(sound, rate_hz=rate_hz), round(ROOM_STEP_S / _FRAME_S)
        )[:count]
        step, size = round(STEP_S / _FRAME_S), round(_FRAME_S * rate_hz)
        parts = [slice(first, first + step) for first in range(0, count, step)]
        spoken = [levels[part][speech[part]] for part in parts]
        pause = pause[: len(room)]
        quiet = [room[part][pause[part]] for part in parts]
        self.track = Track(
            tuple(_of(each, _RIBBON[0]) for each in spoken),
            tuple(_of(each, _RIBBON[1]) for each in spoken),
            tuple(_of(each, 50.0) for each in quiet),
            tuple(peak_dbfs(sound[part.start * size : part.stop * size]) for part in parts),
        )
        self.room = _of(room[pause], 50.0)
        # Momentary loudness of EBU R 128: 400 ms, every 100 ms, where at least half is speech.
        hops = hops_of(k_weighted(sound, rate_hz=rate_hz), rate_hz=rate_hz)
        momentary = power_db(np.convolve(hops, np.full(_HOPS, 1.0 / _HOPS), "valid"))
        per = round(_HOP_S / _FRAME_S)
        share = np.convolve(speech, np.full(_HOPS * per, 1.0 / (_HOPS * per)), "valid")[::per]
        count = min(momentary.size, share.size)
        speaks = momentary[:count][share[:count] >= _HALF]
        self.width = float(np.ptp(np.percentile(speaks, _FOUR_FIFTHS))) if speaks.size else 0.0


def _of(levels: Samples, percentile: float) -> float | None:
    return float(np.percentile(levels, percentile)) if len(levels) >= _LEAST_FRAMES else None


def _tone(
    raw: Samples, treated: Samples, rate_hz: float, speech: np.ndarray, pause: np.ndarray
) -> tuple[float, float]:
    """Where the voice changed most over a third of an octave, Hz and dB; only where it stands
    over the room."""
    size = round(_WINDOW_S * rate_hz)
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    window = np.hanning(size)
    per = size / rate_hz / _FRAME_S
    spectra = []
    for sound in (raw, treated):
        frames = np.lib.stride_tricks.sliding_window_view(sound, size)[:: size // 2] * window
        spectra.append(np.abs(np.fft.rfft(frames, axis=1)) ** 2)
    middle = ((np.arange(len(spectra[0])) + 1) * 0.5 * per).astype(int)
    spoken, silent = (mask[np.minimum(middle, len(mask) - 1)] for mask in (speech, pause))
    edges = np.geomspace(_LOWEST_HZ, min(_HIGHEST_HZ, 0.45 * rate_hz), 47)
    half = 2.0 ** (0.5 * _SMOOTH_OCTAVES)
    rows = [(hz >= centre / half) & (hz < centre * half) for centre in edges]
    before, after = (_bands(found[spoken], rows) for found in spectra)
    room = _bands(spectra[0][silent], rows) if silent.any() else np.full(len(rows), SILENCE_DB)
    known = before > room + _OVER_ROOM_DB
    if not known.any():
        return 0.0, 0.0
    change = np.where(known, after - before, 0.0)
    worst = int(np.argmax(np.abs(change)))
    return float(edges[worst]), float(change[worst])


def _bands(spectra: Samples, rows: Sequence[np.ndarray]) -> Samples:
    mean = spectra.mean(axis=0)
    return power_db(np.array([mean[row].sum() for row in rows]))


# What there is too much of, by its upper edge in Hz, and what there is more of.
_TOO_MUCH = (
    (170.0, _("boom")),
    (450.0, _("mud")),
    (900.0, _("boxiness")),
    (1_800.0, _("nasal sound")),
    (4_800.0, _("harshness")),
    (9_500.0, _("sharp sibilants")),
    (1e9, _("hiss")),
)
_MORE = (
    (250.0, _("warmth")),
    (900.0, _("body")),
    (2_200.0, _("presence")),
    (6_000.0, _("clarity")),
    (1e9, _("air")),
)


def sentences(found: BeforeAfter, moving: Sequence[MovingKind] = ()) -> tuple[str, ...]:
    """What is said of it: at most three sentences, each from a measurement; one where nothing
    changed that is worth it."""
    said = [
        *_room_said(found),
        *_moving_said(moving),
        *_level_said(found),
        *_tone_said(found),
    ]
    if said:
        return tuple(said[:_MOST_SENTENCES])
    return (_("Your rig needed next to nothing: room, level and tone stay as they are."),)


def _room_said(found: BeforeAfter) -> list[str]:
    before, after = found.room_before_dbfs_a, found.room_after_dbfs_a
    if before is None or after is None or before < _SILENT_DBFS:
        return []
    if after < _SILENT_DBFS:
        return [_("Your room can no longer be heard in pauses.")]
    fall = before - after
    if fall >= _ROOM_DB:
        return [_("Your room is {fall} dB quieter in pauses.", fall=plain(fall, 0))]
    if fall <= -_ROOM_DB:
        return [_("Your room is {rise} dB louder in pauses.", rise=plain(-fall, 0))]
    return []


def _moving_said(moving: Sequence[MovingKind]) -> list[str]:
    lowered = [each for each in moving if each.before_dbfs_a - each.after_dbfs_a >= _MOVING_DB]
    if not lowered:
        return []
    loudest = max(lowered, key=lambda each: each.before_dbfs_a)
    fall = plain(loudest.before_dbfs_a - loudest.after_dbfs_a, 0)
    return [
        {
            "keys": _("Keys are {fall} dB lower.", fall=fall),
            "knock": _("Knocks are {fall} dB lower.", fall=fall),
            "melody": _("Melodies are {fall} dB lower.", fall=fall),
            "voice": _("Another voice is {fall} dB lower.", fall=fall),
            "passing": _("What passes is {fall} dB lower.", fall=fall),
        }[loudest.kind]
    ]


def _level_said(found: BeforeAfter) -> list[str]:
    if found.width_before_db - found.width_after_db < _LEVEL_DB:
        return []
    return [
        _(
            "Your loudness stays within {after} dB where it moved by {before}.",
            after=plain(found.width_after_db, 0),
            before=plain(found.width_before_db, 0),
        )
    ]


def _tone_said(found: BeforeAfter) -> list[str]:
    amount = round(abs(found.tone_db))
    if abs(found.tone_db) < _TONE_DB:
        return []
    at = frequency(round(found.tone_hz, -1))
    if found.tone_db < 0.0:
        name = next(word for edge, word in _TOO_MUCH if found.tone_hz < edge)
        return [
            ngettext(
                "{count} dB of {name} around {at} is gone.",
                "{count} dB of {name} around {at} are gone.",
                amount,
                name=name,
                at=at,
            )
        ]
    name = next(word for edge, word in _MORE if found.tone_hz < edge)
    return [
        ngettext(
            "Your voice has {count} dB more {name} around {at}.",
            "Your voice has {count} dB more {name} around {at}.",
            amount,
            name=name,
            at=at,
        )
    ]
