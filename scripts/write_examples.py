"""What empty views show as an example, from the demo's loft: the parts of its noise floor, two of
its microphones, the way to each listener, a recording, a blind series, and what its report begins
with.

Written anew with ``make examples`` after a change of what these views show.
"""

from __future__ import annotations

import json
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from shots import LOFT, post, serving

OUT = Path(__file__).parents[1] / "frontend" / "src" / "lib" / "examples.json"
_SERIES = {"second": "raw", "kind": "prefer", "rounds": 12}
_RECORDED_S = 8
_DECIMALS = 2


def _state(url: str) -> dict[str, Any]:
    with urllib.request.urlopen(f"{url}api/state") as answer:
        found: dict[str, Any] = json.load(answer)
    return found


def _at_rest(url: str) -> dict[str, Any]:
    while (state := _state(url))["progress"] is not None or state["working_out"]:
        time.sleep(0.5)
    return state


def _proved(url: str) -> dict[str, Any]:
    state = _state(url)
    while not any(row["proof"] for row in state["destinations"]):
        time.sleep(0.5)
        state = _state(url)
    return state


def collected(url: str) -> dict[str, Any]:
    """The examples, from a demo at an address."""
    post(url, f"rigs/{LOFT}/use", {})
    for take in (
        {"purpose": "muted"},
        {"purpose": "other-gain", "position": 12},
        {"purpose": "both"},
    ):
        post(url, "takes", take)
        _at_rest(url)
    post(url, "series", _SERIES)
    for number in range(12):
        post(url, "series/answer", {"round": number, "answer": "one" if number % 2 else "other"})
    post(url, "run/start", {})
    post(url, "recordings/start", {"purpose": "Gull"})
    time.sleep(_RECORDED_S)
    post(url, "recordings/stop", {})
    post(url, "marker", {})
    state = _proved(url)
    series, recording = state["ended_series"][0], state["recordings"][0]
    return {
        "split": {name: state["split"][name] for name in ("parts", "gain_db")},
        "two": {name: state["two"][name] for name in ("first", "second", "bands")},
        "series": {
            name: series[name]
            for name in ("first", "rounds", "same", "chance_low", "chance_high", "heard")
        },
        "recording": {
            name: recording[name]
            for name in ("title", "waveform", "seconds", "loudness_lufs", "true_peak_dbtp")
        },
        "paths": [
            {
                "name": row["name"],
                "delay": row["delay"],
                "delay_ms": row["proof"] and row["proof"]["delay_ms"],
            }
            for row in state["destinations"]
            if row["on"] and row["delay"]
        ],
        "report": {
            "rig": next(rig["name"] for rig in state["rigs"] if rig["id"] == LOFT),
            "floor_dbfs_a": state["quiet"]["a_weighted_dbfs"],
            "talk_dbfs": state["talk"]["active_level_dbfs"],
        },
    }


def _rounded(value: Any) -> Any:
    if isinstance(value, float):
        return round(value, _DECIMALS)
    if isinstance(value, list):
        return [_rounded(each) for each in value]
    if isinstance(value, dict):
        return {name: _rounded(each) for name, each in value.items()}
    return value


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder, serving(folder, "--fast") as url:
        found = _rounded(collected(url))
    OUT.write_text(json.dumps(found, ensure_ascii=False, separators=(",", ":")) + "\n")
