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
import json
from collections.abc import Callable
from importlib.machinery import ExtensionFileLoader
from importlib.util import module_from_spec, spec_from_loader
from pathlib import Path
from typing import Any, TypeVar, cast

import numpy as np

from obsidian_wren.core.decibels import Samples

_CORE = Path(__file__).parent
COMPILED = _CORE / "compiled"
# What the libraries were made of, and what of a processor they need.
NOTE = COMPILED / "kernels.json"

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
        note = json.loads(NOTE.read_text())
    except (OSError, ValueError):
        return {}
    if note["sources"] != sources_digest() or not set(note["needs"]) <= set(processor_features()):
        return {}
    found: dict[str, Callable[..., Any]] = {}
    for name in note["libraries"]:
        path = COMPILED / name
        if not path.is_file():
            # Of another release of Python.
            return {}
        module_name = name.partition(".")[0]
        loader = ExtensionFileLoader(module_name, str(path))
        spec = spec_from_loader(module_name, loader)
        if spec is not None:
            module = module_from_spec(spec)
            loader.exec_module(module)
            found.update(vars(module))
    return found


def sources_digest() -> str:
    """A mark of everything that kernels are made of."""
    told = hashlib.blake2b(digest_size=16)
    for where in ("chain/*.py", "measure/*.py", "mix/*.py", "derive/compressor.py"):
        for path in sorted(_CORE.glob(where)):
            told.update(path.read_bytes())
    return told.hexdigest()


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
