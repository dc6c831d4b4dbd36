"""Rename clips: text in their names replaced, or a pattern."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.new_names import renumbered
from pruxel.core.steps.references import NameText
from pruxel.core.steps.registry import Params, StepResult, step


class RenameClips(Params):
    """Text that is replaced, or a pattern that makes new names."""

    clips: Clips = ()
    find: NameText = Field("", title="Find", description="text in the name that is replaced")
    put: NameText = Field("", title="Put", description="what stands in its place")
    pattern: NameText = Field(
        "{name}", min_length=1, title="Pattern",
        description="the new name: {name} and {number} stand for themselves",
    )  # fmt: skip


@step(
    "rename_clips",
    "Rename clips",
    "Gives clips new names: text replaced, or by a pattern with a number.",
    RenameClips,
)
def rename_clips(scene: Scene, params: RenameClips, context: Context) -> StepResult:
    """Rename the chosen clips; raises `UsageError` for one that would have no name."""
    context.check()
    chosen = chosen_clips(scene, params.clips)
    clips = list(scene.clips)
    names = renumbered([clips[index].name for index in chosen], params.find, params.put, params.pattern)
    for index, name in zip(chosen, names, strict=True):
        clips[index] = replace(clips[index], name=name)
    renamed = sum(a.name != b.name for a, b in zip(scene.clips, clips, strict=True))
    return StepResult(
        replace(scene, clips=tuple(clips)), f"{renamed:,} of {counted(len(chosen), 'clip')} renamed",
        (Evidence("clips renamed", renamed),),
    )  # fmt: skip
