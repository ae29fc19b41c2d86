"""Answers for somebody who reads them, without ``--json``."""

from __future__ import annotations

import argparse
from math import isfinite
from typing import TYPE_CHECKING, Any

from obsidian_wren.core.wording import _

if TYPE_CHECKING:
    from obsidian_wren.core.prove.found import FoundDrift


def print_plain(chosen: argparse.Namespace, body: dict[str, Any]) -> None:
    """Print an answer: a line a number, or a plan with its reasons."""
    if chosen.command != "plan":
        for name, value in body.items():
            if isinstance(value, (int, float, str)) or value is None:
                print(f"{name:24} {'unknown' if value is None else value}")
        return
    print(body["rig"]["preamp"]["sentence"] + ".", body["rig"]["preamp"]["because"])
    for stage in body["chain"]:
        if not stage["on"]:
            print(_("{kind:24} off", kind=stage["kind"]))
            continue
        for name, setting in stage["settings"].items():
            _print_setting(stage["kind"], name, setting)
    feed = body["feeds"][0]
    print(
        _(
            "Predicted for the feed: {planned_lufs:.1f} LUFS at {planned_true_peak_dbtp:.1f} dBTP.",
            planned_lufs=feed["planned_lufs"],
            planned_true_peak_dbtp=feed["planned_true_peak_dbtp"],
        )
    )
    print(_("Written to {out}.", out=chosen.out))


def _print_setting(kind: str, name: str, setting: dict[str, Any]) -> None:
    value = setting["value"]
    if name == "bands":
        for band in value:
            print(
                f"{band['name']:12} {band['frequency_hz']:8.0f} Hz {band['gain_db']:+6.1f} dB  Q"
                f" {band['q']:.2f}  {band['because']}"
            )
    elif isinstance(value, list):
        print(
            _(
                "{kind:24} {value} points of Hz and {unit}  {because}",
                kind=kind + " " + name,
                value=len(value),
                unit=setting["unit"],
                because=setting["because"],
            )
        )
    else:
        print(f"{kind + ' ' + name:24} {value:g} {setting['unit']}  {setting['because']}")


def print_check(found: FoundDrift) -> None:
    """Print what a check found: the causes with what to do, and what moved."""
    if not found.drifted:
        print(
            _(
                "Nothing drifted: the difference is no larger than between two readings of one"
                " sentence."
            )
        )
    for cause in found.causes:
        print(f"{cause.share:4.0%}  {cause.sentence} {cause.action}")
    for name, row in found.readings.items():
        then, now = (
            "unknown" if value is None or not isfinite(value) else f"{round(value, 2):g}"
            for value in (row.then, row.now)
        )
        mark = "moved" if row.moved else ""
        print(f"{name:24} {then:>10} → {now:>10} {row.unit:8} {mark}".rstrip())
