"""What stands for a part of the state that cannot be read: the part's own shape with nothing in it,
so that a page shows the rest."""

from __future__ import annotations

import types
import typing
from dataclasses import fields, is_dataclass
from typing import Any, Literal, TypeVar, cast

from pydantic import BaseModel

View = TypeVar("View")


def unknown(view: type[View]) -> View:
    """An empty view or record: no entries, nothing known, nothing on."""
    kinds = typing.get_type_hints(view, include_extras=True)
    if issubclass(view, BaseModel):
        return view.model_construct(**{name: _empty(kinds[name]) for name in view.model_fields})
    return view(**{field.name: _empty(kinds[field.name]) for field in fields(cast(Any, view))})


def _empty(kind: Any) -> Any:
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if origin is typing.Annotated:
        marked = getattr(arguments[1], "nothing", None)
        return _empty(arguments[0]) if marked is None else marked
    if origin in (typing.Union, types.UnionType):
        return None if type(None) in arguments else _empty(arguments[0])
    if origin is Literal:
        return arguments[0]
    if origin is tuple and Ellipsis not in arguments:
        return tuple(_empty(one) for one in arguments)
    if isinstance(kind, type) and (issubclass(kind, BaseModel) or is_dataclass(kind)):
        return unknown(kind)
    return None if kind is Any else (origin or kind)()
