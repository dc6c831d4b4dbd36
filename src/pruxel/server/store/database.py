"""Engine and sessions."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Any, TypeVar

import psycopg
from psycopg.errors import DeadlockDetected
from sqlalchemy import Engine, create_engine, make_url, text
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.server.settings import settings

Result = TypeVar("Result")
_MOST_MEETINGS = 5
_PAUSE_SECONDS = 1.0
# Values that people type (keys above all) do not belong in messages of errors, which go to logs.
_QUIET: dict[str, Any] = {"hide_parameters": True, "connect_args": {"connect_timeout": 10}}


@lru_cache(maxsize=1)
def engine() -> Engine:
    """The one engine of this process."""
    return create_engine(_url(), pool_size=8, max_overflow=8, pool_pre_ping=True, **_QUIET)


@lru_cache(maxsize=1)
def _asking() -> Engine:
    return create_engine(
        _url(),
        pool_size=8,
        max_overflow=8,
        pool_pre_ping=True,
        **_QUIET,
        pool_reset_on_return=None,
        isolation_level="AUTOCOMMIT",
    )


def _url() -> str:
    return settings().database_url.replace("postgresql://", "postgresql+psycopg://", 1)


def has_no_room(error: BaseException) -> bool:
    """Whether the database answers, and says that its disk is full."""
    return isinstance(error.orig if isinstance(error, DBAPIError) else error, psycopg.errors.DiskFull)


NO_ROOM = Fault(
    ErrorCode.NO_SPACE,
    "there is no room left on the database's disk",
    hint="Make room, then try again: what was done before is kept, and a load goes on where it was.",
)


def is_away(error: BaseException) -> bool:
    """Whether an error says that the database does not answer, rather than what it thinks of a statement."""
    if has_no_room(error):
        return False
    if isinstance(error, DBAPIError) and error.connection_invalidated:
        return True
    return isinstance(error, OperationalError | InterfaceError | PoolTimeoutError | psycopg.OperationalError)


def patiently(work: Callable[[], Result]) -> Result:
    """What `work` returns, once the database answers."""
    while True:
        try:
            return work()
        except Exception as error:
            if not is_away(error):
                raise
            time.sleep(_PAUSE_SECONDS)


def despite_others(work: Callable[[], Result]) -> Result:
    """What `work` returns, a transaction of its own, begun anew where it and another one wait for each other.

    The database ends one of the two and leaves it to whoever asked to try again (SQLSTATE 40P01).
    """
    for _ in range(_MOST_MEETINGS):
        try:
            return work()
        except OperationalError as error:
            if not isinstance(error.orig, DeadlockDetected):
                raise
    return work()


def wait_for_database(say: Callable[[str], None]) -> None:
    """Return when the database answers; until then say every now and then that we wait, and for what."""
    place = make_url(_url())
    waited = 0
    while True:
        try:
            with engine().connect():
                return
        except OperationalError as error:
            if waited % 10 == 0:
                why = str(error.orig).strip().splitlines()[0] if str(error.orig).strip() else "no answer"
                say(f"waiting for the database at {place.host}:{place.port} ({why})")
        waited += 1
        time.sleep(1.0)


@contextmanager
def session() -> Iterator[Session]:
    """A session that commits at the end and rolls back on an exception."""
    with Session(engine(), expire_on_commit=False) as one, one.begin():
        yield one


@contextmanager
def unhurried() -> Iterator[Session]:
    """A session whose end does not wait for the disk: for progress, pictures and bulk loads, which are made again.

    What is committed after it in the ordinary way brings it to the disk as well.
    """
    with session() as one:
        one.execute(text("SET LOCAL synchronous_commit TO off"))
        yield one


@contextmanager
def reading() -> Iterator[Session]:
    """A session that only asks: no transaction is begun or ended, which would be three round trips more."""
    with Session(_asking(), expire_on_commit=False) as one:
        yield one


def glance(statement: str, values: dict[str, Any]) -> list[tuple[Any, ...]]:
    """The rows of one statement as psycopg reads it, without a session: half the time of a question so small."""
    connection = _asking().raw_connection()
    try:
        cursor = connection.cursor()
        cursor.execute(statement, values)
        return list(cursor.fetchall())
    finally:
        connection.close()


@contextmanager
def without(db: Session, *ways: str) -> Iterator[None]:
    """Forbid the planner ways for a few statements of a session that only asks.

    Its estimates of how many paths hold a word are far off.
    """
    connection = db.connection().connection.dbapi_connection
    assert connection is not None
    assert connection.autocommit, "this would end somebody's transaction"
    db.execute(text("; ".join(("BEGIN", *(f"SET LOCAL {way} = off" for way in ways)))))
    try:
        yield
    finally:
        db.execute(text("ROLLBACK"))
