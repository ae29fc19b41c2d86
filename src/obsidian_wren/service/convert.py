"""From rows to records to answers: the one converter of the services."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from functools import cache
from typing import Any, TypeVar, cast

from pydantic import BaseModel, TypeAdapter

Kind = TypeVar("Kind")


def convert(kind: type[Kind], /, *things: object, **more: Any) -> Kind:
    """A dataclass or a model from ``things``: each field from the first of them that has one of
    its name, records inside them likewise; what is in ``more`` goes before.

    Raises ValueError where a field is missing or makes no sense.
    """
    wanted: Any = kind
    found = dict(more)
    for name in _names(wanted):
        for thing in things:
            if name in found:
                break
            if isinstance(thing, Mapping):
                if name in thing:
                    found[name] = thing[name]
            elif hasattr(thing, name):
                found[name] = getattr(thing, name)
    return cast("Kind", _adapter(wanted).validate_python(found, from_attributes=True))


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


@cache
def _names(kind: Any) -> tuple[str, ...]:
    if issubclass(kind, BaseModel):
        return tuple(kind.model_fields)
    return tuple(field.name for field in dataclasses.fields(kind))
