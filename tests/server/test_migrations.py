"""The migrations lead to the tables that the code describes."""

from __future__ import annotations

import uuid
from collections.abc import Iterator

import psycopg
import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, select, text

from pruxel.core.base.errors import InputError
from pruxel.server.settings import settings
from pruxel.server.store import (
    database,
    harm,  # noqa: F401 - its tables belong to the metadata
)
from pruxel.server.store.database import engine
from pruxel.server.store.migrate import alembic_config, check_migrated, migrate_database
from pruxel.server.store.projects import keys_of
from pruxel.server.store.sealing import sealed
from pruxel.server.store.tables import Base, Project, SourceRow


def test_the_database_is_what_the_tables_say(installation: dict[str, str]) -> None:
    known = set(Base.metadata.tables)
    with engine().connect() as connection:
        # The task queue's own tables, and the word index, are no tables of ours.
        context = MigrationContext.configure(
            connection,
            opts={"include_name": lambda name, kind, _parents: kind != "table" or name in known},
        )
        found = [d for d in compare_metadata(context, Base.metadata) if "entries_by_word" not in str(d)]
    assert found == []


def _fresh(installation: dict[str, str]) -> tuple[str, str]:
    """A database of its own in the running cluster: its name and address."""
    base, _, _ = installation["PRUXEL_DATABASE_URL"].rpartition("/")
    name = f"m{uuid.uuid4().hex[:10]}"
    with psycopg.connect(f"{base}/postgres", autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")  # type: ignore[call-overload]
    return name, f"{base}/{name}"


@pytest.fixture
def other(installation: dict[str, str], monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A database without tables, which the migrations see as ours."""
    name, url = _fresh(installation)
    monkeypatch.setenv("PRUXEL_DATABASE_URL", url)
    for cached in (settings, database.engine, database._asking):
        cached.cache_clear()
    yield url
    database.engine().dispose()
    monkeypatch.undo()
    for cached in (settings, database.engine, database._asking):
        cached.cache_clear()
    base, _, _ = url.rpartition("/")
    with psycopg.connect(f"{base}/postgres", autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")  # type: ignore[call-overload]


REVISIONS = [
    script.revision for script in reversed(list(ScriptDirectory.from_config(alembic_config()).walk_revisions()))
]
PROJECT, PIECE = uuid.uuid4(), uuid.uuid4()
STEPS = [{"step": "set_units", "params": {"factor": 2.0}, "on": True}]


def _some_data(connection: Connection) -> None:
    """What a person of the first version has made, in as many columns as there were."""
    values: dict[str, object] = {
        "id": PROJECT, "project_id": PROJECT, "name": "old", "about": "", "mount": "/games/x", "label": "x", "kind": "folder",
        "position": 0, "entries": 0, "size": 0, "problems": "[]", "title": "t", "payload": "{}", "status": "done",
        "fraction": 1.0, "message": "", "cancel": False, "attempts": 1, "key": "k", "content": "{}",
    }  # fmt: skip
    for table in ("projects", "sources", "jobs", "views"):
        columns = [
            row.column_name
            for row in connection.execute(
                text(
                    "SELECT column_name FROM information_schema.columns WHERE table_name = :t AND is_nullable = 'NO' "
                    "AND column_default IS NULL"
                ),
                {"t": table},
            )
        ]
        listed = ", ".join(f'"{name}"' for name in columns)
        marks = ", ".join(f":{name}" for name in columns)
        connection.execute(text(f"INSERT INTO {table} ({listed}) VALUES ({marks})"), {n: values[n] for n in columns})


@pytest.mark.parametrize("start", REVISIONS)
def test_data_of_every_released_state_comes_along(other: str, start: str) -> None:
    """Tables of that state with data in them become today's, and what a person made is still there."""
    command.upgrade(alembic_config(), REVISIONS[0])
    with database.engine().begin() as connection:
        _some_data(connection)
    command.upgrade(alembic_config(), start)
    with database.engine().begin() as connection:
        there = connection.execute(text("SELECT to_regclass('keys') IS NOT NULL")).scalar_one()
        if there:
            value = b"0123456789abcdef" if start < "0007" else sealed(b"0123456789abcdef")
            connection.execute(
                text("INSERT INTO keys (project_id, name, value) VALUES (:p, 'reef', :v)"), {"p": PROJECT, "v": value}
            )
    migrate_database()
    check_migrated()
    with database.session() as db:
        project = db.get_one(Project, PROJECT)
        assert (project.name, project.revision >= 0) == ("old", True)
        assert [row.mount for row in db.execute(select(SourceRow)).scalars()] == ["/games/x"]
        if there:
            assert keys_of(db, PROJECT) == {"reef": b"0123456789abcdef"}
    with database.engine().connect() as connection:
        context = MigrationContext.configure(
            connection, opts={"include_name": lambda name, kind, _p: kind != "table" or name in Base.metadata.tables}
        )
        found = [d for d in compare_metadata(context, Base.metadata) if "entries_by_word" not in str(d)]
    assert found == []


def test_a_database_of_a_newer_version_is_refused_untouched(other: str) -> None:
    migrate_database()
    with database.engine().begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    for refuse in (migrate_database, check_migrated):
        with pytest.raises(InputError, match="newer version") as told:
            refuse()
        assert told.value.fault.found == "revision 9999"
    with database.engine().connect() as connection:
        assert connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one() == "9999"


def test_a_database_without_our_tables_is_told(other: str) -> None:
    with pytest.raises(InputError, match="older version") as told:
        check_migrated()
    assert told.value.fault.found == "no tables"
