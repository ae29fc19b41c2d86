"""What stands for a part of the state that cannot be read: the part's own shape with nothing in it,
so that a page shows the rest."""

from __future__ import annotations

import types
import typing
from typing import Any, Literal, TypeVar

from pydantic import BaseModel

View = TypeVar("View", bound=BaseModel)


def unknown(view: type[View]) -> View:
    """An empty view: no entries, nothing known, nothing on."""
    return view.model_construct(
        **{name: _empty(field.annotation) for name, field in view.model_fields.items()}
    )


def _empty(kind: Any) -> Any:
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if origin is typing.Annotated:
        return _empty(arguments[0])
    if origin in (typing.Union, types.UnionType):
        return None if type(None) in arguments else _empty(arguments[0])
    if origin is Literal:
        return arguments[0]
    if origin is tuple and Ellipsis not in arguments:
        return tuple(_empty(one) for one in arguments)
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return unknown(kind)
    return None if kind is Any else (origin or kind)()
