"""What several workers need and one of them makes."""

import fcntl
from contextlib import contextmanager


@contextmanager
def alone(folder):
    """One worker at a time in a folder that all share; it is there from then on."""
    folder.mkdir(exist_ok=True)
    with (folder / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
