"""Sound that is there already, run through a chain: the same code as live, in larger blocks.

Source: practice: parts of a chain work side by side, each on what the one before left.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.beside import Beside
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples

_OFFLINE_BLOCK = 8192
_TRACE_S = 0.01

# A block ``(n,)``, and the likelihood ratio of speech in it where that is known.
Piece = tuple[Samples, Samples | None]
# The likelihood ratio of speech in each sample, ``(n,)``, dB; no decision hangs on more bits.
Likelihood = npt.NDArray[np.float32]


def render(
    specification: Sequence[StageSpec],
    samples: Samples,
    *,
    rate_hz: float,
    likelihood_db: Likelihood | None = None,
    beside: Beside = iter,
) -> Samples:
    """Run ``(n,)`` samples through a fresh chain; the delay is taken off, so input and output
    line up. The likelihood ratio of speech in them may be told, ``(n,)``, dB. ``beside`` may
    make what it is given ahead, in a thread of its own."""
    return _rendered(specification, samples, likelihood_db, rate_hz=rate_hz, beside=beside)[0]


def render_stage(
    spec: StageSpec, samples: Samples, likelihood_db: Likelihood | None, *, rate_hz: float
) -> tuple[Samples, Likelihood | None]:
    """:func:`render` through one stage, and the likelihood ratio of speech in what it gives,
    ``(n,)``, dB, in 32 bits: its own where it tells one, else that of the samples."""
    out, likelihoods_db = _rendered([spec], samples, likelihood_db, rate_hz=rate_hz)
    return out, likelihood_db if likelihoods_db is None else likelihoods_db


def _rendered(
    specification: Sequence[StageSpec],
    samples: Samples,
    likelihood_db: Likelihood | None,
    *,
    rate_hz: float,
    beside: Beside = iter,
) -> tuple[Samples, Likelihood | None]:
    chains = in_parts(specification, rate_hz)
    delay, count = sum(chain.delay_samples for chain in chains), len(samples)
    out = np.empty(count + delay)
    likelihoods_db = np.empty(count + delay, np.float32) if chains[-1].tells else None

    def pieces() -> Iterator[Piece]:
        for first in range(0, count + delay, _OFFLINE_BLOCK):
            last = min(first + _OFFLINE_BLOCK, count + delay)
            likelihood = None if likelihood_db is None else _part(likelihood_db, first, last)
            yield _part(samples, first, last), likelihood

    first = 0
    for block, likelihood in _in_line(chains, pieces(), beside):
        last = first + len(block)
        out[first:last] = block
        if likelihoods_db is not None:
            likelihoods_db[first:last] = likelihood
        first = last
    return out[delay:], None if likelihoods_db is None else likelihoods_db[delay:]


def _part(samples: Samples | Likelihood, first: int, last: int) -> Samples:
    part = np.asarray(samples[first:last], np.float64)
    missing = last - first - len(part)
    return np.concatenate([part, np.zeros(missing)]) if missing else part


def in_parts(specification: Sequence[StageSpec], rate_hz: float) -> list[VoiceChain]:
    """A chain as chains that follow each other and give the same: noise reduction, which is as
    much work as all others, by itself."""
    running = [spec for spec in specification if spec.on]
    if len(running) <= 1:
        return [VoiceChain(running, rate_hz)]
    stages = [spec.build(rate_hz=rate_hz) for spec in running]
    telling = [place for place, stage in enumerate(stages) if hasattr(stage, "likelihood_db")]
    cuts = telling[:1]
    if cuts and cuts[0] + 1 < len(stages) and not hasattr(stages[cuts[0] + 1], "ride_on"):
        cuts = [*cuts, cuts[0] + 1]
    ends = [0, *cuts, len(running)]
    parts = [running[first:last] for first, last in pairwise(ends) if first < last]
    return [VoiceChain(part, rate_hz) for part in parts]


def _in_line(
    chains: Sequence[VoiceChain], pieces: Iterator[Piece], beside: Beside
) -> Iterator[Piece]:
    """Pieces through chains that follow each other; the last in the thread that asks."""
    *before, last = chains
    for chain in before:
        pieces = beside(map(partial(_through, chain), pieces))
    return map(partial(_through, last), pieces)


def _through(chain: VoiceChain, piece: Piece) -> Piece:
    out = chain.process(*piece)
    likelihood = chain.likelihood_db
    return out, None if likelihood is None else likelihood.copy()


def rendered(
    specification: Sequence[StageSpec],
    blocks: Iterable[Samples],
    *,
    rate_hz: float,
    beside: Beside = iter,
) -> Iterator[Samples]:
    """:func:`render` of sound that comes in blocks ``(n,)``, as blocks; as many samples leave as
    came."""
    chains = in_parts(specification, rate_hz)
    ahead = delay = sum(chain.delay_samples for chain in chains)

    def pieces() -> Iterator[Piece]:
        for block in blocks:
            for first in range(0, len(block), _OFFLINE_BLOCK):
                yield block[first : first + _OFFLINE_BLOCK], None
        if delay:
            yield np.zeros(delay), None

    for out, _ in _in_line(chains, pieces(), beside):
        skipped = min(ahead, len(out))
        ahead -= skipped
        if len(out) > skipped:
            yield out[skipped:]


def trace_gains(
    specification: Sequence[StageSpec], samples: Samples, *, rate_hz: float
) -> tuple[Samples, dict[str, Samples]]:
    """:func:`render`, with the lowest gain in dB of each dynamics stage in every 10 ms of its
    own time, ``(frames,)`` per kind."""
    chain = VoiceChain(specification, rate_hz)
    delay, step = chain.delay_samples, round(_TRACE_S * rate_hz)
    padded = np.concatenate([samples, np.zeros(delay)])
    out, gains = [], []
    for first in range(0, len(padded), step):
        out.append(chain.process(padded[first : first + step]))
        gains.append(chain.gains_db)
    kinds = gains[0] if gains else {}
    return np.concatenate(out)[delay:] if out else samples, {
        kind: np.array([row[kind] for row in gains]) for kind in kinds
    }
