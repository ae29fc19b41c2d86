"""A rig as a use case works with it: the program, the transaction, the rig's row, its takes in
force."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any, TypeVar, cast

from sqlalchemy.orm import Session

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.take_queries import Takes, current_takes
from obsidian_wren.store.models import Rig

Found = TypeVar("Found")


class RigContext:
    """One rig within one transaction. Its takes are looked up once, until :meth:`look_again`."""

    def __init__(self, app: AppContext, session: Session, rig: Rig) -> None:
        self.app = app
        self.session = session
        self.rig = rig
        self._held: dict[str, Any] = {}
        # Who is told of what happens to it, and what ends work on it that nobody needs any more.
        self.announce: Callable[[object], None] = app.announce
        self.go_on: Callable[[], None] = app.go_on

    @classmethod
    def of(cls, app: AppContext, session: Session, rig_id: int) -> RigContext:
        """A rig by its id. Raises NoResultFound."""
        return cls(app, session, session.get_one(Rig, rig_id))

    @cached_property
    def takes(self) -> Takes:
        """The newest usable take of each purpose."""
        return current_takes(self.session, self.rig)

    def held(self, name: str, look_up: Callable[[], Found]) -> Found:
        """Something of the rig that stays as it is until :meth:`look_again`."""
        if name not in self._held:
            self._held[name] = look_up()
        return cast("Found", self._held[name])

    def look_again(self) -> None:
        """Takes or what a person decided have changed: look up anew what is asked for."""
        self.__dict__.pop("takes", None)
        self._held.clear()
