"""Functions that are compiled for this processor when they are first called.

What compiles takes longer to load than a short sound takes to be read, so it is loaded for nothing
less than a first call.

Source: Numba's ``njit``, whose options these are.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from typing import Any, TypeVar, cast

import numpy as np

from obsidian_wren.core.decibels import Samples

# So much sound is read by arrays alone before what compiles is there: half a minute at 48 kHz.
SHORT_SAMPLES = 1_440_000

_Function = TypeVar("_Function", bound=Callable[..., Any])


class _Kernel:
    """A function that compiles itself at its first call, by itself or from within another one."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self._function, self._options = function, options

    def __call__(self, *arguments: Any) -> Any:
        return self.compiled(*arguments)

    @functools.cached_property
    def compiled(self) -> Callable[..., Any]:
        """What the compiler made of it."""
        return _compile(self._function, self._options)


def kernel(**options: Any) -> Callable[[_Function], _Function]:
    """A function compiled at its first call, kept on disk, run beside other threads; ``options``
    are further ones of ``numba.njit``."""
    options = {"cache": True, "nogil": True, **options}

    def of(function: _Function) -> _Function:
        if is_compiler_loaded():
            return cast("_Function", _compile(function, options))
        return cast("_Function", _Kernel(function, options))

    return of


def plain(samples: Samples) -> Samples:
    """The same ``(n,)`` or ``(n, channels)`` samples as kernels are compiled for: row by row in
    memory that may be written to. One channel of several is not, nor a view of a file."""
    if samples.flags.carray and samples.dtype == np.float64:
        return samples
    return np.array(samples, dtype=np.float64, order="C")


def is_compiler_loaded() -> bool:
    """Whether a first call costs next to nothing."""
    return "numba" in sys.modules


def _compile(function: Callable[..., Any], options: dict[str, Any]) -> Callable[..., Any]:
    from numba import njit

    _let_kernels_call_each_other()
    return cast("Callable[..., Any]", njit(**options)(function))


@functools.cache
def _let_kernels_call_each_other() -> None:
    from numba.extending import typeof_impl

    @typeof_impl.register(_Kernel)
    def of(called: _Kernel, context: Any) -> Any:
        return typeof_impl(called.compiled, context)
