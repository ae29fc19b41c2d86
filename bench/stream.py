"""The live stream: how often frames reach the page, how often the page draws while it shows them,
and what an hour costs in memory.

Drawing is counted by ``requestAnimationFrame`` in headless Chromium, beside the same page with
nothing running. Memory of the page is its heap after a forced collection, of the program its
resident set, over some minutes; an hour's sound is also driven through the meter and the bus at
full speed, with a page that reads and one that does not.
"""

from __future__ import annotations

import argparse
import json
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile
import time

import numpy as np
from playwright.sync_api import CDPSession, Page, sync_playwright

from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.service.context.bus import Bus
from obsidian_wren.voice.frames import frame_json

COUNT = """seconds => new Promise(done => {
    const times = [];
    const tick = now => {
        times.push(now);
        now - times[0] < seconds * 1000 ? requestAnimationFrame(tick) : done(times);
    };
    requestAnimationFrame(tick);
})"""


def drawn(page: Page, seconds: float) -> tuple[float, float]:
    """Frames a second, and the longest pause between two in ms."""
    times = np.array(page.evaluate(COUNT, seconds))
    return (len(times) - 1) / (times[-1] - times[0]) * 1000.0, float(np.diff(times).max())


def heap(cdp: CDPSession) -> float:
    cdp.send("HeapProfiler.collectGarbage")
    return cdp.send("Runtime.getHeapUsage")["usedSize"] / 1e6


def resident(pid: int) -> float:
    text = pathlib.Path(f"/proc/{pid}/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+)", text).group(1)) / 1e3


def an_hour_at_full_speed() -> None:
    bus, meter = Bus(), BlockMeter(48_000)
    reader, sleeper = bus.listen(), bus.listen()
    rng = np.random.default_rng(0)
    sound = rng.standard_normal(48_000) * 1e-3
    marks = []
    start = time.perf_counter()
    for second in range(3600):
        for k in range(0, 48_000, 2400):
            for frame in meter.add(sound[k : k + 2400]):
                bus.tell("frame", frame_json(frame, "watch"))
        while not reader.empty():
            json.dumps(reader.get_nowait()[1])
        if second in (60, 3599):
            marks.append(resident(int(pathlib.Path("/proc/self").resolve().name)))
    spent = time.perf_counter() - start
    print(
        f"an hour through meter and bus    {spent / 36:.2f} % of real time on one core; resident"
        f" {marks[0]:.0f} MB after a minute, {marks[1]:.0f} MB after an hour"
    )
    print(f"a page that does not read holds  {sleeper.qsize()} messages (at most 200)")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--seconds", type=float, default=10.0, help="how long each view streams")
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as data:
        command = [
            sys.executable,
            "-P",
            "-m",
            "obsidian_wren.cli",
            "demo",
            "--no-token",
            "--port",
            "0",
            "--data",
            data,
        ]
        program = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            url = ""
            while not url:
                found = re.search(r"http://[\d.:]+/", program.stdout.readline())
                url = found.group() if found else ""
            with sync_playwright() as playwright:
                chromium = shutil.which("chromium") or shutil.which("chromium-browser")
                browser = playwright.chromium.launch(
                    executable_path=chromium, args=["--no-sandbox"]
                )
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(url)
                page.get_by_role("navigation", name="Steps").wait_for()
                cdp = page.context.new_cdp_session(page)
                for step, leaf in (("Quiet", "Listen in"), ("Gain", "Live")):
                    page.get_by_role("navigation", name="Steps").get_by_role(
                        "button", name=re.compile(step)
                    ).click()
                    page.get_by_role("tab", name=leaf, exact=True).click()
                    page.wait_for_timeout(1500)
                    still, _ = drawn(page, 5.0)
                    page.evaluate(
                        "() => { window.came = 0; const s = new EventSource('/api/events');"
                        " s.addEventListener('frame', () => window.came++); window.extra = s; }"
                    )
                    page.get_by_role("button", name="Listen in", exact=True).click()
                    page.wait_for_timeout(4000)
                    before, rss, came, began = (
                        heap(cdp),
                        resident(program.pid),
                        page.evaluate("window.came"),
                        time.monotonic(),
                    )
                    moving, pause = drawn(page, chosen.seconds)
                    per_second = (page.evaluate("window.came") - came) / (time.monotonic() - began)
                    after, rss_after = heap(cdp), resident(program.pid)
                    print(
                        f"{step}, {leaf}: {per_second:.1f} frames a second arrive; drawn"
                        f" {moving:.1f} times a second (bar 50), {still:.1f} with nothing running;"
                        f" longest pause {pause:.0f} ms"
                    )
                    print(
                        f"    over {chosen.seconds:.0f} s: page heap {before:.2f} to {after:.2f}"
                        f" MB, program {rss:.0f} to {rss_after:.0f} MB"
                    )
                    page.get_by_role("button", name="Stop listening", exact=True).click()
                    page.evaluate("window.extra.close()")
                browser.close()
        finally:
            program.terminate()
            program.wait()
    an_hour_at_full_speed()


if __name__ == "__main__":
    main()
