"""Whether a quiet take and a talk belong together: the floor in the pauses of the talk against
that of the quiet take.

Source: practice: the room does not know whether somebody talks, so both floors are one, unless a
knob was turned or something runs only then.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_from_db, power_db
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.measure.levels import frame_levels_dbfs, without_offset
from obsidian_wren.core.measure.spectrum import power_spectrum
from obsidian_wren.core.measure.speech import spoken_over_dbfs
from obsidian_wren.core.wording import _

MISMATCH_DB = 6.0
_FRAME_S = 0.01
# A pause counts where it stands level: what falls is a word's reverberation.
_WINDOW, _HALF = 20, 10
_LEVEL_DB = 1.5
_LEAST_WINDOWS = 5
_SAME_DB, _LEAST_PAUSES, _APART = 2.5, 4, 30
_ENOUGH_PAUSE_S = 2.0
_SILENT_DBFS = -140.0
_OCTAVES_HZ = 125.0 * 2.0 ** np.arange(6)
_SAME_SHAPE_DB = 3.5


@dataclass(frozen=True)
class FloorMatch:
    """The floor under the talk: how far it stands over the quiet take in dB, whether it has the
    same spectrum (then a gain was changed), and the quiet take as it is under the talk, ``(n,)``.
    """

    difference_db: float
    same_shape: bool
    floor: Samples
    findings: tuple[Finding, ...]


def rate_findings(quiet_rate_hz: float, talk_rate_hz: float) -> tuple[Finding, ...]:
    """What is said where a quiet take and a talk differ in rate, Hz."""
    if quiet_rate_hz == talk_rate_hz:
        return ()
    return (
        Finding(
            "rate_mismatch",
            _(
                "The room at rest has {quiet_rate_hz:g} kHz and the talk {talk_rate_hz:g} kHz:"
                " the room is converted to the rate of the talk.",
                quiet_rate_hz=quiet_rate_hz / 1000,
                talk_rate_hz=talk_rate_hz / 1000,
            ),
            _("Record both with the same settings."),
        ),
    )


def match_floor(
    quiet: Samples, talk: Samples, *, rate_hz: float, active_level_dbfs: float
) -> FloorMatch | None:
    """Hold the pauses of ``(n,)`` samples of talk against a quiet take ``(m,)`` at the same rate;
    None where no pause of the talk is long enough to stand level."""
    found = _pauses(talk, rate_hz, active_level_dbfs)
    if found is None:
        return None
    pauses, level_dbfs = found
    windows, _starts = _windows(quiet, rate_hz, float("inf"))
    # Digital silence is no floor.
    windows = windows[windows > _SILENT_DBFS]
    if not len(windows):
        return None
    difference = level_dbfs - float(np.median(windows))
    if abs(difference) <= MISMATCH_DB:
        return FloorMatch(difference, True, quiet, ())
    away = _octaves_db(pauses, rate_hz) - _octaves_db(quiet, rate_hz)
    same = float(np.std(away)) <= _SAME_SHAPE_DB
    shifted = quiet * amplitude_from_db(difference)
    if same:
        up = _("higher") if difference > 0 else _("lower")
        finding = Finding(
            "floor_mismatch",
            _(
                "The noise floor is {difference:.0f} dB {up} between your words than in the"
                " room at rest, with the same spectrum: the gain was changed. The noise between"
                " your words counts.",
                difference=abs(difference),
                up=up,
            ),
            _("Record both at the same gain."),
        )
        return FloorMatch(difference, True, shifted, (finding,))
    if difference > 0:
        what = _("something runs only while you talk, such as a fan. The noise between your words")
    else:
        what = _("something ran only in the room at rest. The noise between your words")
    finding = Finding(
        "floor_mismatch",
        (
            _(
                "The noise floor is {difference:.0f} dB higher between your words than in the"
                " room at rest, with another spectrum: {what} counts.",
                difference=abs(difference),
                what=what,
            )
            if difference > 0
            else _(
                "The noise floor is {difference:.0f} dB lower between your words than in the"
                " room at rest, with another spectrum: {what} counts.",
                difference=abs(difference),
                what=what,
            )
        ),
        _("Switch it off, or record the room again as it is when you talk."),
    )
    whole = len(pauses) >= _ENOUGH_PAUSE_S * rate_hz
    return FloorMatch(difference, False, pauses if whole else shifted, (finding,))


def _windows(samples: Samples, rate_hz: float, spoken_dbfs: float) -> tuple[Samples, np.ndarray]:
    """Levels of the fifths of a second that stand level and hold no speech, and the frame at
    which each begins."""
    levels = frame_levels_dbfs(samples, rate_hz=rate_hz, frame_s=_FRAME_S)
    if len(levels) < _WINDOW:
        return np.zeros(0), np.zeros(0, dtype=int)
    power = np.lib.stride_tricks.sliding_window_view(10.0 ** (levels / 10.0), _WINDOW)
    silent = np.lib.stride_tricks.sliding_window_view(levels, _WINDOW).max(axis=1) < spoken_dbfs
    first = power_db(np.maximum(power[:, :_HALF].mean(axis=1), 1e-20))
    second = power_db(np.maximum(power[:, _HALF:].mean(axis=1), 1e-20))
    starts = np.flatnonzero(silent & (np.abs(first - second) < _LEVEL_DB))
    return np.asarray(power_db(np.maximum(power[starts].mean(axis=1), 1e-20))), starts


def _pauses(
    talk: Samples, rate_hz: float, active_level_dbfs: float
) -> tuple[Samples, float] | None:
    """What lies level between the words, ``(m,)``, and its level in dBFS."""
    talk = without_offset(talk)
    levels, starts = _windows(talk, rate_hz, spoken_over_dbfs(active_level_dbfs))
    starts, levels = starts[levels > _SILENT_DBFS], levels[levels > _SILENT_DBFS]
    if len(levels) < _LEAST_WINDOWS:
        return None
    # A floor is the same in every pause; tails of words are not.
    near = levels < float(levels.min()) + _SAME_DB
    if len(np.flatnonzero(np.diff(starts[near], prepend=-_APART) >= _APART)) < _LEAST_PAUSES:
        return None
    frame = round(_FRAME_S * rate_hz)
    kept = np.zeros(len(talk), dtype=bool)
    for start in starts[near]:
        kept[start * frame : (start + _WINDOW) * frame] = True
    return talk[kept], float(np.median(levels[near]))


def _octaves_db(samples: Samples, rate_hz: float) -> Samples:
    spectrum = power_spectrum(without_offset(samples), rate_hz=rate_hz, frame_s=0.1)
    edges = np.sqrt(2.0)
    power = [
        spectrum.mean_square[
            (spectrum.frequency_hz >= hz / edges) & (spectrum.frequency_hz < hz * edges)
        ].sum()
        for hz in _OCTAVES_HZ
        if hz * edges <= rate_hz / 2.0
    ]
    return np.asarray(power_db(np.maximum(power, 1e-30)))
