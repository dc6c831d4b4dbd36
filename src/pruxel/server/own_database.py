"""The database of this data folder, for commands: that of whoever runs on it, or started while it is needed."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.postgres import running_cluster
from pruxel.server.running import RunsAlreadyError, claimed, whoever_runs
from pruxel.server.settings import settings
from pruxel.server.store.migrate import migrate_database

_URL = "PRUXEL_DATABASE_URL"


@contextmanager
def own_database() -> Iterator[None]:
    """Let the settings name the database; one that another command named stays. Raises `InputError`."""
    if _URL in os.environ:
        yield
        return
    here = settings()
    try:
        with claimed(here.data_folder), running_cluster(here.data_folder, 54737) as cluster:
            _name(cluster.url)
            migrate_database()
            yield
    except RunsAlreadyError as other:
        if not other.database:
            raise InputError(
                ErrorCode.CONFLICT, "Pruxel is just starting on this data folder", hint="Try again in a moment."
            ) from None
        _name(other.database)
        yield


def name_running_database() -> None:
    """Let the settings name the database of whoever runs on this data folder, where somebody does."""
    runs = None if _URL in os.environ else whoever_runs(settings().data_folder)
    if runs is not None and runs.database:
        _name(runs.database)


def _name(url: str) -> None:
    os.environ[_URL] = url
    settings.cache_clear()
