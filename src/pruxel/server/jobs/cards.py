"""The catalogue, a page of cards at a time. Runs aside."""

from __future__ import annotations

import uuid
from functools import lru_cache
from typing import Any

from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.knowledge.catalogue import Card, build_cards, is_catalogue, rows_by_code
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.profile import GameTable
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.sight import draw_soon
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.marks import found_by_pattern
from pruxel.server.store.tables import EntryRow

_MOST_PARTS = 60
Line = tuple[GameTable, str, dict[str, str]]
Lines = tuple[Line, ...]


@lru_cache(maxsize=4)
def _lines(project: uuid.UUID, revision: int) -> tuple[Lines, tuple[str, ...]]:
    """Every table's codes and rows in order, and what is wrong with the tables; kept while nothing changes."""
    del revision
    stack = stored_stack(project)
    lines: list[Line] = []
    problems = []
    for table in stack.profile.spec.tables:
        if not is_catalogue(table):
            continue
        try:
            rows = rows_by_code(table, Opener(stack).rows(table.file, Context()))
        except InputError as error:
            problems.append(error.fault.line())
            continue
        lines += [(table, code, row) for code, row in rows.items()]
    return tuple(lines), tuple(problems)


def cards_of(project: uuid.UUID, group: str | None, words: str, offset: int, limit: int) -> dict[str, Any]:
    """One page of the things whose name, code and group have all words, with how many there are in each group."""
    stack = stored_stack(project)
    lines, problems = _lines(project, stack.state.revision)
    groups: dict[str, int] = {}
    for table, _, _ in lines:
        groups[table.group] = groups.get(table.group, 0) + 1
    wanted = words.lower().split()
    found = [
        line
        for line in lines
        if group in {None, line[0].group}
        and all(word in f"{line[2][line[0].name]} {line[1]} {line[0].group}".lower() for word in wanted)
    ]
    with session() as db:

        def find(pattern: str) -> tuple[str, ...]:
            return found_by_pattern(db, stack.state, pattern, _MOST_PARTS)

        cards = [card for table, code, row in found[offset : offset + limit]
                 for card in build_cards(table, {code: row}, find)]  # fmt: skip
        paths = [path for card in cards for path in (*_faces(card), *card.parts.get("clips", ()))]
        rows = db.execute(
            select(EntryRow.path, EntryRow.kind, EntryRow.picture).where(
                EntryRow.slot.in_(stack.state.winning), EntryRow.path.in_(paths)
            )
        ).all()
    faces = {face for card in cards for face in _faces(card)}
    draw_soon(stack.state, [r.path for r in rows if r.picture is None and r.path in faces])
    pictures = {r.path: r.picture for r in rows if r.picture}
    kinds = {r.path: r.kind for r in rows}
    return {
        "cards": [_told(card, pictures, kinds) for card in cards],
        "total": len(found),
        "groups": groups,
        "problems": list(problems),
    }


def _faces(card: Card) -> tuple[str, ...]:
    """The entries whose picture may stand for a card, the best first."""
    return (*card.parts.get("portrait", ()), *card.parts.get("model", ()))


def _told(card: Card, pictures: dict[str, str], kinds: dict[str, str]) -> dict[str, Any]:
    models = [path for path in card.parts.get("model", ()) if kinds.get(path) in {Kind.MODEL, Kind.SKELETON}]
    clips = [path for path in card.parts.get("clips", ()) if kinds.get(path) == Kind.CLIPS]
    levels = [path for paths in card.parts.values() for path in paths if kinds.get(path) == Kind.LEVEL]
    return {
        "group": card.group,
        "code": card.code,
        "name": card.name,
        "picture": next((pictures[path] for path in _faces(card) if path in pictures), None),
        "parts": {name: list(paths) for name, paths in card.parts.items()},
        "missing": list(card.missing),
        "wears": card.wears,
        "bench": [*models, *clips] if models else levels[:1],
    }
