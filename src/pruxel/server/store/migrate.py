"""Bring the database to the current shape."""

from __future__ import annotations

from pathlib import Path

import procrastinate
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import text

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.settings import settings
from pruxel.server.store.database import engine


def alembic_config() -> Config:
    """Alembic's configuration, without a file."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def current_revision() -> str | None:
    """How far the database is; None for one without tables of ours."""
    with engine().connect() as connection:
        if connection.execute(text("SELECT to_regclass('alembic_version')")).scalar_one() is None:
            return None
        found: str | None = connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one_or_none()
        return found


def check_not_newer() -> None:
    """Raise `InputError` when a newer version than this has changed the database."""
    here = current_revision()
    known = [script.revision for script in ScriptDirectory.from_config(alembic_config()).walk_revisions()]
    if here is not None and here not in known:
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "this data folder is from a newer version of Pruxel",
            expected=f"a database of revision {max(known)} or older",
            found=f"revision {here}",
            hint="Nothing was changed. Start the newer version, or choose another data folder (PRUXEL_DATA_FOLDER).",
        )


def check_migrated() -> None:
    """Raise `InputError` when the database is not of this version."""
    check_not_newer()
    here, head = current_revision(), ScriptDirectory.from_config(alembic_config()).get_current_head()
    if here != head:
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "the database is of an older version",
            expected=f"revision {head}",
            found=f"revision {here}" if here else "no tables",
            hint="Run 'pruxel migrate' first.",
        )


def migrate_database() -> None:
    """Run our migrations and the task queue's schema; does nothing when both are there.

    Raises `InputError` for a database that a newer version has changed.
    """
    check_not_newer()
    command.upgrade(alembic_config(), "head")
    with engine().connect() as connection:
        there = connection.execute(text("SELECT to_regclass('procrastinate_jobs')")).scalar_one()
    if there is None:
        queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=settings().database_url))
        with queue.open():
            queue.schema_manager.apply_schema()
