"""Functions in machine code: compiled ahead where the program was built, or for this processor when
they are first called.

What is called from Python states its types, and lies in the libraries beside the program; nothing
that compiles is loaded then. Where these are missing, of another source, or need more than this
processor has, what compiles is loaded at the first call.

Source: Numba's ``njit``, whose options and signatures these are, and its compiler of modules.
"""

from __future__ import annotations

import functools
import hashlib
import importlib
from collections.abc import Callable
from importlib.resources import files
from typing import Any, TypeVar, cast

import numpy as np

from obsidian_wren.core.decibels import Samples

# Where the libraries lie, and beside them a module that says what they were made of and what of a
# processor they need.
_COMPILED, NOTE = f"{__package__}.compiled", "note"

_Function = TypeVar("_Function", bound=Callable[..., Any])


class Kernel:
    """A function that compiles itself at its first call, by itself or from within another one."""

    def __init__(
        self, function: Callable[..., Any], signature: str, options: dict[str, Any]
    ) -> None:
        functools.update_wrapper(self, function)
        self.function, self.signature, self.options = function, signature, options

    def __call__(self, *arguments: Any) -> Any:
        """Compile it, where it was not before, and call it."""
        return self.compiled(*arguments)

    @functools.cached_property
    def compiled(self) -> Callable[..., Any]:
        """What the compiler made of it."""
        from numba import njit

        _let_kernels_call_each_other()
        return cast("Callable[..., Any]", njit(**self.options)(self.function))


def kernel(signature: str = "", **options: Any) -> Callable[[_Function], _Function]:
    """A function in machine code, run beside other threads; ``options`` are further ones of
    ``numba.njit``. One that states no ``signature`` is only called from others."""
    options = {"cache": True, "nogil": True, **options}

    def of(function: _Function) -> _Function:
        ahead = compiled_ahead().get(symbol_of(function)) if signature else None
        return cast("_Function", ahead or Kernel(function, signature, options))

    return of


def plain(samples: Samples) -> Samples:
    """The same ``(n,)`` or ``(n, channels)`` samples as kernels are compiled for: row by row in
    memory that may be written to. One channel of several is not, nor a view of a file."""
    if samples.flags.carray and samples.dtype == np.float64:
        return samples
    return np.array(samples, dtype=np.float64, order="C")


def symbol_of(function: Callable[..., Any]) -> str:
    """What a kernel is called in a library."""
    return f"{function.__module__}.{function.__name__}".replace(".", "_")


@functools.cache
def compiled_ahead() -> dict[str, Callable[..., Any]]:
    """The kernels of the libraries by their symbols; none where they do not fit."""
    try:
        note = importlib.import_module(f"{_COMPILED}.{NOTE}")
        if note.SOURCES != sources_digest() or not set(note.NEEDS) <= set(processor_features()):
            return {}
        libraries = [importlib.import_module(f"{_COMPILED}.{name}") for name in note.LIBRARIES]
    except ImportError:
        # Not compiled, or for another release of Python.
        return {}
    return {name: each for library in libraries for name, each in vars(library).items()}


def sources_digest() -> str:
    """A mark of everything that kernels are made of."""
    digest = hashlib.blake2b(digest_size=16)
    core = files(__package__)
    for folder in ("chain", "loudspeaker", "measure", "mix"):
        found = {each.name: each for each in (core / folder).iterdir()}
        for name in sorted(name for name in found if name.endswith(".py")):
            digest.update(found[name].read_bytes())
    for name in ("decibels.py", "derive/compressor.py"):
        digest.update(core.joinpath(*name.split("/")).read_bytes())
    return digest.hexdigest()


def processor_features() -> list[str]:
    """What this processor has beyond the first of its kind, by the names of NumPy."""
    # NumPy, which needs to know too, tells it nowhere else.
    features = importlib.import_module("numpy._core._multiarray_umath").__cpu_features__
    return [name for name, has in features.items() if has]


@functools.cache
def _let_kernels_call_each_other() -> None:
    from numba.extending import typeof_impl

    @typeof_impl.register(Kernel)
    def of(called: Kernel, context: Any) -> Any:
        return typeof_impl(called.compiled, context)
