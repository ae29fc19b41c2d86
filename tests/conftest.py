from __future__ import annotations

import hashlib
import os
import pathlib
import shutil
import subprocess
import sys
from functools import lru_cache
from itertools import groupby

import pytest
from filelock import FileLock
from hypothesis import settings

# As the program sets it for itself, before NumPy is imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
sys.path.insert(0, str(pathlib.Path(__file__).parent))

import checked_kernels
from wide import mark_wide

# Before anything that is made of kernels is imported.
checked_kernels.install()

# The same examples every time, however long one takes.
settings.register_profile("same", derandomize=True, database=None, deadline=None)
settings.load_profile("same")


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items):
    """An order that keeps every worker busy.

    Tests of pages wait more than they compute, so they are spread among the others. Each worker
    gets a stretch of the order: the first stretch begins with who makes the boathouse, the others
    with tests that need none of it.
    """
    mark_wide(items, pathlib.Path(__file__).parent)
    for item in items:
        if "/ui/" in str(item.path):
            item.add_marker(pytest.mark.ui)
        if item.get_closest_marker("real_time") and "/devices/" not in str(item.path):
            # Only there does make test look for them.
            raise pytest.UsageError(f"{item.nodeid} is in real time: put it in tests/devices")
    waiting = [item for item in items if "boathouse_data" in item.fixturenames]
    others = [item for item in items if "boathouse_data" not in item.fixturenames]
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    if workers == 1 or not waiting:
        return
    order = []
    for number in range(workers):
        parts = [
            _spread(part[number * len(part) // workers : (number + 1) * len(part) // workers])
            for part in (waiting, others)
        ]
        order += parts[0] + parts[1] if number == 0 else parts[1] + parts[0]
    items[:] = order


def _spread(items):
    """Tests of pages between the modules of the others, whose fixtures last for a module."""
    pages = [item for item in items if item.get_closest_marker("ui")]
    found = [item for item in items if not item.get_closest_marker("ui")]
    order, done, placed = [], 0, 0
    for _, module in groupby(found, key=lambda item: item.path):
        order += (tests := list(module))
        done += len(tests)
        due = len(pages) * done // len(found)
        order += pages[placed:due]
        placed = due
    return order + pages[placed:]


@pytest.fixture(scope="session")
def boathouse_data(tmp_path_factory):
    """The boathouse's data folder over short takes, made once by the command that makes the
    demo's, by the worker who needs it first."""
    together = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        together = together.parent
    folder = together / "boathouse" / "data"
    with FileLock(together / "boathouse.lock"):
        if not folder.exists():
            prepare = pathlib.Path(__file__).parent / "short.py"
            subprocess.run(
                [sys.executable, str(prepare), str(folder)], check=True, stdout=subprocess.DEVNULL
            )
    return folder


@pytest.fixture
def boathouse(boathouse_data, app_over, tmp_path):
    """A program over a copy of the boathouse."""
    shutil.copytree(boathouse_data, tmp_path / "data")
    return app_over(tmp_path / "data")


@pytest.fixture
def app(app_over, tmp_path):
    """A program over an empty data folder."""
    return app_over(tmp_path / "data")


@pytest.fixture(scope="session")
def together(tmp_path_factory):
    """A folder that all workers share."""
    base = tmp_path_factory.getbasetemp()
    return base.parent if "PYTEST_XDIST_WORKER" in os.environ else base


@pytest.fixture(scope="session")
def heard_once(together):
    """What a simulated microphone hears is worked out once, whichever worker asks first: many tests
    begin with the same takes."""
    import numpy as np

    from obsidian_wren.simulation import world

    hear = world._capsule_volts
    (together / "heard").mkdir(exist_ok=True)

    @lru_cache(maxsize=16)
    def remembered(spec_json, purpose, count, repeat, off):
        asked = repr((spec_json, purpose, count, repeat, sorted(off))).encode()
        kept = together / "heard" / f"{hashlib.sha256(asked).hexdigest()}.npy"
        if not kept.exists():
            own = kept.with_suffix(f".{os.getpid()}.npy")
            np.save(own, hear(spec_json, purpose, count, repeat, off))
            own.rename(kept)
        return np.load(kept)

    world._capsule_volts = remembered
    yield
    world._capsule_volts = hear


@pytest.fixture(scope="session")
def known_once():
    """What is known of a sound by its content is worked out once: most tests begin with the same
    takes."""
    from obsidian_wren.service.context import Cache

    return Cache(300), Cache(400), Cache(most_bytes=250_000_000)


@pytest.fixture
def app_over(heard_once, known_once):
    """Open the program over a folder, simulated takes as fast as they can."""
    from obsidian_wren.devices.browser import BrowserStream
    from obsidian_wren.service.calibration.state import current
    from obsidian_wren.service.opening.opening import close_app, open_app
    from obsidian_wren.simulation.surroundings import simulated_world
    from obsidian_wren.store.folder import DataFolder

    opened = []

    def go(folder):
        app = open_app(DataFolder(folder), simulated_world(BrowserStream), pace="fast")
        app.readings, app.answers, current(app).take_sets = known_once
        opened.append(app)
        return app

    yield go
    for app in opened:
        if app.worker is not None:
            app.worker.end()
        close_app(app)


@pytest.fixture(autouse=True)
def fixed(request):
    """No test depends on how fast this machine is."""
    if "/core/" not in str(request.path) and "/formats/" not in str(request.path):
        from short import fix_what_the_machine_chooses

        fix_what_the_machine_chooses()
