"""What all tables have in common."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import DeclarativeBase

JsonBody = dict[str, Any]


class Base(DeclarativeBase):
    """All tables."""
