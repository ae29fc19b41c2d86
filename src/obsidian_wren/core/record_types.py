"""Types of the fields of records, and how each stands in JSON, which has no number for silence.

A converter that reads annotations asks each type for its schema; nothing here imports one.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Any, TypeAlias

import numpy as np
import numpy.typing as npt


class _MayBeNoNumber:
    """Null in JSON where a number is not finite."""

    nothing = math.nan

    def __get_pydantic_core_schema__(
        self, source: Any, handler: Callable[[Any], Any]
    ) -> dict[str, Any]:
        return _after(_number, {"type": "nullable", "schema": handler(source)})


class _List:
    """A list in JSON; ``holes`` where one of its numbers may not be finite."""

    def __init__(self, *, holes: bool) -> None:
        self._kind = float | None if holes else float
        self.nothing = np.zeros(0)

    def __get_pydantic_core_schema__(
        self, _source: Any, handler: Callable[[Any], Any]
    ) -> dict[str, Any]:
        inner = handler(list[self._kind])  # type: ignore[name-defined]
        plain = {"type": "function-plain", "function": np.ndarray.tolist, "return_schema": inner}
        return _after(_array, inner) | {"serialization": plain}


def _after(make: Callable[[Any], Any], schema: dict[str, Any]) -> dict[str, Any]:
    return {
        "type": "function-after",
        "function": {"type": "no-info", "function": make},
        "schema": schema,
    }


def _number(value: float | None) -> float:
    return math.nan if value is None else value


def _array(values: list[float | None]) -> npt.NDArray[np.float64]:
    return np.array(values, dtype=np.float64)


# In decibels or a ratio, −inf for silence, NaN for what cannot be said.
Level: TypeAlias = Annotated[float, _MayBeNoNumber()]
# (n,) finite numbers, and those where one may be silence.
Numbers: TypeAlias = Annotated[npt.NDArray[np.float64], _List(holes=False)]
Levels: TypeAlias = Annotated[npt.NDArray[np.float64], _List(holes=True)]
