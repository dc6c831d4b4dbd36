"""Sweeping: scenes unused longest go when the store is over its size, then blobs that nothing names any more."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from typing import Any

import orjson
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from pruxel.core.base.context import Context
from pruxel.core.scene.manifest import names_in
from pruxel.server.jobs.runner import job_kind
from pruxel.server.settings import settings
from pruxel.server.store.batches import BatchItem
from pruxel.server.store.blobs import all_blobs, drop_blob, find_blob
from pruxel.server.store.database import session
from pruxel.server.store.tables import EntryRow, Glance, Job, NameListRow, StoredScene, View

# A blob this young may belong to work that has not yet written down what it made.
_YOUNG_SECONDS = 3600.0
_KEY = re.compile(r"\b[0-9a-f]{32}(?:png)?\b")
_KEPT_DAYS = 60


@job_kind("sweep")
def sweep(_job: Job, context: Context) -> None:
    """Bound the store in bytes, and clear what is unreachable."""
    context.progress(0.0, "looking through the store")
    with session() as db:
        forget_old_scenes(db, settings().store_bytes)
        named = set(reachable(db))
    now, cleared = time.time(), 0
    for key, size, written in all_blobs():
        context.check()
        if key.partition(".")[0] not in named and now - written > _YOUNG_SECONDS:
            drop_blob(key)
            cleared += size
    context.progress(1.0, f"{cleared / 1e6:,.0f} MB cleared")


def forget_old_scenes(db: Session, most_bytes: int) -> int:
    """Forget views and looks nobody opened for long, and the scenes used longest ago beyond `most_bytes`; how many."""
    for table in (View, Glance):
        old = func.now() - func.make_interval(0, 0, 0, _KEPT_DAYS)
        db.execute(delete(table).where(table.used < old))
    rows = db.execute(select(StoredScene.key, StoredScene.size).order_by(StoredScene.used.desc())).all()
    total, gone = 0, []
    for key, size in rows:
        total += size
        if total > most_bytes:
            gone.append(key)
    db.execute(delete(StoredScene).where(StoredScene.key.in_(gone)))
    return len(gone)


def reachable(db: Session) -> Iterator[str]:
    """The keys of all blobs that something names."""
    drawn = db.execute(select(EntryRow.picture).where(EntryRow.picture.is_not(None)).distinct()).scalars()
    yield from (key for key in drawn if key)
    yield from db.execute(select(NameListRow.blob)).scalars()
    manifests = set(db.execute(select(StoredScene.manifest)).scalars())
    for table in (View.content, Glance.content, Job.payload, BatchItem.told):
        for content in db.execute(select(table)).scalars():
            named = set(_keys_in(content))
            yield from named
            manifests |= named
    for manifest in manifests:
        data = find_blob(manifest)
        if data is None or not data.startswith(b'{"_":"Scene"'):
            continue
        yield manifest
        described = orjson.loads(data)
        yield from (picture for picture in described.pop("pictures", ()) if picture)
        yield from names_in(described)


def _keys_in(value: Any) -> Iterator[str]:  # noqa: ANN401 - JSON
    if isinstance(value, str):
        yield from _KEY.findall(value)
    elif isinstance(value, dict):
        for inside in value.values():
            yield from _keys_in(inside)
    elif isinstance(value, list):
        for inside in value:
            yield from _keys_in(inside)
