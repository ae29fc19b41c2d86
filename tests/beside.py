"""A worker in a thread of the test: it does all that one in a process of its own does, and what it
calls can be put in another's place."""

import threading

from obsidian_wren.service.calibration.state import current
from obsidian_wren.service.context import Worker
from obsidian_wren.service.context.workers_shop import WorkersShop, work
from obsidian_wren.store.folder import DataFolder


def work_beside(app, *, rest_s=60.0):
    """Give an app a worker; it knows what the app remembers."""

    def begin(line):
        shop = WorkersShop(DataFolder(app.folder.path, beside=True), app.world, line)
        shop.readings, shop.answers = app.readings, app.answers
        current(shop).take_sets = current(app).take_sets
        thread = threading.Thread(target=work, args=(shop, line), daemon=True)
        thread.start()
        return thread.join

    app.worker = Worker(app, begin, rest_s=rest_s)
    return app
