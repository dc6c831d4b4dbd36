"""The catalogue: things of the game rather than files."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.sources.catalogue import Card, build_cards, is_catalogue, names_by_code, read_rows
from pruxel.core.sources.kinds import Kind
from pruxel.server.api.browse_models import CardOut, CatalogueOut
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.marks import found_by_pattern
from pruxel.server.store.tables import EntryRow

router = APIRouter(tags=["catalogue"])
_MOST_PARTS = 60
_MOST_CARDS = 2000


@router.get("/projects/{project}/catalogue")
def get_catalogue(project: UUID) -> CatalogueOut:
    """People, creatures, vehicles, places …: whatever the profile's tables describe, with what belongs to each."""
    stack = stored_stack(project)
    cards: list[Card] = []
    problems: list[str] = []
    with session() as db:

        def find(pattern: str) -> tuple[str, ...]:
            return found_by_pattern(db, stack.state, pattern, _MOST_PARTS)

        for table in stack.profile.spec.tables:
            if not is_catalogue(table):
                continue
            try:
                names = names_by_code(table, read_rows(stack.read(table.file, Context()), table.file))
            except InputError as error:
                problems.append(error.fault.line())
                continue
            chosen = dict(list(names.items())[: max(_MOST_CARDS - len(cards), 0)])
            cards += build_cards(table, chosen, find)
        wanted = [path for card in cards for path in (*_faces(card), *card.parts.get("clips", ()))]
        rows = db.execute(
            select(EntryRow.path, EntryRow.kind, EntryRow.picture).where(
                EntryRow.slot.in_(stack.state.winning), EntryRow.path.in_(wanted)
            )
        ).all()
    pictures = {r.path: r.picture for r in rows if r.picture is not None}
    kinds = {r.path: r.kind for r in rows}
    return CatalogueOut(cards=[_out(card, pictures, kinds) for card in cards], problems=problems)


def _faces(card: Card) -> tuple[str, ...]:
    """The entries whose picture may stand for a card, the best first."""
    return (*card.parts.get("portrait", ()), *card.parts.get("model", ()))


def _out(card: Card, pictures: dict[str, str], kinds: dict[str, str]) -> CardOut:
    models = [path for path in card.parts.get("model", ()) if kinds.get(path) == Kind.MODEL]
    clips = [path for path in card.parts.get("clips", ()) if kinds.get(path) == Kind.CLIPS]
    return CardOut(
        group=card.group,
        code=card.code,
        name=card.name,
        picture=next((pictures[path] for path in _faces(card) if path in pictures), None),
        parts={name: list(paths) for name, paths in card.parts.items()},
        missing=list(card.missing),
        bench=[*models, *clips] if models else [],
    )
