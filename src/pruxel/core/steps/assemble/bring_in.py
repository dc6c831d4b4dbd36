"""Bring another entry of the sources into the scene."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import merge
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.walk import parents_of
from pruxel.core.steps.references import Entry, Place, Reference
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step


class BringIn(Params):
    """Which entry, and where its origin goes."""

    entry: Entry = Field(..., min_length=1, title="Entry", description="path of a model")
    at: Place = Field((0.0, 0.0, 0.0), title="Place", description="where its origin goes, in metres")


@joining_step(
    "bring_in",
    "Bring in an entry",
    "Adds another model of the sources to this one, at a place; both keep their parts.",
    BringIn,
)
def bring_in(scene: Scene, params: BringIn, context: Context, others: Others) -> StepResult:
    """Merge the entry's scene below a node of its own; equal meshes and images are stored once."""
    context.check()
    guest = others[Reference("entry", params.entry)]
    tops = [Node(guest.name, children=guest.roots, translation=params.at)]
    hidden = tuple(i for i, above in enumerate(parents_of(guest)) if above < 0 and i not in guest.roots)
    if hidden and guest.skins:
        # Joints that are not shown hold parts that are: they go along.
        tops.append(Node(f"{guest.name}.unseen", children=hidden, translation=params.at))
    placed = replace(guest, nodes=(*guest.nodes, *tops), roots=(len(guest.nodes),), stages=())
    merged = replace(merge(scene.name, [scene, placed]), stages=scene.stages, extras=scene.extras)
    renamed = {
        old.name: new.name
        for old, new in zip((*scene.nodes, *placed.nodes), merged.nodes, strict=True)
        if old.name != new.name
    }
    brought = sum(node.mesh is not None for node in guest.nodes)
    measured = (Evidence("parts brought in", brought), Evidence("parts renamed", len(renamed)))
    return StepResult(merged, f"{brought} parts of '{guest.name}' brought in", measured, renamed)
