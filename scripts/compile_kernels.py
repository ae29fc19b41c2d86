"""Compiles the kernels into libraries beside the program: ``make kernels``.

Two processes share the work, half each: the pass that runs whole chains, and what is called alone.
Where no C compiler or no header of Python is there, nothing is written, and the program compiles
when it starts for the first time.

Source: Numba's compiler of modules (``numba.pycc``).
"""

from __future__ import annotations

import argparse
import gc
import importlib
import inspect
import os
import pathlib
import platform
import subprocess
import sys
import sysconfig
import tempfile
import warnings

from obsidian_wren.core import kernel

# The level that processors of the last ten years have, and what NumPy calls what it holds.
_LEVEL = "x86-64-v3"
_LEVEL_HAS = ["AVX2", "FMA3", "BMI2"]
_CORE = pathlib.Path(kernel.__file__).parent
# What the pass of whole chains is made of; and of the stages beside it, which share little with it,
# as many as make both libraries as much work.
_OF_PASS = (
    *("one_pass", "compressor", "deesser", "deplosive", "gate", "leveller", "limiter"),
    *("limiters", "filters", "detector", "between_samples"),
    *("clicks", "hum", "noise_reduction"),
)
_PARTS = {"wren_pass": True, "wren_stages": False}


def is_common() -> bool:
    """Whether this processor is one that has the common level."""
    return platform.machine() in ("x86_64", "AMD64") and set(_LEVEL_HAS) <= set(
        kernel.processor_features()
    )


def kernels() -> list[kernel.Kernel]:
    """Every kernel that is called from Python."""
    found = []
    for path in sorted(_CORE.rglob("*.py")):
        if "@kernel(" in path.read_text():
            name = ".".join(path.relative_to(_CORE).with_suffix("").parts)
            module = importlib.import_module(f"obsidian_wren.core.{name}")
            found += [
                each
                for each in vars(module).values()
                if isinstance(each, kernel.Kernel)
                and each.signature
                and each.__module__ == module.__name__
            ]
    return found


def compile_part(name: str, into: pathlib.Path) -> None:
    """One library, in this process."""
    from numba import types
    from numba.core.codegen import JITCodeLibrary
    from numba.core.cpu import CPUContext
    from numba.core.dispatcher import Dispatcher
    from numba.pycc import CC, compiler

    from obsidian_wren.core.measure.highest import BetweenBound

    def released(flags: type = compiler.Flags) -> object:
        made = flags()
        made.release_gil = True
        return made

    # The compiler of modules has no option for it.
    compiler.Flags = released
    # Nothing of this process is looked at again.
    Dispatcher.enable_caching = lambda self: None
    # Kernels within others are put into the library and optimised there: none needs to be before,
    # nor to run in this process. Without this it takes a third longer.
    JITCodeLibrary._optimize_final_module = lambda self: None
    CPUContext.get_executable = lambda self, library, fndesc, env: [].append
    gc.disable()
    known = {
        **vars(types),
        "BetweenBound": types.NamedTuple([types.f8] * 4 + [types.i8], BetweenBound),
    }
    library = CC(name)
    library.output_dir = str(into)
    library.target_cpu = _LEVEL if is_common() else "host"
    for each in kernels():
        if (each.__module__.rpartition(".")[2] in _OF_PASS) is not _PARTS[name]:
            continue
        arguments = ", ".join(inspect.signature(each.function).parameters)
        # Options such as those of rounding belong to the kernel, which is compiled within.
        made: dict[str, object] = {"kernel": each.compiled}
        exec(f"def whole({arguments}):\n    return kernel({arguments})", made)
        signature = eval(each.signature, {"__builtins__": {}}, known)
        library.export(kernel.symbol_of(each.function), signature)(made["whole"])
    library.compile()


def compile_all(into: pathlib.Path) -> None:
    """Both libraries side by side, and the note of what they are made of."""
    note = into / f"{kernel.NOTE}.py"
    note.unlink(missing_ok=True)
    environment = {**os.environ}
    if is_common():
        environment["NUMBA_CPU_NAME"] = _LEVEL
    with tempfile.TemporaryDirectory() as cache:
        environment["NUMBA_CACHE_DIR"] = cache
        command = [sys.executable, "-P", __file__, "--into", str(into), "--part"]
        parts = [subprocess.Popen([*command, name], env=environment) for name in _PARTS]
        if any([part.wait() for part in parts]):
            raise SystemExit("The kernels did not compile; see above.")
    note.write_text(
        f"SOURCES = {kernel.sources_digest()!r}\nLIBRARIES = {tuple(_PARTS)}\n"
        f"NEEDS = {tuple(_LEVEL_HAS if is_common() else kernel.processor_features())}\n"
    )


def has_compiler() -> bool:
    """Whether a library can be built here."""
    from numba.pycc.platform import external_compiler_works

    return (
        external_compiler_works()
        and pathlib.Path(sysconfig.get_path("include"), "Python.h").is_file()
    )


def main() -> None:
    warnings.filterwarnings("ignore", message="The 'pycc' module is pending")
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--part", choices=_PARTS)
    options.add_argument("--into", type=pathlib.Path, default=_CORE / "compiled")
    chosen = options.parse_args()
    if chosen.part:
        compile_part(chosen.part, chosen.into)
    elif has_compiler():
        chosen.into.mkdir(exist_ok=True)
        compile_all(chosen.into)
    else:
        print("There is no C compiler here, so the program compiles when it first starts.")


if __name__ == "__main__":
    main()
