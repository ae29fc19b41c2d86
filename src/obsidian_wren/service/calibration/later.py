"""Sounds that are read when a rule asks for them: where its answer is remembered, none does."""

from __future__ import annotations

from functools import cached_property
from typing import cast

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.take_set import Likelihoods, Sounds
from obsidian_wren.service.workshop.light import full


class _Later:
    """:class:`Sounds` as they are held, each read the first time it is asked for."""

    def __init__(self, held: Sounds) -> None:
        self._held = held
        self.known = held.known

    @cached_property
    def talk(self) -> Samples:
        """Normal talk."""
        return cast("Samples", full(self._held.talk))

    @cached_property
    def rest(self) -> Samples:
        """The room at rest."""
        return cast("Samples", full(self._held.rest))

    @cached_property
    def in_use(self) -> Samples | None:
        """The room in use."""
        return cast("Samples | None", full(self._held.in_use))

    @cached_property
    def likelihoods_db(self) -> Likelihoods:
        """The likelihood ratios of speech."""
        return cast("Likelihoods", full(self._held.likelihoods_db))


def later(held: Sounds) -> Sounds:
    """Sounds as they are held, to be read when they are asked for."""
    return cast("Sounds", _Later(held))
