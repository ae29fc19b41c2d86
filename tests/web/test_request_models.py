"""Every request model forbids what it does not know, so that a typo in a body is no silent
default."""

import inspect
import typing

import pytest
from pydantic import BaseModel

from obsidian_wren.service.page import views
from obsidian_wren.web import app
from obsidian_wren.web.app import create_app

# What a handler is given: a body, a form, a query, the places of its path.
GIVEN = ("body", "form", "query", "path")
MODELS = sorted(
    {
        hint
        for route in app.ROUTES
        for name, hint in typing.get_type_hints(route.handler).items()
        if name in GIVEN and inspect.isclass(hint) and issubclass(hint, BaseModel)
    },
    key=lambda model: model.__name__,
)


def within(model, seen):
    """A model and every model in its fields."""
    if model in seen:
        return
    seen.add(model)
    for field in model.model_fields.values():
        stack = [field.annotation]
        while stack:
            hint = stack.pop()
            stack += typing.get_args(hint)
            if inspect.isclass(hint) and issubclass(hint, BaseModel):
                within(hint, seen)


def test_every_request_model_forbids_unknown_fields_however_deep():
    seen = set()
    for model in MODELS:
        within(model, seen)
    assert len(seen) > 60
    open_to_all = {model.__name__ for model in seen if model.model_config.get("extra") != "forbid"}
    assert open_to_all == set()
    assert views.Overview not in seen


@pytest.mark.parametrize(
    "method, path, body",
    [
        ("put", "/api/preferences", {"cut_wieght": 0.2}),
        ("put", "/api/preferences", {"taste": {"warmth": 1.0}}),
        ("post", "/api/rigs", {"name": "Quay", "nmae": "x"}),
        ("post", "/api/confirm", {"step": "rig", "anyways": True}),
        ("get", "/api/report?sav=true", None),
        ("get", "/api/takes/older?purpose=rest&befor=3", None),
    ],
)
def test_a_typo_is_told(boathouse, method, path, body):
    client = create_app(boathouse).test_client()
    answer = getattr(client, method)(path, **({} if body is None else {"json": body}))
    assert answer.status_code == 422
    assert answer.get_json()["code"] == "invalid"


@pytest.mark.parametrize("text", ["\ud800", "a\udfffb"])
def test_text_that_cannot_be_kept_is_refused_everywhere(boathouse, text):
    client = create_app(boathouse).test_client()
    asked = [
        ("post", "/api/rigs", {"name": text}),
        ("post", "/api/microphones", {"name": text, "kind": "usb", "pattern": "omni"}),
        ("put", "/api/destinations/call/name", {"name": text}),
        ("patch", "/api/versions/1", {"name": "x", "note": text}),
    ]
    for method, path, body in asked:
        answer = getattr(client, method)(path, json=body)
        assert answer.status_code == 422, path
        assert "broken" in answer.get_json()["sentence"], path
    assert client.get("/api/state").status_code == 200
