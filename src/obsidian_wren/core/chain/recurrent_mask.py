"""A mask for voice over noise that moves, by a small recurrent network: 32 ms frames every 16 ms at
16 kHz, 257 bins, one complex gain for each.

Magnitude and spectrum are gathered into 129 bands, halved twice to 33, run through three blocks of
dilated convolutions, two passes over bands and over time, and back the same way. Its 35,378 numbers
were learned elsewhere; ``recurrent_mask.notice.txt`` beside this file says where and under which
licence. All is in single precision, and every frame costs the same.

Source: Rong, Sun, Zhang, Hu, Zhu and Lu (2024), "GTCRN: a speech enhancement model requiring
ultralow computational resources", ICASSP; Cho et al. (2014) for the gated units.
"""

from __future__ import annotations

import math
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.kernel import kernel

Single = npt.NDArray[np.float32]
Arrays = tuple[Single, ...]

MASK_BINS = 257
# The names of what is learned: six blocks, two paths, two steps down, two up.
BLOCK_PARTS = (
    *("point", "point_bias", "point_slope", "depth", "depth_bias", "depth_slope"),
    *("back", "back_bias", "unit_in", "unit_past", "unit_bias", "weigh", "weigh_bias"),
)
PATH_PARTS = (
    *("across_in", "across_past", "across_bias", "across", "across_add"),
    *("across_scale", "across_shift", "along_in", "along_past", "along_bias"),
    *("along", "along_add", "along_scale", "along_shift"),
)
EDGE_PARTS = tuple(
    f"{step}_{part}"
    for step in ("first_down", "second_down", "first_up", "second_up")
    for part in ("", "bias", "slope")
)
_DATA = "recurrent_mask.npz"
_BLOCKS = (
    "Tuple((f4[:, :, :, ::1], f4[:, ::1], f4[::1], f4[:, :, :, ::1], f4[:, ::1], f4[::1],"
    " f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, :, ::1], f4[:, :, ::1], f4[:, :, ::1],"
    " f4[:, ::1]))"
)
_PATHS = (
    "Tuple((f4[:, :, :, ::1], f4[:, :, :, ::1], f4[:, :, ::1], f4[:, :, ::1], f4[:, ::1],"
    " f4[:, :, ::1], f4[:, :, ::1], f4[:, :, :, ::1], f4[:, :, :, ::1], f4[:, :, :, ::1],"
    " f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, :, ::1]))"
)
_EDGES = f"Tuple(({', '.join(4 * ['f4[:, :, ::1], f4[::1], f4[::1]'])}))"


@kernel(fastmath=True)
def _tanh(row: Single, count: int) -> None:
    """The hyperbolic tangent of the first ``count`` in place, to 5e-7: a quotient of polynomials,
    which works on many numbers at once."""
    for i in range(count):
        x = min(max(row[i], np.float32(-7.905)), np.float32(7.905))
        s = x * x
        above = np.float32(-2.76076847742355e-16) * s + np.float32(2.00018790482477e-13)
        above = above * s + np.float32(-8.60467152213735e-11)
        above = above * s + np.float32(5.12229709037114e-08)
        above = above * s + np.float32(1.48572235717979e-05)
        above = above * s + np.float32(6.37261928875436e-04)
        above = above * s + np.float32(4.89352455891786e-03)
        below = np.float32(1.19825839466702e-06) * s + np.float32(1.18534705686654e-04)
        below = below * s + np.float32(2.26843463243900e-03)
        below = below * s + np.float32(4.89352518554385e-03)
        row[i] = x * above / below


@kernel(fastmath=True)
def _sigmoid(row: Single, count: int) -> None:
    for i in range(count):
        row[i] *= np.float32(0.5)
    _tanh(row, count)
    for i in range(count):
        row[i] = np.float32(0.5) * row[i] + np.float32(0.5)


@kernel(fastmath=True)
def _bent(row: Single, slope: np.float32) -> None:
    """What is under zero, times ``slope``."""
    for f in range(len(row)):
        row[f] = max(row[f], np.float32(0.0)) + slope * min(row[f], np.float32(0.0))


@kernel(fastmath=True)
def _add_three(row: Single, a: np.float32, b: np.float32, c: np.float32, near: Single) -> None:
    """Three neighbours ``(n + 2,)``, weighed, onto ``(n,)``."""
    for f in range(len(row)):
        row[f] += a * near[f] + b * near[f + 1] + c * near[f + 2]


@kernel(fastmath=True)
def _add(row: Single, weight: np.float32, other: Single) -> None:
    for f in range(len(row)):
        row[f] += weight * other[f]


# Put one by one: what NumPy's slices mean takes the compiler half a second each.
@kernel(fastmath=True)
def _fill(row: Single, level: np.float32) -> None:
    for f in range(len(row)):
        row[f] = level


@kernel(fastmath=True)
def _copy(row: Single, other: Single) -> None:
    for f in range(len(row)):
        row[f] = other[f]


@kernel(fastmath=True)
def _copy_rows(rows: Single, others: Single) -> None:
    for c in range(len(rows)):
        _copy(rows[c], others[c])


@kernel(fastmath=True)
def _add_rows(rows: Single, others: Single) -> None:
    for c in range(len(rows)):
        _add(rows[c], np.float32(1.0), others[c])


@kernel(fastmath=True)
def _gathered(bins: Single, high: Single, spans: npt.NDArray[np.int64], bands: Single) -> None:
    """Bins ``(257,)`` into bands ``(129,)``: the lower ones as they are, the others weighed by
    ``high`` ``(64, 192)``."""
    _copy(bands[:65], bins)
    for b in range(64):
        total = np.float32(0.0)
        for k in range(spans[b, 0], spans[b, 1]):
            total += bins[65 + k] * high[b, k]
        bands[65 + b] = total


@kernel(fastmath=True)
def _halved(rows: Single, weight: Single, bias: Single, slope: Single, into: Single) -> None:
    """A convolution over five bands, every second of them; ``weight`` ``(out, in, 5)`` by groups
    of inputs."""
    channels, n = rows.shape[0], into.shape[1]
    even = np.zeros((channels, n + 2), dtype=np.float32)
    odd = np.zeros((channels, n + 1), dtype=np.float32)
    for c in range(channels):
        for f in range(n):
            even[c, f + 1] = rows[c, 2 * f]
        for f in range(n - 1):
            odd[c, f + 1] = rows[c, 2 * f + 1]
    each = weight.shape[1]
    outs_a_group = into.shape[0] * each // channels
    for o in range(into.shape[0]):
        row, first = into[o], o // outs_a_group * each
        _fill(row, bias[o])
        for c in range(each):
            w, e, d = weight[o, c], even[first + c], odd[first + c]
            a, b = w[1], w[3]
            _add_three(row, w[0], w[2], w[4], e)
            for f in range(n):
                row[f] += a * d[f] + b * d[f + 1]
        _bent(row, slope[0])


@kernel(fastmath=True)
def _doubled(rows: Single, weight: Single, bias: Single, into: Single) -> None:
    """The way back: a transposed convolution over five bands, ``weight`` ``(in, out, 5)`` by groups
    of inputs."""
    channels, n = rows.shape
    padded = np.zeros((channels, n + 2), dtype=np.float32)
    for c in range(channels):
        _copy(padded[c, 1 : n + 1], rows[c])
    each = weight.shape[1]
    ins_a_group = channels * each // into.shape[0]
    even, odd = np.empty(n, dtype=np.float32), np.empty(n, dtype=np.float32)
    for o in range(into.shape[0]):
        _fill(even, bias[o])
        _fill(odd, bias[o])
        first = o // each * ins_a_group
        for c in range(first, first + ins_a_group):
            w, x = weight[c, o % each], padded[c]
            _add_three(even, w[4], w[2], w[0], x)
            a, b = w[1], w[3]
            for f in range(n):
                odd[f] += a * x[f + 2] + b * x[f + 1]
        for f in range(n):
            into[o, 2 * f] = even[f]
        for f in range(n - 1):
            into[o, 2 * f + 1] = odd[f]


@kernel(fastmath=True)
def _weighed(out: Single, parts: Arrays, b: int, hidden: Single) -> Single:
    """What a gated unit makes of the powers of ``out`` ``(8, 33)``: a weight for each row."""
    unit_in, unit_past, unit_bias, weigh, weigh_bias = parts[8:]
    n = out.shape[1]
    given, kept = unit_bias[b, 0].copy(), unit_bias[b, 1].copy()
    for o in range(8):
        total = np.float32(0.0)
        for f in range(n):
            total += out[o, f] * out[o, f]
        _add(given, total / np.float32(n), unit_in[b, o])
    for i in range(16):
        _add(kept, hidden[i], unit_past[b, i])
    _gated(given, kept, hidden)
    weights: Single = weigh_bias[b].copy()
    for i in range(16):
        _add(weights, hidden[i], weigh[b, i])
    _sigmoid(weights, 8)
    return weights


@kernel(fastmath=True)
def _block(
    x: Single, parts: Arrays, b: int, past: Single, hidden: Single, at: int, dilation: int
) -> None:
    """Half of the channels ``(16, 33)`` through a convolution over bands and time, weighed by what
    a gated unit makes of their powers, and shuffled with the other half; in place.

    ``past``: frames that the deep convolution looks back on ``(frames, 16, 35)``.
    """
    point, point_bias, point_slope, depth, depth_bias, depth_slope, back, back_bias = parts[:8]
    n, frames = 33, 2 * dilation + 1
    padded = np.zeros((8, n + 2), dtype=np.float32)
    for c in range(8):
        _copy(padded[c, 1 : n + 1], x[c])
    now = past[at % frames]
    for o in range(16):
        row = now[o, 1 : n + 1]
        _fill(row, point_bias[b, o])
        for c in range(8):
            w = point[b, o, c]
            _add_three(row, w[0], w[1], w[2], padded[c])
        _bent(row, point_slope[b])
    out = np.empty((8, n), dtype=np.float32)
    for o in range(8):
        _fill(out[o], back_bias[b, o])
    deep = np.empty(n, dtype=np.float32)
    for c in range(16):
        _fill(deep, depth_bias[b, c])
        for k in range(3):
            w = depth[b, c, k]
            before = past[(at + frames - (2 - k) * dilation) % frames, c]
            _add_three(deep, w[0], w[1], w[2], before)
        _bent(deep, depth_slope[b])
        for o in range(8):
            _add(out[o], back[b, o, c], deep)
    weights = _weighed(out, parts, b, hidden)
    # The other half stands between.
    for c in range(8):
        _copy(x[2 * c + 1], x[8 + c])
    for c in range(8):
        row = x[2 * c]
        for f in range(n):
            row[f] = weights[c] * out[c, f]


@kernel(fastmath=True)
def _gated(given: Single, kept: Single, hidden: Single) -> None:
    """One step of gated units ``(n,)``, in place, by what they are given and what they kept, each
    ``(3 · n,)``."""
    n = len(hidden)
    for j in range(2 * n):
        given[j] += kept[j]
    _sigmoid(given, 2 * n)
    new, reset, remembered = given[2 * n :], given[n:], kept[2 * n :]
    for j in range(n):
        new[j] += reset[j] * remembered[j]
    _tanh(new, n)
    for j in range(n):
        hidden[j] = new[j] + given[j] * (hidden[j] - new[j])


@kernel(fastmath=True)
def _joined(
    told: Single, weight: Single, bias: Single, scale: Single, shift: Single, x: Single
) -> None:
    """What units tell ``(16, 33)``, mixed, brought to mean 0 and spread 1 over the frame, and added
    to ``x``."""
    n = told.shape[1]
    mixed = np.empty((16, n), dtype=np.float32)
    total, square = np.float32(0.0), np.float32(0.0)
    for j in range(16):
        row = mixed[j]
        _fill(row, bias[j])
        for i in range(16):
            _add(row, weight[i, j], told[i])
        for f in range(n):
            total += row[f]
    mean = total / np.float32(16 * n)
    for j in range(16):
        for f in range(n):
            square += (mixed[j, f] - mean) ** 2
    per = np.float32(1.0) / (np.sqrt(square / np.float32(16 * n)) + np.float32(1e-8))
    for j in range(16):
        for f in range(n):
            x[j, f] += (mixed[j, f] - mean) * per * scale[j, f] + shift[j, f]


@kernel(fastmath=True)
def _given_across(x: Single, parts: Arrays, p: int) -> Single:
    """What the four units across bands are given in each of their steps ``(33, 48)``: by gates,
    then units, then what each keeps."""
    across_in, across_bias, n = parts[0], parts[2], 33
    given = np.empty((n, 48), dtype=np.float32)
    for step in range(n):
        _copy(given[step], across_bias[p, 0])
        for unit in range(4):
            f = step if unit % 2 == 0 else n - 1 - step
            half = 8 * (unit // 2)
            for gate in range(3):
                at = 16 * gate + 4 * unit
                for i in range(8):
                    value = x[half + i, f]
                    for j in range(4):
                        given[step, at + j] += value * across_in[p, gate, i, 4 * unit + j]
    return given


@kernel(fastmath=True)
def _across(x: Single, parts: Arrays, p: int) -> Single:
    """Gated units across bands ``(16, 33)`` in both directions, each half of the channels by
    itself."""
    across_past, across_bias = parts[1], parts[2]
    n = 33
    told, given = np.empty((16, n), dtype=np.float32), _given_across(x, parts, p)
    carried, spread = np.zeros(16, dtype=np.float32), np.empty(16, dtype=np.float32)
    kept = np.empty(48, dtype=np.float32)
    for step in range(n):
        _copy(kept, across_bias[p, 1])
        for i in range(4):
            for unit in range(4):
                for j in range(4):
                    spread[4 * unit + j] = carried[4 * unit + i]
            for gate in range(3):
                for j in range(16):
                    kept[16 * gate + j] += spread[j] * across_past[p, gate, i, j]
        _gated(given[step], kept, carried)
        for unit in range(4):
            f = step if unit % 2 == 0 else n - 1 - step
            for j in range(4):
                told[4 * unit + j, f] = carried[4 * unit + j]
    return told


@kernel(fastmath=True)
def _along(x: Single, parts: Arrays, p: int, hidden: Single) -> None:
    """Gated units along time, of each band and each half of the channels; ``hidden`` ``(16, 33)``
    is what they keep."""
    along_in, along_past, along_bias = parts[7:10]
    n = x.shape[1]
    gates, kept = np.empty((3, n), dtype=np.float32), np.empty(n, dtype=np.float32)
    after = np.empty((8, n), dtype=np.float32)
    for half in range(2):
        mine, before = x[8 * half : 8 * half + 8], hidden[8 * half : 8 * half + 8]
        for j in range(8):
            for gate in range(3):
                row, k = gates[gate], 8 * gate + j
                _fill(row, along_bias[p, half, 0, k])
                _fill(kept, along_bias[p, half, 1, k])
                for i in range(8):
                    _add(row, along_in[p, half, i, k], mine[i])
                    _add(kept, along_past[p, half, i, k], before[i])
                if gate < 2:
                    _add(row, np.float32(1.0), kept)
                    _sigmoid(row, n)
            stays, reset, new = gates[0], gates[1], gates[2]
            for f in range(n):
                new[f] += reset[f] * kept[f]
            _tanh(new, n)
            for f in range(n):
                after[j, f] = new[f] + stays[f] * (before[j, f] - new[f])
        _copy_rows(before, after)


@kernel(fastmath=True)
def _path(x: Single, parts: Arrays, p: int, hidden: Single) -> None:
    """Bands ``(16, 33)`` across bands and along time, in place."""
    across, across_add, across_scale, across_shift = parts[3:7]
    along, along_add, along_scale, along_shift = parts[10:]
    told = _across(x, parts, p)
    _joined(told, across[p], across_add[p], across_scale[p], across_shift[p], x)
    _along(x, parts, p, hidden)
    _joined(hidden, along[p], along_add[p], along_scale[p], along_shift[p], x)


@kernel(
    "f4[:, :, ::1](c16[:, ::1], f8, f4[:, ::1], i8[:, ::1],"
    f" {_EDGES}, {_BLOCKS}, {_PATHS}, f4[:, :, :, ::1], f4[:, ::1], f4[:, :, ::1], i8[::1])",
    fastmath=True,
)
def _masks(
    spectra: npt.NDArray[np.complex128],
    scale: float,
    high: Single,
    spans: npt.NDArray[np.int64],
    edges: Arrays,
    blocks: Arrays,
    paths: Arrays,
    pasts: Single,
    hidden: Single,
    along: Single,
    at: npt.NDArray[np.int64],
) -> Single:
    frames, bins = spectra.shape[0], min(257, spectra.shape[1])
    masks = np.empty((2, frames, 257), dtype=np.float32)
    looks, bands = np.zeros((3, 257), np.float32), np.empty((3, 129), np.float32)
    near = np.zeros((9, 129), dtype=np.float32)
    half, quarter = np.empty((16, 65), np.float32), np.empty((16, 33), np.float32)
    # What leaves the blocks of the way down goes into their counterparts too.
    kept, x = np.empty((3, 16, 33), np.float32), np.empty((16, 33), np.float32)
    wide, whole = np.empty((16, 65), np.float32), np.empty((2, 129), np.float32)
    for j in range(frames):
        for k in range(bins):
            real, imaginary = spectra[j, k].real * scale, spectra[j, k].imag * scale
            looks[0, k] = math.sqrt(real * real + imaginary * imaginary + 1e-12)
            looks[1, k], looks[2, k] = real, imaginary
        for c in range(3):
            _gathered(looks[c], high, spans, bands[c])
            _copy(near[3 * c, 1:], bands[c])
            _copy(near[3 * c + 1], bands[c])
            _copy(near[3 * c + 2, :-1], bands[c, 1:])
        _halved(near, edges[0], edges[1], edges[2], half)
        _halved(half, edges[3], edges[4], edges[5], quarter)
        _copy_rows(x, quarter)
        for b in range(6):
            if b == 3:
                for p in range(2):
                    _path(x, paths, p, along[p])
            if b >= 3:
                _add_rows(x, kept[5 - b])
            _block(x, blocks, b, pasts[b], hidden[b], at[0], (1, 2, 5, 5, 2, 1)[b])
            if b < 3:
                _copy_rows(kept[b], x)
        _add_rows(x, quarter)
        _doubled(x, edges[6], edges[7], wide)
        for c in range(16):
            _bent(wide[c], edges[8][0])
            _add(wide[c], np.float32(1.0), half[c])
        _doubled(wide, edges[9], edges[10], whole)
        for part in range(2):
            mask, told = masks[part, j], whole[part]
            _tanh(told, 129)
            _copy(mask[:65], told)
            _fill(mask[65:], np.float32(0.0))
            for b in range(64):
                first, last = spans[b]
                _add(mask[65 + first : 65 + last], told[65 + b], high[b, first:last])
        at[0] += 1
    return masks


@cache
def _learned() -> tuple[Any, ...]:
    """The learned numbers, loaded where they are first needed: the bands ``(64, 192)``, where each
    begins and ends, and the parts of edges, blocks and paths."""
    with files(__package__).joinpath(_DATA).open("rb") as file, np.load(file) as data:
        high = data["bands"]
        parts = [
            tuple(data[name] for name in names) for names in (EDGE_PARTS, BLOCK_PARTS, PATH_PARTS)
        ]
    spans = np.array([[rows[0], rows[-1] + 1] for rows in map(np.flatnonzero, high)])
    return high, spans, *parts


class RecurrentMask:
    """The network with what it remembers of a stream."""

    def __init__(self) -> None:
        self._pasts = np.zeros((6, 11, 16, 35), dtype=np.float32)
        self._hidden = np.zeros((6, 16), dtype=np.float32)
        self._along = np.zeros((2, 16, 33), dtype=np.float32)
        self._at = np.zeros(1, dtype=np.int64)

    @property
    def state(self) -> tuple[npt.NDArray[Any], ...]:
        """What is carried from frame to frame.

        ``(blocks, frames, channels, bands)``, ``(blocks, n)``, ``(paths, channels, bands)`` and
        ``(1,)``.
        """
        return self._pasts, self._hidden, self._along, self._at

    def masks(self, spectra: npt.NDArray[np.complex128], *, scale: float) -> Single:
        """Real and imaginary parts ``(2, frames, 257)`` of the gain of each bin, for spectra
        ``(frames, bins)`` with bins 31.25 Hz apart; ``scale`` brings them to those of 512 samples
        at 16 kHz under a root of a Hann window, full scale 1."""
        high, spans, edges, blocks, paths = _learned()
        state = (self._pasts, self._hidden, self._along, self._at)
        return np.asarray(_masks(spectra, scale, high, spans, edges, blocks, paths, *state))
