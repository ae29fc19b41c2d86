"""Commands, and the processes of the voice and of the worker."""

import os

from obsidian_wren.cli.kernels import keep_in_own_cache

# The matrices here are small: more threads only spin, beside a live run that needs its core. Read
# when NumPy is first imported.
for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")
keep_in_own_cache()
