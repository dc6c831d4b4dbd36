"""What a job is at right now: should it bring its process down, hang or grow, it is known which file did that.

A file that did so twice is set aside with a word: no background work touches it again until it changes, or the program
does.
"""

from __future__ import annotations

import threading
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from pruxel.core.base.errors import InputError
from pruxel.server.store.database import session
from pruxel.server.store.setbacks import key_of, set_asides
from pruxel.server.store.tables import EntryRow


@dataclass(frozen=True)
class Risk:
    """One thing of strangers that is read: an `entry` by its path, or a `source` by its address.

    `stamp` tells whether it is still the same, `seconds` is how long it may take.
    """

    kind: str
    name: str
    stamp: str
    seconds: float


# Stands with a job whose process ended, nobody knows at what: it reads one thing at a time from then on.
CAREFUL = {"careful": True}


def risk_of(row: EntryRow, seconds: float) -> Risk:
    """Reading one stored entry."""
    return Risk("entry", row.path, f"{row.stamp}:{row.size}", seconds)


Tell = Callable[[Risk | None], None]
_lock = threading.Lock()
_listener: list[Tell] = []


def listen(tell: Tell) -> None:
    """Let `tell` hear what is read from now on: the process that looks after this one."""
    _listener[:] = [tell]


def left_alone(project: uuid.UUID) -> Callable[[Risk], None]:
    """A function that raises `InputError` for what was set aside in a project until now."""
    with session() as db:
        known = set_asides(db, project)

    def check(risk: Risk) -> None:
        stamp, fault = known.get((risk.kind, key_of(risk.name)), ("", None))
        if fault is not None and stamp == risk.stamp:
            raise InputError.of(fault)

    return check


@contextmanager
def at(risk: Risk) -> Iterator[None]:
    """While this lasts, whatever happens to the process is this thing's doing."""
    _say(risk)
    try:
        yield
    finally:
        _say(None)


def _say(risk: Risk | None) -> None:
    with _lock:
        for tell in _listener:
            tell(risk)
