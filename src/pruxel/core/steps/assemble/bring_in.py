"""Bring another entry of the sources into the scene."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.geometry.euler import turns_about
from pruxel.core.scene.edit import merge
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.walk import node_named, parents_of
from pruxel.core.steps.references import Degrees, Entry, Joint, Place, Reference
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step


class BringIn(Params):
    """Which entry, and where its origin goes."""

    entry: Entry = Field(..., min_length=1, title="Entry", description="path of a model")
    at: Place = Field((0.0, 0.0, 0.0), title="Place", description="where its origin goes, in metres")
    to: Joint = Field("", title="Hangs on", description="a joint or named point that moves it; empty: on nothing")
    turn: tuple[Degrees, Degrees, Degrees] = Field(
        (0.0, 0.0, 0.0), title="Turn", description="about x, then y, then z, before it is placed"
    )


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
    holder = node_named(scene, params.to) if params.to else None
    if params.to and holder is None:
        near = ", ".join(node.name for node in scene.nodes if node.mesh is None)[:200]
        raise UsageError(
            ErrorCode.USAGE, f"there is no joint or point called '{params.to}'", field="to",
            expected=f"one of {near}" if near else "a model with joints or named points", found=params.to,
        )  # fmt: skip
    turn = turns_about(np.deg2rad(np.array([params.turn])), "xyz")[0]
    x, y, z, w = turn.tolist()
    guest = others[Reference("entry", params.entry)]
    tops = [Node(guest.name, children=guest.roots, translation=params.at, rotation=(x, y, z, w))]
    hidden = tuple(i for i, above in enumerate(parents_of(guest)) if above < 0 and i not in guest.roots)
    if hidden and guest.skins:
        # Joints that are not shown hold parts that are: they go along.
        tops.append(Node(f"{guest.name}.unseen", children=hidden, translation=params.at, rotation=(x, y, z, w)))
    placed = replace(guest, nodes=(*guest.nodes, *tops), roots=(len(guest.nodes),), stages=())
    merged = replace(merge(scene.name, [scene, placed]), stages=scene.stages, extras=scene.extras)
    if holder is not None:
        top = len(scene.nodes) + len(guest.nodes)
        held = replace(merged.nodes[holder], children=(*merged.nodes[holder].children, top))
        nodes = (*merged.nodes[:holder], held, *merged.nodes[holder + 1 :])
        merged = replace(merged, nodes=nodes, roots=tuple(root for root in merged.roots if root != top))
    renamed = {
        old.name: new.name
        for old, new in zip((*scene.nodes, *placed.nodes), merged.nodes, strict=True)
        if old.name != new.name
    }
    brought = sum(node.mesh is not None for node in guest.nodes)
    measured = (Evidence("parts brought in", brought), Evidence("parts renamed", len(renamed)))
    words = f"{brought} parts of '{guest.name}' brought in" + (f", on “{params.to}”" if params.to else "")
    return StepResult(merged, words, measured, renamed)
