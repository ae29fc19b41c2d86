"""Kernels that were compiled ahead take what they are given by its place in memory, and do not look
whether it lies there as they were compiled for. In tests each call is looked at."""

import re

import numpy as np

from obsidian_wren.core import kernel as kernels

_ARRAY = re.compile(r"(f4|f8|i8|c8|c16)\[(.*)\]$")
_DTYPES = {
    "f4": np.float32,
    "f8": np.float64,
    "i8": np.int64,
    "c8": np.complex64,
    "c16": np.complex128,
}


def parts(text):
    """What stands between commas that no bracket holds."""
    found, depth = [""], 0
    for letter in text:
        depth += (letter in "([") - (letter in ")]")
        if letter == "," and depth == 0:
            found.append("")
        else:
            found[-1] += letter
    return [part.strip() for part in found]


def arguments_of(signature):
    """The types of the arguments: what stands in its last bracket."""
    depth = 0
    for place in reversed(range(len(signature))):
        depth += (signature[place] == ")") - (signature[place] == "(")
        if depth == 0:
            return parts(signature[place + 1 : -1])
    raise ValueError(signature)


def check(value, kind):
    """Raise unless a value is as a type of a signature says."""
    if array := _ARRAY.match(kind):
        assert isinstance(value, np.ndarray), kind
        assert value.dtype == _DTYPES[array[1]], (kind, value.dtype)
        assert value.ndim == len(parts(array[2])), (kind, value.shape)
        assert "::1" not in kind or value.flags.c_contiguous, (kind, value.strides)
    elif kind.startswith("Tuple"):
        kinds = parts(kind.removeprefix("Tuple((").removesuffix("))"))
        for one, other in zip(value, kinds, strict=True):
            check(one, other)
    elif kind.startswith("UniTuple"):
        each, count = parts(kind.removeprefix("UniTuple(").removesuffix(")"))
        assert len(value) == int(count)
        for one in value:
            check(one, each)
    else:
        assert not isinstance(value, np.ndarray) or value.ndim == 0, kind


def checking(compiled, signature):
    """A kernel that looks at what it is given."""
    kinds = arguments_of(signature)

    def call(*arguments):
        for value, kind in zip(arguments, kinds, strict=True):
            check(value, kind)
        return compiled(*arguments)

    return call


def install():
    """Have every kernel that is made from here on look."""
    made = kernels.kernel

    def kernel(signature="", **options):
        def of(function):
            compiled = made(signature, **options)(function)
            if isinstance(compiled, kernels.Kernel):
                return compiled
            return checking(compiled, signature)

        return of

    kernels.kernel = kernel
