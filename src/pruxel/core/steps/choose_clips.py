"""How steps name clips: by name, `*` for any letters, all of them when none is named."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Annotated

from pydantic import Field

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.steps.references import ClipName

Clips = Annotated[
    tuple[ClipName, ...],
    Field(title="Clips", description="clips by name, `*` stands for any letters; none: all of them"),
]


def chosen_clips(scene: Scene, names: Sequence[str]) -> list[int]:
    """The numbers of the clips that names mean; raises `UsageError` for a name that none has, or where there are none.

    A clip's own name is meant before what it may mean as a pattern.
    """
    available = [clip.name for clip in scene.clips]
    if not available:
        raise UsageError(
            ErrorCode.USAGE, "there are no clips here", expected="a model with clips", found="none",
            hint="Open the clips together with the model.",
        )  # fmt: skip
    for name in names:
        if not any(_meant(one, name, available) for one in available):
            raise UsageError(
                ErrorCode.USAGE, f"there is no clip called '{name}'",
                expected=f"one of {', '.join(dict.fromkeys(available[:12]))}", found=name,
                hint="An earlier step may have renamed or dropped it.",
            )  # fmt: skip
    return [n for n, one in enumerate(available) if not names or any(_meant(one, name, available) for name in names)]


def _meant(clip: str, name: str, available: Sequence[str]) -> bool:
    return clip == name if name in available else fnmatchcase(clip, name)


def on_clips(scene: Scene, names: Sequence[str], change: Callable[[Clip], Clip]) -> tuple[Scene, int]:
    """The scene with the chosen clips changed, and how many there were."""
    chosen = chosen_clips(scene, names)
    clips = list(scene.clips)
    for number in chosen:
        clips[number] = change(clips[number])
    return replace(scene, clips=tuple(clips)), len(chosen)
