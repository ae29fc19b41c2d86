"""A block made shorter or longer where nobody hears it: a stretch is left out, or comes twice,
where the sound is most alike.

Source: Verhelst and Roelands 1993 (overlap-add at the lag of greatest similarity).
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples

# The fade is so much of a block, and no stretch is shorter.
_FADE_SHARE = 5
_LEAST = 16


def shortened(block: Samples, most: int) -> Samples:
    """A block ``(n,)`` or ``(n, channels)`` without up to ``most`` of its samples; the block itself
    where it is too short for that."""
    fade = len(block) // _FADE_SHARE
    lag = _lag(block[:fade], block, min(most, len(block) - fade))
    if lag is None:
        return block
    return np.concatenate([_faded(block[:fade], block[lag : lag + fade]), block[lag + fade :]])


def lengthened(block: Samples, most: int) -> Samples:
    """A block ``(n,)`` or ``(n, channels)`` with up to ``most`` samples more; the block itself
    where it is too short for that."""
    fade = len(block) // _FADE_SHARE
    end = len(block) - fade
    lag = _lag(block[end:][::-1], block[::-1], min(most, end))
    if lag is None:
        return block
    again = block[end - lag : end - lag + fade]
    return np.concatenate([block[:end], _faded(block[end:], again), block[end - lag + fade :]])


def _lag(piece: Samples, sound: Samples, most: int) -> int | None:
    """How far from the beginning of a sound, up to ``most``, it is most like the piece at its
    beginning; None where there is no room to look."""
    fade = len(piece)
    if most < _LEAST or fade < _LEAST:
        return None
    wanted, sound = (each.reshape(len(each), -1).sum(axis=1) for each in (piece, sound))
    lags = np.arange(max(_LEAST, most // 3), most + 1)
    found = np.correlate(sound[: most + fade], wanted, "valid")[lags]
    energy = np.cumsum(np.concatenate([[0.0], sound[: most + fade] ** 2]))
    size = np.sqrt(np.maximum(energy[lags + fade] - energy[lags], 1e-30))
    return int(lags[np.argmax(found / size)])


def _faded(out: Samples, in_: Samples) -> Samples:
    ramp = (np.arange(len(out)) + 1.0) / (len(out) + 1.0)
    if out.ndim > 1:
        ramp = ramp[:, None]
    return np.asarray(out * (1.0 - ramp) + in_ * ramp)
