"""Kinds of work that a kill may interrupt, and what has to be there after it.

Each kind asks the program for one thing after another over its API; what was answered is
acknowledged. After a kill the program starts anew over the same folder, and everything acknowledged
is there: one thing more may be, that was done but not yet answered.
"""

import http.client
import io
import json
import random
import threading
import time
import urllib.error
import urllib.request
from dataclasses import dataclass
from typing import Any

import numpy as np
import soundfile

from obsidian_wren.service.rig.fields import RigFields
from program import Program
from signals import RATE, noise, room

PIECE = noise(1e-3, 0.25).astype("<f4").tobytes()


def _flac(sound):
    out = io.BytesIO()
    soundfile.write(out, sound, RATE, format="FLAC", subtype="PCM_24")
    return out.getvalue()


ROOM, RAIN = _flac(room(seconds=4.0)), _flac(noise(0.05, 0.5))
# What another program does to the tone, as its answer to an impulse.
IMPULSE = _flac(np.r_[0.6, np.zeros(29), 0.2, np.zeros(400)])


class Asked(Program):
    """The program, spoken to over its API."""

    def ask(self, method, path, body=None, raw=None, form=None):
        data = raw if raw is not None else json.dumps(body).encode() if body is not None else None
        kind = "application/json" if body is not None else None
        if form is not None:
            data, kind = _form(form)
        request = urllib.request.Request(f"{self.url}api/{path}", method=method, data=data)
        request.add_header("Authorization", f"Bearer {self.token}")
        if kind:
            request.add_header("Content-Type", kind)
        while True:
            try:
                answer = urllib.request.urlopen(request, timeout=300)
            except urllib.error.HTTPError as error:
                error.add_note(error.read(1000).decode("utf-8", "replace"))
                raise
            # What the program itself says, not what it left for its page.
            if answer.headers["Wren-Left"] is None:
                return json.load(answer)
            time.sleep(0.05)


def rig_of(state):
    """What a person says of the rig, out of what is shown of it."""
    return {name: state["rig"][name] for name in RigFields.model_fields}


def _form(fields):
    mark = "wren-of-the-loft"
    out = b""
    for name, value in fields.items():
        more = '; filename="x.flac"' if isinstance(value, bytes) else ""
        held = value if isinstance(value, bytes) else str(value).encode()
        out += (
            f'--{mark}\r\nContent-Disposition: form-data; name="{name}"{more}\r\n\r\n'.encode()
            + held
            + b"\r\n"
        )
    return out + f"--{mark}--\r\n".encode(), f"multipart/form-data; boundary={mark}"


@dataclass
class Kind:
    """One kind of work: what is asked the n-th time, and what the state says of how often it was
    done."""

    ask: Any
    done: Any
    before: Any = None


def _confirm(program, number):
    return program.ask("POST", "confirm", {"step": "rig"})


def _change_rig(program, number):
    rig = rig_of(program.ask("GET", "state"))
    return program.ask("PUT", "rig", {**rig, "distance_cm": 10.0 + number})


def _thing(path, **more):
    return lambda program, number: program.ask("POST", path, {"name": f"Thing {number}", **more})


def _setting(program, number):
    return program.ask(
        "PATCH",
        "settings",
        {"stage": "limiter", "name": "release_ms", "value": 50.0 + number, "pinned": True},
    )


def _value(state, stage, name):
    return next(s["value"] for s in state["settings"] if (s["stage"], s["name"]) == (stage, name))


def _switch(program, number):
    return program.ask("PATCH", "stages", {"stage": "colour", "on": number % 2 == 1})


def _clips(program, number):
    return program.ask("POST", "clips", form={"file": RAIN})


def _take(program, number):
    begun = program.ask(
        "POST", "takes/browser", {"purpose": "rest", "rate_hz": RATE, "seconds": 4.0}
    )["take_id"]
    for piece in range(16):
        program.ask("POST", f"takes/browser/{begun}/{piece}", raw=PIECE)
    return program.ask("POST", "takes/stop")


def _pieces(program, number):
    """Pieces of one take; each that is answered is kept."""
    if number == 1:
        program.begun = program.ask(
            "POST", "takes/browser", {"purpose": "rest", "rate_hz": RATE, "seconds": 200.0}
        )["take_id"]
    return program.ask("POST", f"takes/browser/{program.begun}/{number - 1}", raw=PIECE)


def _half(state):
    # Of less than three seconds a sentence is left.
    # Told in tenths of a second.
    return round(4 * state["halves"][0]["seconds"]) if state["halves"] else None


def _use(source):
    return lambda program: program.ask(
        "PUT", "rig", {**rig_of(program.ask("GET", "state")), "source": source}
    )


def _record(program, number):
    return program.ask(
        "POST",
        "recordings/split" if number > 1 else "recordings/start",
        {"purpose": "Walk"} if number == 1 else None,
    )


def _live(program):
    program.ask("POST", "case", {"case": "call"})
    program.ask("PUT", "tracks", {"tracks": ["raw"], "format": "wav"})
    program.ask("POST", "run/start", {})


def _undone(program):
    for number in range(40):
        program.ask("PUT", "destinations/call/name", {"name": f"Editor {number}"})


def _number(state):
    """The number in the call's name; the demo's has none."""
    name = next(d["name"] for d in state["destinations"] if d["key"] == "call")
    return int("".join(c for c in name if c.isdigit()) or 0)


def _takes(state):
    """The number of the newest take: each that is made or discarded moves it by one."""
    return max((take["id"] for take in state["takes"]), default=0)


def _pass_through(program, number):
    """What the guided run does, part by part, over and over."""
    purposes = ("rest", "talk", "loud", "passage")
    if number % 6 == 5:
        return program.ask("POST", "derive")
    if number % 6 == 0:
        return program.ask("POST", "confirm", {"step": "quiet", "anyway": True})
    purpose = purposes[(number % 6 - 1) % 4]
    seconds = 4 if purpose == "rest" else 12
    return program.ask("POST", "takes", {"purpose": purpose, "seconds": seconds})


def _answer(program, number):
    state = program.ask("GET", "state")
    if state["series"] is None:
        return program.ask("POST", "series", {"second": "raw", "kind": "prefer", "rounds": 24})
    return program.ask(
        "POST", "series/answer", {"round": state["series"]["round"], "answer": "same"}
    )


def _answered(state):
    return 0 if state["series"] is None else 1 + state["series"]["round"]


def _report(program, number):
    request = urllib.request.Request(f"{program.url}api/report")
    request.add_header("Authorization", f"Bearer {program.token}")
    assert b"</html>" in urllib.request.urlopen(request, timeout=300).read()
    return program.ask("PUT", "destinations/call/name", {"name": f"Editor {number}"})


def _brought(program, number):
    if number % 2:
        return program.ask("POST", "brought/equalizer", form={"file": IMPULSE})
    return program.ask("POST", "undo")


def _versions(program):
    for step in ("rig", "quiet"):
        program.ask("POST", "confirm", {"step": step, "anyway": True})
        _setting(program, 5 if step == "rig" else 9)


def _bring_back(program, number):
    versions = program.ask("GET", "state")["versions"]
    return program.ask("POST", f"versions/{versions[number % 2]['id']}/bring-back")


KINDS = {
    "pieces of a take": Kind(_pieces, _half, _use("browser")),
    "takes with the browser": Kind(_take, _takes, _use("browser")),
    "takes from files": Kind(
        lambda p, n: p.ask("POST", "takes/file", form={"purpose": "in-use", "file": ROOM}), _takes
    ),
    "simulated takes": Kind(
        lambda p, n: p.ask("POST", "takes", {"purpose": "muted", "seconds": 3}), _takes
    ),
    "takes discarded": Kind(
        lambda p, n: p.ask("DELETE", f"takes/{p.ask('GET', 'state')['takes'][-1]['id']}"),
        lambda state: -_takes(state),
        lambda p: [
            p.ask("POST", "takes/file", form={"purpose": "muted", "file": ROOM}) for _ in range(6)
        ],
    ),
    "the rig changed": Kind(_change_rig, lambda state: round(state["rig"]["distance_cm"] - 10.0)),
    "microphones added": Kind(
        _thing("microphones", kind="condenser", pattern="cardioid"),
        lambda state: len(state["microphones"]) - 1,
    ),
    "interfaces added": Kind(_thing("interfaces"), lambda state: len(state["interfaces"]) - 1),
    "rooms added": Kind(_thing("rooms"), lambda state: len(state["rooms"]) - 1),
    "rigs added": Kind(
        lambda p, n: p.ask("POST", "rigs", {"name": f"Rig {n + 1}"}),
        lambda state: len(state["rigs"]) - 1,
    ),
    "the preamp turned": Kind(
        lambda p, n: p.ask("POST", "controls", {"control": "preamp", "position": n}),
        lambda state: round(next(c["position"] for c in state["controls"] if c["key"] == "preamp")),
    ),
    "a setting pinned": Kind(
        _setting, lambda state: round(_value(state, "limiter", "release_ms") - 50.0)
    ),
    "a stage switched": Kind(_switch, None),
    "the aims wished": Kind(
        lambda p, n: p.ask("PUT", "preferences", {"cut_weight": 0.1 + 0.01 * n}),
        lambda state: round((state["preferences"]["cut_weight"] - 0.1) * 100),
    ),
    "a listener named": Kind(
        lambda p, n: p.ask("PUT", "destinations/call/name", {"name": f"Editor {n}"}), _number
    ),
    "changes undone": Kind(
        lambda p, n: p.ask("POST", "undo"), lambda state: 39 - _number(state), _undone
    ),
    "clips loaded": Kind(_clips, lambda state: len(state["clips"]) - 4),
    "a case set up": Kind(
        lambda p, n: p.ask("POST", "case", {"case": ("call", "game")[n % 2]}), None
    ),
    "files recorded": Kind(
        _record, lambda state: max((row["part"] for row in state["recordings"]), default=0), _live
    ),
    "a step confirmed": Kind(_confirm, None),
    "everything derived": Kind(lambda p, n: p.ask("POST", "derive"), None),
    "a guided run": Kind(_pass_through, None),
    "a blind series": Kind(_answer, _answered),
    "a report": Kind(_report, _number),
    "an equalizer brought in": Kind(_brought, None),
    "a version brought back": Kind(_bring_back, None, _versions),
}


@dataclass(frozen=True)
class Outcome:
    """What became of one kill: things acknowledged before it, and done by the state after the
    next start."""

    acknowledged: int
    done: int | None
    findings: tuple[str, ...]


def kill_during(name, folder, rng: random.Random, *, longest_s: float = 0.5) -> Outcome:
    """Do a kind of work over a folder, kill the program at a random instant of it, start it
    anew, and look."""
    kind = KINDS[name]
    first = Asked(folder, "--fast")
    first.ask("GET", "state")
    if kind.before is not None:
        kind.before(first)
    begun = first.ask("GET", "state")
    least = kind.done(begun) if kind.done is not None and name not in ("pieces of a take",) else 0
    acknowledged = 0
    going = threading.Event()

    def work():
        nonlocal acknowledged
        number = 0
        try:
            while True:
                number += 1
                if number > 1:
                    going.set()
                kind.ask(first, number)
                acknowledged = number
        except (
            urllib.error.URLError,
            http.client.HTTPException,
            OSError,
            ValueError,
            StopIteration,
            IndexError,
        ):
            # The program is gone, or there is no more to do.
            going.set()

    worker = threading.Thread(target=work, daemon=True)
    worker.start()
    # At an instant after the first answer, whatever the program is at then.
    assert going.wait(300)
    time.sleep(longest_s * rng.random())
    first.kill()
    worker.join(timeout=300)
    second = Asked(folder)
    state = second.ask("GET", "state")
    done = kind.done(state) if kind.done is not None else None
    second.end()
    # Counted from what was there before the work began.
    counted = None if done is None else done - (least if name in _COUNTED else 0)
    return Outcome(
        acknowledged, counted, tuple(finding["sentence"] for finding in state["findings"])
    )


# Kinds whose state counts on from what the demo holds; the others set a value that is the number
# itself.
_COUNTED = {
    "takes with the browser",
    "takes from files",
    "simulated takes",
    "takes discarded",
    "microphones added",
    "interfaces added",
    "rooms added",
    "rigs added",
    "clips loaded",
}
