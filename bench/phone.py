"""A phone call by a real browser while the page is clicked, killed and started again.

The server, the microphone with its tone, the loopback and the page that is clicked without a pause
are those of ``call.py``. A browser calls itself twice, as two people on a call would: it takes the
feed of the call, and beside it the microphone itself and the loopback, as microphones, sends each
over a peer connection of its own, and what arrives at the far ends is recorded. A break in the tone
is a gap. All ways go through the same codec and the same buffers, so what the browser loses is in
all of them; the microphone and the feed are also heard by a program of their own. Half way through,
and again after three quarters, the page's program is killed and started again.

``python bench/phone.py`` for ten minutes on each server; ``OBSIDIAN_WREN_BENCH_SECONDS`` for less.
"""

from __future__ import annotations

import http.server
import os
import shutil
import sys
import tempfile
import threading
import time
from collections import defaultdict
from contextlib import nullcontext
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np
import numpy.typing as npt
import pulsectl  # type: ignore[import-untyped]
from playwright.sync_api import sync_playwright

from call import CALL, NAMES, WARM_S, Page, broker, until
from live import voices
from obsidian_wren.devices.sound_server.control import SoundServer
from own_system import calibrated_on
from private_server import (
    PipeWire,
    PrivateServer,
    PulseAudio,
)
from voice import RATE, Heard, breaks, looped, of_process

SECONDS = float(os.environ.get("OBSIDIAN_WREN_BENCH_SECONDS", "600"))
FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--use-fake-ui-for-media-stream",
    "--autoplay-policy=no-user-gesture-required",
    "--disable-background-networking",
    # The page is looked at by nobody, and must not be slowed down for that.
    "--disable-background-timer-throttling",
    "--disable-renderer-backgrounding",
    "--disable-features=WebRtcHideLocalIpsWithMdns",
]
WAYS = {"call": "Wren: call", "desk": "Desk mic", "loop": "Loopback"}
PAGE = """<!doctype html><script>
async function dial(name, label) {
  const devices = await navigator.mediaDevices.enumerateDevices()
  const device = devices.find((d) => d.kind === "audioinput" && d.label.includes(label))
  if (!device) return devices.map((d) => d.kind + " " + d.label).join(", ")
  const off = {echoCancellation: false, noiseSuppression: false, autoGainControl: false}
  const sound = await navigator.mediaDevices.getUserMedia(
    {audio: {deviceId: {exact: device.deviceId}, ...off}})
  const [here, there] = [new RTCPeerConnection(), new RTCPeerConnection()]
  here.onicecandidate = (e) => e.candidate && there.addIceCandidate(e.candidate)
  there.onicecandidate = (e) => e.candidate && here.addIceCandidate(e.candidate)
  const arrived = new Promise((done) => (there.ontrack = (e) => done(e.streams[0])))
  sound.getTracks().forEach((track) => here.addTrack(track, sound))
  await here.setLocalDescription(await here.createOffer())
  await there.setRemoteDescription(here.localDescription)
  await there.setLocalDescription(await there.createAnswer())
  await here.setRemoteDescription(there.localDescription)
  const far = await arrived
  // Nothing of a connection is heard before something plays it.
  const player = new Audio()
  player.srcObject = far
  player.muted = true
  await player.play()
  // As it arrives: what plays it on has buffers of its own.
  const arriving = new MediaStreamTrackProcessor({track: far.getAudioTracks()[0]}).readable
  let waiting = [], sending = Promise.resolve()
  arriving.pipeTo(new WritableStream({write(piece) {
    const sound = new Float32Array(piece.numberOfFrames)
    piece.copyTo(sound, {planeIndex: 0, format: "f32-planar"})
    piece.close()
    waiting.push(sound)
    if (waiting.length < 100) return
    const body = new Blob(waiting)
    waiting = []
    sending = sending.then(() => fetch("/" + name, {method: "POST", body}))
  }}))
  window[name] = [here, there, player]
  return ""
}
</script>"""


class FarEnd:
    """Where what arrives is kept, by its way; a page of ours is what is called with."""

    def __init__(self) -> None:
        self._pieces: dict[str, list[bytes]] = defaultdict(list)
        far = self

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self._answer(PAGE.encode())

            def do_POST(self) -> None:
                size = int(self.headers["Content-Length"])
                far._pieces[self.path.strip("/")].append(self.rfile.read(size))
                self._answer(b"")

            def _answer(self, body: bytes) -> None:
                self.send_response(200)
                self.send_header("Content-Type", "text/html")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, format: str, *args: object) -> None:
                pass

        self._server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}/"

    def forget(self) -> None:
        self._pieces.clear()

    def sound(self, way: str) -> npt.NDArray[np.float64]:
        return np.frombuffer(b"".join(self._pieces[way]), dtype=np.float32).astype(np.float64)

    def end(self) -> None:
        self._server.shutdown()


def clicked(page: Page) -> str:
    """Clicks for the whole call; kills and begins anew twice."""
    began = time.monotonic()
    clicking = threading.Thread(target=page.click, daemon=True)
    clicking.start()
    for share in (0.5, 0.75):
        time.sleep(max(0.0, began + share * SECONDS - time.monotonic()))
        page.process.kill()
        page.process.wait()
        page.start()
        until(page.answers)
    time.sleep(max(0.0, began + SECONDS - time.monotonic()))
    return f"{page.clicks} clicks, killed twice"


def run(kind: type[PrivateServer], *, plain: bool) -> None:
    with looped(kind) as (server, folder):
        with pulsectl.Pulse("what a browser needs") as pulse:
            # What the browser plays goes nowhere near.
            pulse.module_load("module-null-sink", "sink_name=speakers rate=48000")
            pulse.sink_default_set("speakers")
            # A browser offers no monitor as a microphone.
            pulse.module_load(
                "module-remap-source",
                "master=loop.monitor source_name=looped"
                " source_properties='device.description=\"Loopback\"'",
            )
        system = SoundServer()
        system.look()
        calibrated_on(system, folder)
        page, far = Page(folder / "data", plain=plain, sends_markers=False), FarEnd()
        until(lambda: CALL in {each.name for each in system.microphones()})
        time.sleep(WARM_S)
        page.ask("POST", "run/start", {})
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path=shutil.which("chromium") or shutil.which("chromium-browser"),
                args=FLAGS,
                ignore_default_args=["--headless", "--mute-audio"],
                env=dict(os.environ),
            )
            phone = browser.new_page()
            phone.goto(far.url)
            for way, label in WAYS.items():
                trouble = phone.evaluate("([n, l]) => dial(n, l)", [way, label])
                if trouble:
                    raise RuntimeError(f"no input “{label}” among: {trouble}")
            time.sleep(5.0)
            alone = {"feed": Heard(CALL), "microphone": Heard("desk")}
            time.sleep(1.0)
            far.forget()
            for each in alone.values():
                each.forget()
            (voice,) = voices()
            _, before_s = of_process(voice)
            said = clicked(page)
            pss, after_s = of_process(voice)
            minutes = SECONDS / 60.0
            lengths = {way: len(far.sound(way)) / RATE for way in WAYS}
            found = {way: len(breaks(far.sound(way))) for way in WAYS}
            own = {name: len(breaks(each.sound())) for name, each in alone.items()}
            print(
                f"{server.name}, {minutes:.1f} minutes, {said}: gaps behind the browser: call"
                f" {found['call']}, microphone {found['desk']}, loopback {found['loop']}; without"
                f" it: call {own['feed']}, microphone {own['microphone']};"
                f" {min(lengths.values()):.0f} to {max(lengths.values()):.0f} s arrived; voice"
                f" {pss:.0f} MB, {(after_s - before_s) / SECONDS:.3f} of a core",
                flush=True,
            )
            for each in alone.values():
                each.end()
            browser.close()
        far.end()
        page.end()


def main() -> None:
    chosen = set(sys.argv[1:])
    with tempfile.TemporaryDirectory() as name:
        granting = broker(Path(name)) if "brokered" in chosen else nullcontext()
        with granting:
            for kind in (PulseAudio, PipeWire):
                if kind.name in chosen or not chosen & NAMES:
                    run(kind, plain=bool(chosen & {"plain", "brokered"}))


if __name__ == "__main__":
    main()
