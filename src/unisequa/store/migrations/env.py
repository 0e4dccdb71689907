"""What Alembic runs: the migrations on the connection it is handed."""

from __future__ import annotations

from alembic import context

from unisequa.store.tables import Base

connection = context.config.attributes["connection"]
context.configure(
    connection=connection, target_metadata=Base.metadata, render_as_batch=True, transaction_per_migration=False
)
context.run_migrations()
