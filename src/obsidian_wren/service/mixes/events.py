"""What the mixes announce."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from obsidian_wren.core.mix.engine import Mix


@dataclass(frozen=True)
class MixesChanged:
    """The mixes were looked through: as they are now, and what each name that programs can pick
    stands for."""

    mixes: tuple[Mix, ...]
    inputs: Mapping[str, str]
