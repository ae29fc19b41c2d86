"""What a check found, as plain JSON values."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.prove.drift import Drift
from obsidian_wren.core.prove.drift_words import say
from obsidian_wren.core.prove.moved import readings_of
from obsidian_wren.formats.jsonable import to_jsonable


def drift_json(
    drift: Drift, *, distance_known: bool, cardioid_deg: float | None = None
) -> dict[str, Any]:
    """A drift as plain JSON values, the strongest cause first. ``cardioid_deg``: how far off its
    axis a cardioid stood then, None for another pattern."""
    readings = {
        row.name: {
            "then": row.then,
            "now": row.now,
            "unit": row.unit,
            "spread": row.spread,
            "moved": row.beyond,
        }
        for row in readings_of(drift.change)
    }
    causes = []
    for cause in drift.causes:
        words = say(cause, drift, distance_known=distance_known, cardioid_deg=cardioid_deg)
        causes.append(
            {
                "code": cause.code,
                "share": cause.share,
                "estimate": cause.estimate,
                "error": cause.error,
                "then": cause.then,
                "unit": cause.unit,
                "sentence": words.sentence,
                "action": words.action,
            }
        )
    return dict(to_jsonable({"drifted": drift.drifted, "readings": readings, "causes": causes}))
