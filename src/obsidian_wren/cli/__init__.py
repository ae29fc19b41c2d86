"""Commands, and the processes of the voice and of the worker."""

import os


def keep_in_own_cache() -> None:
    """Keep what is compiled in the person's own cache, where it cannot lie beside the program."""
    package = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
    if not os.access(package, os.W_OK):
        own = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
        os.environ.setdefault("NUMBA_CACHE_DIR", os.path.join(own, "obsidian-wren"))


# The matrices here are small: more threads only spin, beside a live run that needs its core. Read
# when NumPy is first imported.
for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")
keep_in_own_cache()
