"""Clips by themselves on a model nearby that has their joints."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.extract.clips import LooseClip
from pruxel.core.extract.clips_on_scene import with_clips
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.scene.model import Scene

MOST_TRIED = 12
_ENOUGH = 0.5
_WHOLE = 0.999


def on_nearest(
    near: Callable[[Kind], Sequence[str]],
    opened: Callable[[str, Context], Scene],
    clips: tuple[LooseClip, ...],
    context: Context,
) -> tuple[Scene | None, str | None]:
    """The clips on the nearest model (else skeleton) that has their joints, and its path; None when nothing fits."""
    best: tuple[float, Scene | None, str | None] = (_ENOUGH, None, None)
    for kind in (Kind.MODEL, Kind.SKELETON):
        for candidate, part in context.each(near(kind), lambda p: p):
            silent = Context(cancelled=part.cancelled, limits=part.limits)
            try:
                scene, share = with_clips(opened(candidate, silent), clips)
            except InputError:
                continue
            if share > best[0]:
                best = (share, scene, candidate)
            if share >= _WHOLE:
                return scene, candidate
    return best[1], best[2]
