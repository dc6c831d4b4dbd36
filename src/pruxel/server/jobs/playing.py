"""Clips on a model nearby that has their joints."""

from __future__ import annotations

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.extract.clips import LooseClip, with_clips
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.model import Scene
from pruxel.server.jobs.stacks import split_source
from pruxel.server.store.conditions import Query
from pruxel.server.store.database import reading
from pruxel.server.store.search import page
from pruxel.server.store.stack_state import StackState

_MOST_TRIED = 12
_ENOUGH = 0.5
_WHOLE = 0.999


def played(
    opened: Opener, state: StackState, clips: tuple[LooseClip, ...], path: str, context: Context
) -> tuple[Scene | None, str | None]:
    """The clips on the nearest model (else skeleton) that has their joints, and its path; None when nothing fits."""
    best: tuple[float, Scene | None, str | None] = (_ENOUGH, None, None)
    for kind in (Kind.MODEL, Kind.SKELETON):
        for candidate, part in context.each(_near(state, split_source(path)[1], kind), lambda p: p):
            silent = Context(cancelled=part.cancelled, limits=part.limits)
            try:
                scene, share = with_clips(opened.scene([candidate], silent), clips)
            except InputError:
                continue
            if share > best[0]:
                best = (share, scene, candidate)
            if share >= _WHOLE:
                return scene, candidate
    return best[1], best[2]


def _near(state: StackState, path: str, kind: Kind) -> list[str]:
    """Entries of a kind in the same folder, then below the folders above it, nearest first."""
    found: dict[str, None] = {}
    folder = path
    while folder and len(found) < _MOST_TRIED:
        folder = folder.rpartition("/")[0]
        with reading() as db:
            rows = page(db, state, Query(kind=kind, folder=folder or None), offset=0, limit=_MOST_TRIED)
        found |= dict.fromkeys(row.path for row in rows)
    return list(found)[:_MOST_TRIED]
