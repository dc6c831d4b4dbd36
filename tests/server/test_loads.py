"""Loading a large source: stopped in the middle it goes on from there, and a changed one from the start."""

from __future__ import annotations

import uuid
from pathlib import Path

import pytest
from sqlalchemy import func, select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError
from pruxel.sample.containers import bulk_bytes
from pruxel.server.jobs import loads
from pruxel.server.jobs.scan import scan
from pruxel.server.store.database import session
from pruxel.server.store.tables import EntryRow, FacetCount, FolderCount, Job, Project, Slot, SourceRow

LAYOUT = Path(__file__).resolve().parents[2] / "src/pruxel/sample/data/layouts/pack.yaml"
COUNT, PIECE = 30_000, 4_000


@pytest.fixture
def home(installation: dict[str, str], tmp_path_factory: pytest.TempPathFactory) -> Path:
    home = Path(installation["mounts"]) / uuid.uuid4().hex
    home.mkdir()
    (home / "pack.yaml").write_text(LAYOUT.read_text())
    (home / "profile.yaml").write_text("profile: 1\nname: Bulk\nlayouts: [pack.yaml]\nleave_out: ['*.yaml']\n")
    (home / "bulk.brp").write_bytes(bulk_bytes(COUNT))
    return home


def job_for(home: Path) -> Job:
    with session() as db:
        project = Project(name=home.name)
        db.add(project)
        db.flush()
        job = Job(project_id=project.id, kind="scan", title="", status="done", payload={"mount": str(home), "key": ""})
        db.add(job)
        db.flush()
        return job


class Stopping:
    """A context that is cancelled once so many rows are in."""

    def __init__(self, rows: int) -> None:
        self.rows, self.told = rows, list[int]()
        self.context = Context(cancelled=lambda: self.full, report=self.hear)
        self.full = False

    def hear(self, _fraction: float, message: str) -> None:
        if message.endswith(f"of {COUNT:,} entries"):
            self.told.append(int(message.split(" ", maxsplit=1)[0].replace(",", "")))
            self.full = self.told[-1] >= self.rows


def bulk_source(project: uuid.UUID) -> SourceRow:
    with session() as db:
        rows = db.execute(select(SourceRow).where(SourceRow.project_id == project)).scalars()
        return next(row for row in rows if row.label.startswith("bulk"))


def stored(project: uuid.UUID) -> tuple[int, int, int, int]:
    """Rows, different paths, and how many there are by the kinds' counts and by the folders' counts."""
    with session() as db:
        slots = select(Slot.id).where(Slot.project_id == project)
        rows, paths = db.execute(
            select(func.count(), func.count(EntryRow.path.distinct())).where(EntryRow.slot.in_(slots))
        ).one()
        facets = db.execute(select(func.sum(FacetCount.number)).where(FacetCount.slot.in_(slots))).scalar()
        files = db.execute(select(func.sum(FolderCount.files)).where(FolderCount.slot.in_(slots))).scalar()
    return rows, paths, int(facets or 0), int(files or 0)


def test_a_stopped_load_goes_on_where_it_was(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(loads, "_PIECE", PIECE)
    job = job_for(home)
    first = Stopping(2 * PIECE + 1)
    with pytest.raises(CancelledError):
        scan(job, first.context)
    assert bulk_source(job.project_id).state == "waiting"
    assert stored(job.project_id) == (3 * PIECE, 3 * PIECE, 0, 0)
    second = Stopping(COUNT * 2)
    scan(job, second.context)
    assert min(second.told) == 4 * PIECE
    assert stored(job.project_id) == (COUNT,) * 4
    row = bulk_source(job.project_id)
    assert (row.state, row.entries, row.options) == ("ready", COUNT, {})


def test_a_pack_that_changed_meanwhile_starts_anew(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(loads, "_PIECE", PIECE)
    job = job_for(home)
    with pytest.raises(CancelledError):
        scan(job, Stopping(PIECE + 1).context)
    (home / "bulk.brp").write_bytes(bulk_bytes(COUNT - 500))
    scan(job, Context())
    assert stored(job.project_id) == (COUNT - 500,) * 4


def test_another_source_settled_meanwhile(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Loose files that shadow a pack which is loaded by half only."""
    monkeypatch.setattr(loads, "_PIECE", PIECE)
    job = job_for(home)
    with pytest.raises(CancelledError):
        scan(job, Stopping(2 * PIECE + 1).context)
    with session() as db:
        path = db.execute(
            select(EntryRow.path).join(Slot, Slot.id == EntryRow.slot).where(Slot.project_id == job.project_id).limit(1)
        ).scalar_one()
    other = home.parent / f"{home.name}_loose"
    (other / path).parent.mkdir(parents=True)
    (other / path).write_bytes(b"mine")
    with session() as db:
        loose = Job(
            project_id=job.project_id, kind="scan", title="", status="done", payload={"mount": str(other), "key": ""}
        )
        db.add(loose)
    scan(loose, Context())
    scan(job, Context())
    assert stored(job.project_id) == (COUNT + 1, COUNT, COUNT + 1, COUNT + 1)
