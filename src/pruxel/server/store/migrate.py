"""Bring the database to the current shape."""

from __future__ import annotations

from pathlib import Path

import procrastinate
from alembic import command
from alembic.config import Config
from sqlalchemy import text

from pruxel.server.settings import settings
from pruxel.server.store.database import engine


def alembic_config() -> Config:
    """Alembic's configuration, without a file."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def migrate_database() -> None:
    """Run our migrations and the task queue's schema; does nothing when both are there."""
    command.upgrade(alembic_config(), "head")
    with engine().connect() as connection:
        there = connection.execute(text("SELECT to_regclass('procrastinate_jobs')")).scalar_one()
    if there is None:
        queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=settings().database_url))
        with queue.open():
            queue.schema_manager.apply_schema()
