"""What the parts of the page are read from: one rig in one transaction, and what has changed since
each answer was derived.

Each piece is read by itself: one that cannot be read is told and shown as unknown, and the others
are there.
"""

from __future__ import annotations

import logging
import types
import typing
from collections.abc import Callable
from dataclasses import dataclass, field, fields, is_dataclass
from functools import cached_property
from typing import Any, Literal, TypeVar, cast

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.service import calibration
from obsidian_wren.service.context import AppContext, FolderFinding
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation

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


_LOG = logging.getLogger(__name__)
Piece = TypeVar("Piece")
_RECALCULATE = _("Recalculate. If that does not help, run “obsidian-wren doctor --repair”.")


def _unreadable(title: str) -> str:
    return _("The saved {title} cannot be read, so it is shown as unknown.", title=title)


@dataclass
class PageState:
    """What could not be read when it was read last, by its title."""

    unreadable: dict[str, FolderFinding] = field(default_factory=dict)


def current(app: AppContext) -> PageState:
    """What the page knows while the program runs."""
    return app.own(PageState)


class Sheet:
    """One rig, to be read from."""

    def __init__(self, ctx: RigContext) -> None:
        self.ctx = ctx
        self._unreadable = current(ctx.app).unreadable
        # Held, so that each answer is found without the database being asked for it.
        self._answers = ctx.session.scalars(
            select(Derivation).where(Derivation.rig_id == ctx.rig.id)
        ).all()

    @cached_property
    def present(self) -> dict[str, Value]:
        """Everything that answers stand on, as it is now."""
        return self.read(_("the rig"), lambda: staleness.sources_now(self.ctx), {})

    @cached_property
    def stale(self) -> dict[str, str | None]:
        """Why each kept answer does not hold any more, by its node; None where it holds, or where
        a new one is on its way."""
        if self.working_out:
            return dict.fromkeys(staleness.STEP_OF)
        return self.read(
            _("what has changed"),
            lambda: {
                node: staleness.stale_answer(self.ctx, node, self.present)
                for node in staleness.STEP_OF
            },
            dict.fromkeys(staleness.STEP_OF),
        )

    @cached_property
    def working_out(self) -> bool:
        """Whether what follows from a change is still being worked out."""
        return calibration.current(self.ctx.app).background.waits

    def read(
        self,
        title: str,
        piece: Callable[[], Piece],
        unknown: Any,
        *,
        code: str = "unreadable-part",
        action: str | None = None,
    ) -> Piece:
        """The piece, or what stands for it where what is kept of it makes no sense; ``action``
        says what to do then."""
        try:
            found = piece()
        except (SQLAlchemyError, FolderError):
            # Nothing can be read: that is told of the whole.
            raise
        except Exception:
            if title not in self._unreadable:
                # Once, not with every state.
                _LOG.exception("A part of the state cannot be read")
            self._unreadable[title] = FolderFinding(
                code, _unreadable(title), action or _RECALCULATE
            )
            return cast("Piece", unknown)
        self._unreadable.pop(title, None)
        return found
