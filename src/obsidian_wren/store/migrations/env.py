"""Alembic's entry: migrations run on the engine that the program opened."""

from __future__ import annotations

from alembic import context

from obsidian_wren.store.models import Base

engine = context.config.attributes["engine"]
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
    with context.begin_transaction():
        context.run_migrations()
