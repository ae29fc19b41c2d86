"""What ``pyproject.toml`` cannot say: with the kernels compiled, the program is for one kind of
machine."""

from pathlib import Path

from setuptools import Distribution, setup


class Built(Distribution):
    """The program with what was compiled beside it."""

    def has_ext_modules(self) -> bool:
        """Whether it holds machine code."""
        return any(Path("src/obsidian_wren/core/compiled").glob("note.py"))


setup(distclass=Built)
