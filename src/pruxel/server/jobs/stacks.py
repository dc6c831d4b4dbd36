"""Opened sources of a project, kept while they stay the same."""

from __future__ import annotations

import uuid
from collections import OrderedDict
from pathlib import Path
from threading import Lock

from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.base import Source
from pruxel.core.sources.profile import Profile, find_profile, load_profile
from pruxel.core.sources.stack import build_stack, open_sources
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.tables import SourceRow

_kept: OrderedDict[str, Opener] = OrderedDict()
_lock = Lock()
_MOST = 4


def check_root(path: Path) -> Path:
    """The resolved path, when it lies below one of the permitted roots; raises `InputError`."""
    resolved = path.expanduser().resolve()
    if not any(resolved.is_relative_to(root.expanduser().resolve()) for root in settings().roots):
        raise InputError(
            ErrorCode.OUTSIDE_ROOTS,
            "this place is not below a permitted folder",
            file=str(path),
            expected="below " + ", ".join(str(r) for r in settings().roots),
            hint="Set PRUXEL_ROOTS to permit more folders.",
        )
    return resolved


def profile_of(mounts: list[Path]) -> Profile:
    """The first profile that lies in a mounted folder."""
    found = next((p for m in mounts if m.is_dir() and (p := find_profile(m))), None)
    return Profile() if found is None else load_profile(found)


def project_mounts(project: uuid.UUID) -> list[Path]:
    """The mounted places of a project, lowest first, each once."""
    with session() as db:
        rows = db.execute(
            select(SourceRow.mount).where(SourceRow.project_id == project).order_by(SourceRow.position)
        ).scalars()
        return [Path(m) for m in dict.fromkeys(rows)]


def fingerprint(mounts: list[Path]) -> str:
    """Changes when a mounted file, or a pack or folder directly below a mounted folder, changes."""
    words = []
    for mount in mounts:
        near = sorted(mount.iterdir()) if mount.is_dir() else []
        for path in [mount, *near]:
            if not path.exists():
                words.append(f"{path}:gone")
                continue
            stat = path.stat()
            words.append(f"{path}:{stat.st_mtime_ns}:{stat.st_size}")
    return "|".join(words)


def opener(project: uuid.UUID, context: Context) -> Opener:
    """The project's sources, opened."""
    mounts = [check_root(m) for m in project_mounts(project)]
    key = f"{project}|{fingerprint(mounts)}"
    with _lock:
        if key in _kept:
            _kept.move_to_end(key)
            return _kept[key]
    profile = profile_of(mounts)
    sources: list[Source] = [s for m in mounts for s in open_sources(m, profile)]
    opened = Opener(build_stack(sources, profile, context))
    with _lock:
        _kept[key] = opened
        while len(_kept) > _MOST:
            _kept.popitem(last=False)
    return opened
