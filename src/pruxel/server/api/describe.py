"""The byte view: an entry's bytes from afar, values, finds; guesses; layouts in the making, and saving them."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query

from pruxel.core.knowledge.profile_layouts import with_layout
from pruxel.core.recipe.layout_words import language_words
from pruxel.server.api.browse_models import ProblemOut
from pruxel.server.api.describe_models import (
    ComparedOut,
    DescribedOut,
    ExampleOut,
    FindsOut,
    GuessesOut,
    GuessOut,
    LayoutIn,
    ReadAsOut,
    StripOut,
    WordOut,
)
from pruxel.server.api.limits import LARGEST, EntryId, PathText, Word
from pruxel.server.api.models import JobOut
from pruxel.server.api.profiles import set_profile
from pruxel.server.api.source_models import ProfileIn
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.describing import (
    Search,
    compared,
    described,
    examples,
    finds_shown,
    layout_of,
    strip_shown,
    values_shown,
)
from pruxel.server.jobs.guessing import guess_key
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.stacks import stored_entry
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import latest_job
from pruxel.server.store.projects import project_by_id
from pruxel.server.store.tables import Glance

router = APIRouter(tags=["describe"])
_MOST_PIECES = 1024
Place = Annotated[int, Query(ge=0, le=LARGEST)]
Order = Literal["<", ">"]
FindKind = Literal["hex", "text", "u8", "i8", "u16", "i16", "u32", "i32", "u64", "i64", "f16", "f32", "f64"]


@router.get("/entries/{entry}/strip")
def show_strip(entry: EntryId, pieces: Annotated[int, Query(ge=1, le=_MOST_PIECES)] = 256) -> StripOut:
    """An entry's bytes from afar."""
    return StripOut.model_validate(aside(strip_shown, entry, pieces))


@router.get("/entries/{entry}/values")
def show_values(entry: EntryId, offset: Place = 0) -> list[ReadAsOut]:
    """The bytes at a place read as every type, in both byte orders."""
    return [ReadAsOut.model_validate(one) for one in aside(values_shown, entry, offset)]


@router.get("/entries/{entry}/finds")
def show_finds(
    entry: EntryId,
    kind: FindKind,
    what: Annotated[str, Query(max_length=400)] = "",
    order: Order = "<",
    low: float = 0.0,
    high: float = 0.0,
    first: Place = 0,
) -> FindsOut:
    """Where bytes, a text or a number stand; without `what`, numbers from `low` to `high`."""
    return FindsOut.model_validate(aside(finds_shown, entry, Search(what, kind, order, low, high, first)))


@router.get("/entries/{entry}/compared")
def show_compared(entry: EntryId, path: PathText) -> ComparedOut:
    """Where an entry differs from another one, given by its path."""
    return ComparedOut.model_validate(aside(compared, entry, path))


@router.post("/entries/{entry}/described")
def show_described(entry: EntryId, wanted: LayoutIn) -> DescribedOut:
    """What a layout in the making reads of an entry; nothing is kept of the layout."""
    return DescribedOut.model_validate(aside(described, entry, wanted.text))


@router.get("/entries/{entry}/layout")
def show_layout(entry: EntryId) -> str:
    """The layout by which an entry is read, as text; empty when there is none."""
    return aside(layout_of, entry)


@router.get("/layouts/words")
def list_words() -> list[WordOut]:
    """The words of the layout language."""
    return [WordOut(word=one.word, kind=one.kind, about=one.about) for one in language_words()]


@router.get("/layouts/examples")
def list_examples() -> list[ExampleOut]:
    """Layouts to begin from."""
    return [ExampleOut.model_validate(one) for one in examples()]


@router.post("/entries/{entry}/guesses")
def ask_guesses(entry: EntryId) -> str:
    """Have an entry's format guessed; returns the key under which the guesses come."""
    row, stack = stored_entry(entry)
    key = guess_key(stack, row)
    with reading() as db:
        done = db.get(Glance, key)
    if done is None:
        payload = {"key": key, "path": stack.pinned(row)}
        with session() as db:
            put_job(db, stack.state.project, "guess", f"Guessing what {row.path.rsplit('/', 1)[-1]} holds", payload)
    return key


@router.get("/projects/{project}/guesses/{key}")
def get_guesses(project: UUID, key: Word) -> GuessesOut:
    """How guessing stands, and what was found."""
    with reading() as db:
        found = db.get(Glance, key)
        job = latest_job(db, project, "guess", key)
    if found is not None and found.project_id == project:
        guesses = [GuessOut.model_validate(one) for one in found.content["found"]]
        return GuessesOut(
            status="done", job=None, found=guesses, looked_at=found.content["looked_at"], size=found.content["size"]
        )
    problem = None if job is None or job.fault is None else ProblemOut.model_validate(job.fault)
    return GuessesOut(
        status="unknown" if job is None else job.status,
        job=None if job is None else str(job.id),
        found=[],
        looked_at=0,
        size=0,
        problem=problem,
    )


@router.post("/projects/{project}/layouts", status_code=202)
def save_layout(project: UUID, wanted: LayoutIn) -> JobOut | None:
    """Put a layout into the project's profile, in place of one of its name, and read all sources again by it."""
    with session() as db:
        found = project_by_id(db, project)
        name, profile = found.name, found.profile
    return set_profile(project, ProfileIn(text=aside(with_layout, profile, wanted.text, name)))
