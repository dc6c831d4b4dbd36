"""Alembic's environment: always online, always our engine."""

from alembic import context

from pruxel.server.store import harm  # noqa: F401 - its tables belong to the metadata
from pruxel.server.store.database import engine
from pruxel.server.store.tables import Base

with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
