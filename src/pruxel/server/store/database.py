"""Engine and sessions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session

from pruxel.server.settings import settings


@lru_cache(maxsize=1)
def engine() -> Engine:
    """The one engine of this process."""
    url = settings().database_url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(url, pool_size=8, max_overflow=8, pool_pre_ping=True)


@contextmanager
def session() -> Iterator[Session]:
    """A session that commits at the end and rolls back on an exception."""
    with Session(engine(), expire_on_commit=False) as one, one.begin():
        yield one
