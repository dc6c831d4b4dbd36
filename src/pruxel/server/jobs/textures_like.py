"""Which textures, or other entries, of a project a name may have meant."""

from __future__ import annotations

import uuid
from contextlib import suppress
from typing import Any

from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.images.decode import decode_image
from pruxel.core.images.likeness import Shown, likeness
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.texture_roles import Candidate, candidates, looked_at, slot_of_gap
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.sight import draw_soon
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.store.database import reading
from pruxel.server.store.tables import EntryRow

_MOST_COMPARED = 50_000


def _shown(stack: StoredStack, paths: list[str]) -> dict[str, Shown]:
    """What textures show by their texels; those that cannot be read are not told of."""
    context, shows = Context(), dict[str, Shown]()
    for path in paths:
        with suppress(InputError):
            shows[path] = likeness(decode_image(Opener(stack).picture(path, context), path).rgba).shows
    return shows


def textures_like(project: uuid.UUID, named: str, gap: str) -> dict[str, Any]:
    """The textures that may be meant, the surest first, and the slot of steps for them. Runs aside."""
    stack = stored_stack(project)
    sizes, known = _stored(stack, Kind.TEXTURE)
    slot = slot_of_gap(gap)
    named_so = candidates(named, slot, sizes, stack.profile.spec.roles)
    found = looked_at(named_so, slot, _shown(stack, [one.path for one in named_so]))
    return {"slot": slot, "candidates": _told(stack, found, known)}


def entries_like(project: uuid.UUID, kind: str, named: str) -> list[dict[str, Any]]:
    """The entries of a kind whose names are like one, the surest first. Runs aside."""
    stack = stored_stack(project)
    sizes, known = _stored(stack, kind)
    return _told(stack, candidates(named, "", sizes, {}), known)


def _stored(stack: StoredStack, kind: str) -> tuple[list[tuple[str, int]], dict[str, Any]]:
    """Paths and sizes of all entries of a kind, and their rows by path."""
    wanted = (EntryRow.slot.in_(stack.state.winning), EntryRow.kind == kind)
    columns = (EntryRow.path, EntryRow.id, EntryRow.size, EntryRow.picture)
    with reading() as db:
        rows = db.execute(select(*columns).where(*wanted).order_by(EntryRow.path).limit(_MOST_COMPARED)).all()
    return [(row.path, row.size) for row in rows], {row.path: row for row in rows}


def _told(stack: StoredStack, found: list[Candidate], known: dict[str, Any]) -> list[dict[str, Any]]:
    """With their entries and pictures; those that have none and can have one are drawn."""
    draw_soon(stack.state, [one.path for one in found if known[one.path].picture is None])
    return [vars(one) | {"entry": known[one.path].id, "picture": known[one.path].picture} for one in found]
