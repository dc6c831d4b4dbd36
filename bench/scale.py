"""A million entries: indexing against a bare COPY, searching against a hundredth of it, names against a sort."""

from __future__ import annotations

import http.client
import json
import os
import tempfile
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import psycopg
from sqlalchemy import select, text

from bench.searching import QUESTIONS, asked, p95, plain, served, spoken
from bench.timing import best, by_turns, line
from pruxel.core.base.context import Context
from pruxel.core.knowledge.name_lists import names_of
from pruxel.core.native.hashes import hash_texts, positions_of
from pruxel.sample.containers import bulk_bytes
from pruxel.server.postgres import running_cluster
from pruxel.server.settings import settings
from pruxel.server.store import blobs, database, jobs
from pruxel.server.store.migrate import migrate_database
from pruxel.server.store.tables import EntryRow, Job, Project, Slot

MANY, FEW = 1_000_000, 10_000
LAYOUT = Path(__file__).resolve().parent.parent / "src/pruxel/sample/data/layouts/pack.yaml"
COLUMNS = "slot, folder, path, kind, size, stored, stamp, variant"


@contextmanager
def installation(folder: Path) -> Iterator[str]:
    """A cluster of its own, migrated, with jobs that are stored but run by us."""
    data = folder / "data"
    data.mkdir()
    with running_cluster(data, 55100) as cluster:
        os.environ |= {
            "PRUXEL_DATA_FOLDER": str(data),
            "PRUXEL_DATABASE_URL": cluster.url,
            "PRUXEL_ROOTS": f'["{folder}"]',
        }
        for cached in (settings, database.engine, blobs._store):
            cached.cache_clear()
        migrate_database()
        yield cluster.url
        database.engine().dispose()


def game(folder: Path, count: int) -> Path:
    """A folder with one pack of so many entries, its layout and a profile."""
    home = folder / f"game{count}"
    home.mkdir()
    (home / "pack.yaml").write_text(LAYOUT.read_text())
    (home / "profile.yaml").write_text("profile: 1\nname: Bulk\nlayouts: [pack.yaml]\nleave_out: ['*.yaml']\n")
    (home / "bulk.brp").write_bytes(bulk_bytes(count))
    return home


def mount(home: Path) -> tuple[uuid.UUID, float]:
    """A project with the folder mounted; seconds from asking to searchable."""
    from pruxel.server.jobs.scan import scan

    with database.session() as db:
        project = Project(name=home.name)
        db.add(project)
        db.flush()
        job = Job(project_id=project.id, kind="scan", title="", payload={"mount": str(home), "key": ""})
        db.add(job)
        db.flush()
    start = time.perf_counter()
    scan(job, Context())
    return project.id, time.perf_counter() - start


def bare_copy(url: str, folder: Path) -> float:
    """Seconds for COPY of the same rows into a table with the same indexes."""
    path = folder / "rows"
    with psycopg.connect(url, autocommit=True) as connection:
        with path.open("wb") as file, connection.cursor().copy(f"COPY entries ({COLUMNS}) TO STDOUT") as out:
            for piece in out:
                file.write(piece)
        connection.execute("CREATE TABLE twin (LIKE entries INCLUDING ALL)")
        start = time.perf_counter()
        with path.open("rb") as file, connection.cursor().copy(f"COPY twin ({COLUMNS}) FROM STDIN") as into:
            while piece := file.read(1 << 16):
                into.write(piece)
        took = time.perf_counter() - start
        connection.execute("DROP TABLE twin")
    return took


def run() -> None:
    """All benches of scale."""
    with tempfile.TemporaryDirectory(dir="/var/tmp") as scratch, installation(Path(scratch)) as url:
        folder = Path(scratch)
        many, took = mount(game(folder, MANY))
        line("1,000,000 entries, mount to searchable : COPY of the rows", took, bare_copy(url, folder), 3)
        again = time.perf_counter()
        from pruxel.server.jobs.scan import index, scan

        with database.session() as db:
            scan(db.query(Job).filter(Job.kind == "scan").first(), Context())
        line("reading it again unchanged : reading it first", time.perf_counter() - again, took, 0.1)
        start = time.perf_counter()
        index(Job(), Context())  # outside any transaction, for which building it beside others' work would wait
        print(f"word index built beside it in {time.perf_counter() - start:.1f} s")
        few, _ = mount(game(folder, FEW))
        with database.session() as db:
            db.execute(text("ANALYZE"))
        with served() as server, psycopg.connect(url, autocommit=True) as connection:
            bare = plain(connection, many)
            for name, questions in QUESTIONS.items():
                at_many, at_few, by_hand = p95([spoken(server, many), spoken(server, few), bare], questions)
                line(f"{name}, p95 : the same at 10,000", at_many, at_few, 3)
                line(f"{name}, p95 : bare SQL", at_many, by_hand, 1.5)
            line("a name in another letter case, p95 : 2 ms", name_look_up(many), 0.002, 1)
            print(f"switching the layer off and asking for the list again: {switch(server, many) * 1000:.0f} ms")
        with database.session() as db:
            jobs.tell(db, {})
    names()


def name_look_up(project: uuid.UUID) -> float:
    """Seconds to find what a file means by a name that is written in another letter case, 95 of 100."""
    from pruxel.server.jobs.stacks import stored_stack

    with database.session() as db:
        slots = select(Slot.id).where(Slot.project_id == project)
        paths = list(db.execute(select(EntryRow.path).where(EntryRow.slot.in_(slots)).limit(40_000)).scalars())[::400]
    stack = stored_stack(project)
    took = []
    for path in paths:
        name = path.rsplit("/", 1)[-1].upper()
        assert stack.resolve(name, "").path == path, name
        took.append(best(lambda name=name: stack.resolve(name, ""), 3))  # type: ignore[misc]
    return float(np.percentile(took, 95))


def switch(server: http.client.HTTPConnection, project: uuid.UUID) -> float:
    """Seconds until the list is there after the only large layer was switched off."""
    sources = json.loads(asked(server, "GET", f"/api/projects/{project}/sources"))
    large = max(sources, key=lambda s: s["entries"])["id"]
    start = time.perf_counter()
    asked(server, "PATCH", f"/api/sources/{large}", '{"on": false}')
    answer = json.loads(asked(server, "GET", f"/api/projects/{project}/entries"))
    took = time.perf_counter() - start
    assert not answer["entries"]
    asked(server, "PATCH", f"/api/sources/{large}", '{"on": true}')
    return took


def names() -> None:
    """Matching names with hashes."""
    texts = [b"actors/group_%d/thing_%07d_c.dds" % (i % 997, i) for i in range(MANY)]
    listed = names_of(texts)
    hashes = hash_texts("fnv1a_64", listed.block, listed.starts)
    wanted = np.random.default_rng(3).permutation(hashes)
    assert (hashes[positions_of(wanted, hashes)] == wanted).all()
    match, sort = by_turns(lambda: positions_of(wanted, hashes), lambda: (np.sort(wanted), np.sort(hashes)))
    line("1,000,000 names against 1,000,000 hashes : sorting both", match, sort, 3)
    whole = best(lambda: positions_of(wanted, hash_texts("fnv1a_64", listed.block, listed.starts)), 5)
    print(f"with hashing the names: {whole * 1000:.0f} ms")


if __name__ == "__main__":
    run()
