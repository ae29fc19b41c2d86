"""What pieces of a live microphone say together: the voice where it talks, the room in its pauses.

Trimmed means over pieces, and a low percentile over moments of the room, so that a sneeze, a
laugh, a slammed door or somebody else who says a word moves them little.

Source: active speech by ITU-T P.56; Tukey and McLaughlin (1963) for the standard error of a trimmed
mean; that of a median is 1.25 times that of a mean.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.speech import spoken_mask, spoken_over_dbfs
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.noticing.piece import FALL_HOP_S, LEVEL_S, Piece
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

Mask = npt.NDArray[np.bool_]
_OF_MEDIAN, _TRIMMED = 1.25, 0.15
# A piece counts for the voice where so many of its frames are speech.
_LEAST_SPOKEN_S = 0.6
_MOSTLY = 0.5
# Who is so far under the level of the voice is somebody else in the room; who is so far over it
# shouts.
_FARTHER_DB, _LOUDER_DB = 14.0, 13.0
# So long after speech its ring is over.
_RING_S, _BEFORE_S = 0.3, 0.05
_QUIET_PERCENT, _HUM_PERCENT = 10.0, 30.0
# From the tenth to the half of a steady noise; what is more than that by so much moves.
_DEVIATIONS, _MOVES_DB, _OF_MOVES = 1.28, 1.0, 0.7
_LEAST_OVER_NOISE = 0.5
_NOTHING_KNOWN_DB = 100.0
# So few frames tell a tenth of all without bias.
_LEAST_VOICE, _LEAST_PAUSES = 3, 9
_BEFORE_FRAMES, _DEEPEST_PERCENTS, _LOUD_PERCENT = (12, 24), (2.0, 5.0, 10.0), 60.0
_MAINS_HZ, _HUM_TO_HZ, _BESIDE_HZ = (50.0, 60.0), 500.0, 23.0
_HUM_STANDS_OUT, _LEAST_LINES, _LINE_BINS, _THIRD_OCTAVE = 2.0, 2, 1.5, 0.2316


@dataclass(frozen=True)
class Heard:
    """Which frames of pieces are speech and which are the room: for each piece a mask ``(frames,)``
    of either; ``active_dbfs``: the level over which a frame is speech, before the margin."""

    spoken: list[Mask]
    quiet: list[Mask]
    active_dbfs: float


def parted(pieces: Sequence[Piece]) -> Heard:
    """Speech and room of pieces that follow each other."""
    levels = np.concatenate([piece.levels_dbfs for piece in pieces]).astype(np.float64)
    active = _active_dbfs(levels)
    said = spoken_mask(levels, active)
    ring, before = round(_RING_S / LEVEL_S), round(_BEFORE_S / LEVEL_S)
    around = np.convolve(said, np.ones(ring + before + 1), "full")
    near = np.round(around[before : before + len(said)]) > 0.0
    spoken, quiet, at = [], [], 0
    for piece in pieces:
        first = at + _frame_places(piece)
        width = round(piece.frame_s / LEVEL_S)
        spoken.append(_share(said, first, width) >= _MOSTLY)
        quiet.append(_share(near, first, width) <= 0.0)
        at += len(piece.levels_dbfs)
    return Heard(spoken, quiet, active)


def spoken_in(piece: Piece, active_dbfs: float) -> float:
    """Speech in a piece, in seconds, where speech is of such a level, in dBFS."""
    return float(np.count_nonzero(piece.levels_dbfs > spoken_over_dbfs(active_dbfs))) * LEVEL_S


def quietest_db(piece: Piece) -> Samples:
    """The third octaves of a piece in its quietest frame, dBFS ``(noise bands,)``."""
    quietest = int(np.argmin(_powers(piece.noise_db.astype(np.float64)).sum(axis=1)))
    return np.asarray(piece.noise_db[quietest], dtype=np.float64)


def summed_up(
    pieces: Sequence[Piece],
    room: Sequence[Piece] = (),
    *,
    before: Sequence[Piece] = (),
    levels_dbfs: Sequence[float] = (),
    grid: float | None = None,
) -> Sounding | None:
    """What pieces say of the voice, and of the room in its pauses; where there are too few, in
    those of the pieces ``before`` as well, or in ``room``, a take without a voice. None where there
    is too little of either. ``levels_dbfs``: what the voice's level may be about, where that is
    known; who is far from all of them is not counted; ``grid``: the trace of a slider where no
    piece was looked at for it."""
    if not pieces:
        return None
    heard = parted(pieces)
    noise = _noise(pieces, heard.quiet)
    if noise is None and before:
        noise = _last_noise([*before, *pieces])
    if noise is None:
        noise = _noise(room, [_all(piece) for piece in room])
    if noise is None:
        return None
    voices = _voices(pieces, heard, levels_dbfs)
    if voices is None:
        return None
    levels = np.array([power_db(float(np.sum(_powers(one)))) for one in voices])
    spoken, _ = _trimmed(voices)
    level, level_error = _trimmed(levels)
    under = np.interp(np.log(VOICE_HZ), np.log(noise.hz), noise.db)
    power, beside = _powers(spoken), _powers(under)
    drowned = np.clip(3.0 * (beside / power - 0.3), 0.0, _NOTHING_KNOWN_DB)
    levelled = voices - np.mean(voices, axis=1, keepdims=True)
    low, high = _range(pieces, heard)
    rate = pieces[0].rate_hz
    return Sounding(
        rate_hz=rate,
        seconds=sum(spoken_in(piece, heard.active_dbfs) for piece in pieces),
        active_level_dbfs=float(level),
        level_error_db=float(level_error),
        voice_db=power_db(np.maximum(power - beside, _LEAST_OVER_NOISE * power)),
        voice_error_db=_trimmed(levelled)[1] + drowned,
        noise_hz=noise.hz,
        noise_db=noise.db,
        noise_error_db=noise.error_db,
        floor_dbfs=power_db(float(np.sum(_powers(noise.db)))),
        floor_dbfs_a=power_db(float(a_weighting_power(noise.hz) @ _powers(noise.db))),
        hum_dbfs=noise.hum_dbfs,
        mains_hz=noise.mains_hz,
        late_db=_late_db(pieces, noise),
        decay_s=None,
        peaks_dbfs=float(np.median([piece.peak_dbfs for piece in pieces])),
        range_db=high - low,
        pauses_over_db=0.0,
        silent_share=float(np.mean([_silent_share(p, heard.active_dbfs) for p in pieces])),
        flat_tops=sum(piece.clipped for piece in pieces),
        flat_level_dbfs=max((p.peak_dbfs for p in pieces if p.clipped), default=None),
        pitch_hz=None,
        contour_db=np.zeros(0),
        grid=_grid((*pieces, *room), grid),
    )


def _powers(levels_db: Samples) -> Samples:
    return np.asarray(10.0 ** (levels_db / 10.0))


def _grid(pieces: Sequence[Piece], unlooked: float | None) -> float | None:
    looked = [piece.grid for piece in pieces if piece.graded]
    return looked[-1] if looked else unlooked


def _active_dbfs(levels: Samples) -> float:
    """The level of what is speech: the mean power of what lies over it less the margin."""
    level = float(np.percentile(levels, 95.0))
    for _step in range(8):
        said = levels[spoken_mask(levels, level)]
        if not len(said):
            break
        level = float(power_db(float(np.mean(_powers(said)))))
    return level


def _frame_places(piece: Piece) -> npt.NDArray[np.int64]:
    """Where each frame begins, in steps of 10 ms."""
    hop = piece.frame_s / 2.0
    return np.asarray(np.arange(len(piece.voice_db)) * hop / LEVEL_S).astype(np.int64)


def _share(mask: Mask, first: npt.NDArray[np.int64], width: int) -> Samples:
    running = np.concatenate([[0], np.cumsum(mask)])
    last = np.minimum(first + width, len(mask))
    return np.asarray((running[last] - running[first]) / np.maximum(last - first, 1))


def _all(piece: Piece) -> Mask:
    return np.ones(len(piece.voice_db), dtype=bool)


def _voices(pieces: Sequence[Piece], heard: Heard, levels_dbfs: Sequence[float]) -> Samples | None:
    """The mean spectrum of the speech of each piece that holds enough of it, ``(n, bands)``."""
    least = _LEAST_SPOKEN_S / (pieces[0].frame_s / 2.0)
    found = np.array(
        [
            power_db(np.mean(_powers(piece.voice_db[mask].astype(np.float64)), axis=0))
            for piece, mask in zip(pieces, heard.spoken, strict=True)
            if np.count_nonzero(mask) >= least
        ]
    )
    if len(found) < _LEAST_VOICE:
        return None
    levels = power_db(np.sum(_powers(found), axis=1))
    usual = np.array(levels_dbfs or [float(np.median(levels))])
    off = levels[:, None] - usual[None, :]
    near = np.any((off > -_FARTHER_DB) & (off < _LOUDER_DB), axis=1)
    return found[near] if np.count_nonzero(near) >= _LEAST_VOICE else None


def _trimmed(values: Samples) -> tuple[Samples, Samples]:
    """Mean of values ``(n, ...)`` over the first axis without the outer ones, and its standard
    error."""
    count = len(values)
    cut = int(_TRIMMED * count)
    ordered = np.sort(values, axis=0)
    mean = ordered[cut : count - cut].mean(axis=0)
    pulled = np.clip(ordered, ordered[cut], ordered[count - cut - 1])
    error = np.std(pulled, axis=0, ddof=1) / ((1.0 - 2.0 * cut / count) * np.sqrt(count))
    return np.asarray(mean), np.asarray(error)


@dataclass(frozen=True)
class _Room:
    hz: Samples
    db: Samples
    error_db: Samples
    hum_dbfs: float | None
    mains_hz: float | None
    fall_floor: Samples


def _noise(pieces: Sequence[Piece], masks: Sequence[Mask]) -> _Room | None:
    kept = [(piece, mask) for piece, mask in zip(pieces, masks, strict=True) if mask.any()]
    if sum(int(mask.sum()) for _, mask in kept) < _LEAST_PAUSES:
        return None
    levels = np.concatenate([piece.noise_db[mask] for piece, mask in kept]).astype(np.float64)
    low = np.concatenate([piece.low[mask] for piece, mask in kept]).astype(np.float64)
    hum, mains, lines = _hum(np.percentile(low, _HUM_PERCENT, axis=0), pieces[0].bin_hz)
    hz = np.array(pieces[0].noise_hz)
    quiet, middle = np.percentile(levels, [_QUIET_PERCENT, 50.0], axis=0, method="weibull")
    # Frames overlap by half, and a room moves slower than they come.
    error = _OF_MEDIAN * np.std(levels, axis=0) / np.sqrt(max(len(levels) / 2.0, 1.0))
    floor = np.min([np.percentile(p.falls, 10.0, axis=1) for p, _ in kept], axis=0)
    moves = _moves_db(hz, middle - quiet, pieces[0].frame_s)
    return _Room(hz, _without(lines, hz, quiet), np.hypot(error, moves), hum, mains, floor)


def _last_noise(pieces: Sequence[Piece]) -> _Room | None:
    """The room in the last pauses of pieces, as far back as there are just enough."""
    quiet = parted(pieces).quiet
    counts = np.cumsum([int(mask.sum()) for mask in quiet][::-1])
    enough = int(np.searchsorted(counts, _LEAST_PAUSES)) + 1
    return _noise(pieces[-enough:], quiet[-enough:])


def _moves_db(hz: Samples, spread_db: Samples, frame_s: float) -> Samples:
    """By how much a room moves more than a steady noise of so many degrees of freedom does, dB:
    keys, a dog, somebody else. Its floor is not known better than that."""
    degrees = np.maximum(2.0 * _THIRD_OCTAVE * hz * frame_s, 2.0)
    steady = _DEVIATIONS * 4.34 * np.sqrt(2.0 / degrees)
    return np.asarray(_OF_MOVES * np.maximum(spread_db - steady - _MOVES_DB, 0.0))


def _without(lines: Sequence[tuple[float, float]], hz: Samples, db: Samples) -> Samples:
    """Third octaves without lines of Hz, by the power a Hz that lies beside each."""
    left = db.copy()
    for line, beside in lines:
        at = int(np.abs(np.log(hz / line)).argmin())
        left[at] = min(left[at], float(power_db(max(beside * _THIRD_OCTAVE * hz[at], 1e-17))))
    return left


_Lines = list[tuple[float, float]]


def _hum(low: Samples, bin_hz: float) -> tuple[float | None, float | None, _Lines]:
    """The level of what stands at the multiples of the mains, over what is between them, dBFS,
    which mains it is, and its lines of Hz with the power a Hz beside them; None where nothing
    does."""
    best: tuple[float | None, float | None, _Lines] = (None, None, [])
    hz = np.arange(len(low)) * bin_hz
    power = low * 10.0 ** (AES17_OFFSET_DB / 10.0)
    for mains in _MAINS_HZ:
        lines = np.arange(mains, _HUM_TO_HZ, mains)
        at = np.abs(hz[None, :] - lines[:, None])
        widths = np.array([np.count_nonzero(row < _LINE_BINS * bin_hz) for row in at])
        on = np.array([power[row < _LINE_BINS * bin_hz].sum() for row in at])
        beside = np.array([power[np.abs(row - _BESIDE_HZ) < bin_hz].mean() for row in at])
        stands = on > _HUM_STANDS_OUT * beside * widths
        if np.count_nonzero(stands) < _LEAST_LINES:
            continue
        level = power_db(float(np.sum((on - beside * widths)[stands])))
        if best[0] is None or level > best[0]:
            found = zip(lines[stands].tolist(), (beside[stands] / bin_hz).tolist(), strict=True)
            best = (level, mains, list(found))
    return best


def _range(pieces: Sequence[Piece], heard: Heard) -> tuple[float, float]:
    levels = np.concatenate([piece.levels_dbfs for piece in pieces])
    said = levels[spoken_mask(levels, heard.active_dbfs)]
    low, high = np.percentile(said, [10.0, 95.0])
    return float(low), float(high)


def _silent_share(piece: Piece, active_dbfs: float) -> float:
    quiet = piece.levels_dbfs[piece.levels_dbfs < active_dbfs - 20.0]
    return piece.silent_share * len(piece.levels_dbfs) / len(quiet) if len(quiet) else 0.0


def _late_db(pieces: Sequence[Piece], noise: _Room) -> float | None:
    """How far speech falls within a tenth of a second where it falls most."""
    before, deepest = slice(*_BEFORE_FRAMES), np.array(_DEEPEST_PERCENTS)
    ago = np.zeros(_BEFORE_FRAMES[1])
    ago[before] = 1.0 / (_BEFORE_FRAMES[1] - _BEFORE_FRAMES[0])
    found = []
    for band, floor in enumerate(noise.fall_floor):
        now, was = [], []
        for piece in pieces:
            power = np.maximum(piece.falls[band].astype(np.float64) - floor, 1e-14)
            now.append(power[len(ago) :])
            was.append(np.convolve(power, ago)[len(ago) : len(power)])
        power, earlier = np.concatenate(now), np.concatenate(was)
        loud = earlier > np.percentile(earlier, _LOUD_PERCENT)
        if np.count_nonzero(loud) * FALL_HOP_S < 1.0:
            return None
        found.append(np.mean(np.percentile(power_db(power[loud] / earlier[loud]), deepest)))
    return float(np.mean(found))
