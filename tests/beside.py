"""A worker in a thread of the test: it does all that one in a process of its own does, and what it
calls can be put in another's place."""

import threading

from obsidian_wren.service.calibration.state import current
from obsidian_wren.service.workshop import Worker
from obsidian_wren.service.workshop.workers_shop import WorkersShop, work
from obsidian_wren.store.folder import DataFolder


def work_beside(ws, *, rest_s=60.0):
    """Give a workshop a worker; it knows what the workshop remembers."""

    def begin(line):
        shop = WorkersShop(DataFolder(ws.folder.path, beside=True), ws.world, line)
        shop.readings, shop.answers = ws.readings, ws.answers
        current(shop).take_sets = current(ws).take_sets
        thread = threading.Thread(target=work, args=(shop, line), daemon=True)
        thread.start()
        return thread.join

    ws.worker = Worker(ws, begin, rest_s=rest_s)
    return ws
