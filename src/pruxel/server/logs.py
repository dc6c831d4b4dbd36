"""Logs: one file a process in the data folder, a line of JSON an event, rotated; warnings go to the terminal too.

Each line carries the job that was run, so that what happened to one can be read alone.
"""

from __future__ import annotations

import json
import logging
import sys
import uuid
from contextvars import ContextVar
from datetime import UTC, datetime
from logging.handlers import RotatingFileHandler

from pruxel.core.base.writing import make_folder
from pruxel.server.settings import settings

JOB: ContextVar[uuid.UUID | None] = ContextVar("job", default=None)
_BYTES, _FILES = 4 << 20, 5


class JsonLines(logging.Formatter):
    """A record as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        """Time in UTC, level, logger, the job if there is one, the message, and the exception with its traceback."""
        job = JOB.get()
        line = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "log": record.name,
            "job": None if job is None else str(job),
            "message": record.getMessage(),
            "exception": self.formatException(record.exc_info) if record.exc_info else None,
        }
        return json.dumps({name: value for name, value in line.items() if value is not None}, ensure_ascii=False)


class _Short(logging.Formatter):
    """A line for whoever watches the terminal: the log has the traceback."""

    def format(self, record: logging.LogRecord) -> str:
        """Level, logger, message, and what was thrown."""
        thrown = record.exc_info[1] if record.exc_info else None
        why = "" if thrown is None else f": {type(thrown).__name__}: {thrown}".splitlines()[0]
        return f"{record.levelname.lower()} {record.name}: {record.getMessage()}{why}"


def begin_log(part: str) -> None:
    """Let this process write its log. Raises `InputError` when the data folder does not take it."""
    make_folder(settings().data_folder).chmod(0o700)
    folder = make_folder(settings().data_folder / "logs")
    folder.chmod(0o700)
    file = RotatingFileHandler(folder / f"{part}.log", maxBytes=_BYTES, backupCount=_FILES, encoding="utf-8")
    file.setFormatter(JsonLines())
    file.setLevel(settings().log_level.upper())
    terminal = logging.StreamHandler(sys.stderr)
    terminal.setLevel(logging.WARNING)
    terminal.setFormatter(_Short())
    logging.basicConfig(level=logging.INFO, handlers=[file, terminal], force=True)
    for loud in ("alembic", "procrastinate", "httpx", "asyncio", "numba", "libarchive"):
        logging.getLogger(loud).setLevel(logging.WARNING)
    # While the database is away it says so twice a second.
    logging.getLogger("psycopg.pool").setLevel(logging.ERROR)
