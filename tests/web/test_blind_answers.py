"""Nothing that a page is answered tells which of “one” and “other” is which before a series ends:
200 series are played by somebody who reads the network log, and does no better than chance."""

import hashlib
import json

from obsidian_wren.core.prove import pair
from obsidian_wren.store.models import Series
from obsidian_wren.web.app import create_app

SERIES = 200
# Somebody who guesses lands between these in 999 of 1,000 tries.
LOW, HIGH = 77, 123
WANT = {"Wren-Want": "prove"}


def log_of(client, which):
    """What the log says of one sound."""
    answer = client.get(f"/api/series/sound/{which}")
    assert answer.status_code == 200
    return {
        "headers": sorted((k, v) for k, v in answer.headers.items() if k != "Date"),
        "size": len(answer.data),
        "head": answer.data[:64].hex(),
        "digest": hashlib.sha256(answer.data).hexdigest(),
    }


def numbers_in(value):
    if isinstance(value, dict):
        for inner in value.values():
            yield from numbers_in(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from numbers_in(inner)
    elif isinstance(value, (int, float)):
        yield value


def test_the_network_log_of_200_series_tells_no_better_than_chance(boathouse, monkeypatch):
    # A short sentence tells as much of the log as a long one.
    monkeypatch.setattr(pair, "HEARD_S", 1.0)
    app, client = boathouse, create_app(boathouse).test_client()
    # A pair that sounds alike: then nothing but the log could part them.
    second = "without:limiter"
    seen, truth = [], []
    for _ in range(SERIES):
        began = client.post(
            "/api/series", json={"second": second, "kind": "which", "rounds": 8}, headers=WANT
        )
        assert began.status_code == 200, began.data
        state = began.get_json()
        with app.sessions() as session:
            row = session.query(Series).filter(Series.ended.is_(False)).one()
            truth.append(bool(row.order[0]))
            order = json.dumps(row.order)
        text = json.dumps(state)
        assert order not in text
        assert "hidden_order" not in text
        seen.append(
            {
                "one": log_of(client, "one"),
                "other": log_of(client, "other"),
                "state": sum(numbers_in(state["series"])),
            }
        )
        assert client.post("/api/series/end", headers=WANT).status_code == 200
    guesses = {
        "headers": [s["one"]["headers"] < s["other"]["headers"] for s in seen],
        "size": [s["one"]["size"] < s["other"]["size"] for s in seen],
        "head": [s["one"]["head"] < s["other"]["head"] for s in seen],
        "digest": [s["one"]["digest"] < s["other"]["digest"] for s in seen],
        "state": [s["state"] % 2 < 1 for s in seen],
        "series before": [False, *truth[:-1]],
    }
    for name, guess in guesses.items():
        right = sum(g == t for g, t in zip(guess, truth, strict=True))
        assert LOW <= right <= HIGH, (name, right)
    # The same sound asked for twice is never the same bytes: a repeat tells nothing.
    assert len({s[which]["digest"] for s in seen for which in ("one", "other")}) == 2 * SERIES
    assert len({s[which]["size"] for s in seen for which in ("one", "other")}) == 1
