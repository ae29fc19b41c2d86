"""A channel of a sound file, read whole for a purpose."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.channels import choose_channel, voice_channel
from obsidian_wren.core.measure.faults import Note
from obsidian_wren.core.measure.integrity import Channels, compare_channels
from obsidian_wren.core.wording import _
from obsidian_wren.formats.sound import OpenSound, open_sound
from obsidian_wren.formats.sound_header import (
    BadSound,
)

# What is held of a take: five minutes at 48 kHz.
MOST_HELD_SAMPLES = 14_400_000


@dataclass(frozen=True)
class ReadSound:
    """One channel of a file: samples ``(n,)``, rate in Hz, the container, and what is to be said of
    it.

    ``channels`` is what the channels said of each other, None where there is one; ``left_out_s``
    the seconds at its end that were not read.
    """

    samples: Samples
    rate_hz: int
    container: str
    notes: tuple[Note, ...]
    channels: Channels | None
    left_out_s: float


def read_sound(
    path: Path,
    *,
    channel: int | None = None,
    most_samples: int = MOST_HELD_SAMPLES,
    longest_s: float | None = None,
    fold: bool = False,
    voiced: bool = False,
) -> ReadSound:
    """Read one channel of a file, its first ``most_samples`` at the most; ``channel`` counts from
    1, None takes the one that carries sound, or a voice where it is ``voiced``. ``fold`` takes the
    mean of all.

    Raises BadSound for anything that is not whole, sane sound, or lasts longer than ``longest_s``;
    BadTake for a channel that is not there.
    """
    with open_sound(path) as file:
        if (
            longest_s is not None
            and file.frames is not None
            and file.frames > longest_s * file.rate_hz
        ):
            raise BadSound(
                "too-long",
                _(
                    "{name} lasts {frames:.0f} s; the most here is {longest_s:.0f} s. Shorten"
                    " it first.",
                    name=file.name,
                    frames=file.frames / file.rate_hz,
                    longest_s=longest_s,
                ),
            )
        chosen, notes, channels = (
            (None, (), None) if fold else pick_channel(file, channel, voiced=voiced)
        )
        held = np.empty(min(most_samples, file.frames) if file.frames is not None else 0)
        count = 0
        for block in file.blocks(chosen, most=most_samples):
            if count + len(block) > len(held):
                held = np.concatenate([held[:count], np.empty(max(len(block), count))])
            held[count : count + len(block)] = block
            count += len(block)
        left_out = max(0.0, ((file.frames or count) - count) / file.rate_hz)
        return ReadSound(held[:count], file.rate_hz, file.container, notes, channels, left_out)


def pick_channel(
    file: OpenSound, channel: int | None, *, voiced: bool = False
) -> tuple[int, tuple[Note, ...], Channels | None]:
    """Which channel of a file is used, counted from 1, what is to be said of that, and what the
    channels say of each other."""
    head = file.head()
    if not len(head):
        raise BadSound(
            "empty",
            _(
                "There is no sound in {name}: it has no samples. Record it again.",
                name=file.name,
            ),
        )
    # What is no number is told where it is read.
    head = np.nan_to_num(head, nan=0.0, posinf=1.0, neginf=-1.0)
    if file.channels == 1:
        choose_channel(head[:, 0], channel)
        return 1, (), None
    if voiced and channel is None:
        voice, notes = voice_channel(head, rate_hz=file.rate_hz)
        if voice is not None:
            return voice, notes, compare_channels(head)
    samples, notes = choose_channel(head, channel)
    chosen = (
        next(c for c in range(file.channels) if np.array_equal(head[:, c], samples))
        if channel is None
        else channel - 1
    )
    return chosen + 1, notes, compare_channels(head)
