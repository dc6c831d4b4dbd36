"""Bring another entry of the sources into the scene."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Scene
from pruxel.core.steps.bring import Where, brought
from pruxel.core.steps.references import ModelEntry, Reference
from pruxel.core.steps.registry import Others, StepResult, joining_step


class BringIn(Where):
    """Which entry, and where its origin goes."""

    entry: ModelEntry = Field(..., min_length=1, title="Entry", description="path of a model")


@joining_step(
    "bring_in",
    "Bring in an entry",
    "Adds another model of the sources to this one, at a place or on a joint: a tool into a hand, a hat onto a head.",
    BringIn,
    version=2,
)
def bring_in(scene: Scene, params: BringIn, context: Context, others: Others) -> StepResult:
    """Merge the entry's scene below a node of its own; equal meshes and images are stored once.

    Raises `UsageError` when there is no node to hang it on.
    """
    context.check()
    guest = others[Reference("entry", params.entry)]
    done = brought(scene, guest, params)
    count = sum(node.mesh is not None for node in guest.nodes)
    measured = (Evidence("parts brought in", count), Evidence("parts renamed", len(done.renamed)))
    words = f"{counted(count, 'part')} of '{guest.name}' brought in" + (f", on “{params.to}”" if params.to else "")
    return StepResult(done.scene, words, measured, done.renamed)
