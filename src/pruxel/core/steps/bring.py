"""What steps that bring something in share: another scene below a node of its own, at a place or on a joint."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from pydantic import Field

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.geometry.euler import turns_about
from pruxel.core.scene.edit import merge
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.walk import node_named, parents_of
from pruxel.core.steps.references import Degrees, Joint, Place
from pruxel.core.steps.registry import Params


class Where(Params):
    """Where the origin of what is brought in goes."""

    at: Place = Field((0.0, 0.0, 0.0), title="Place", description="where its origin goes, in metres")
    to: Joint = Field("", title="Hangs on", description="a joint or named point that moves it; empty: on nothing")
    turn: tuple[Degrees, Degrees, Degrees] = Field(
        (0.0, 0.0, 0.0), title="Turn", description="about x, then y, then z, before it is placed"
    )


@dataclass(frozen=True)
class Brought:
    """The scene with another in it: its nodes stand from `first` on, its top ones are `tops`, some renamed."""

    scene: Scene
    first: int
    tops: tuple[int, ...]
    renamed: dict[str, str]


def brought(scene: Scene, guest: Scene, where: Where) -> Brought:
    """Merge a scene below a node of its own; equal meshes and images are stored once.

    Raises `UsageError` when there is no node to hang it on.
    """
    holder = node_named(scene, where.to) if where.to else None
    if where.to and holder is None:
        near = ", ".join(node.name for node in scene.nodes if node.mesh is None)[:200]
        raise UsageError(
            ErrorCode.USAGE, f"there is no joint or point called '{where.to}'", field="to",
            expected=f"one of {near}" if near else "a model with joints or named points", found=where.to,
        )  # fmt: skip
    turn = turns_about(np.deg2rad(np.array([where.turn])), "xyz")[0]
    x, y, z, w = turn.tolist()
    tops = [Node(guest.name, children=guest.roots, translation=where.at, rotation=(x, y, z, w))]
    hidden = tuple(i for i, above in enumerate(parents_of(guest)) if above < 0 and i not in guest.roots)
    if hidden and guest.skins:
        # Joints that are not shown hold parts that are: they go along.
        tops.append(Node(f"{guest.name}.unseen", children=hidden, translation=where.at, rotation=(x, y, z, w)))
    placed = replace(guest, nodes=(*guest.nodes, *tops), roots=(len(guest.nodes),), stages=())
    merged = replace(merge(scene.name, [scene, placed]), stages=scene.stages, extras=scene.extras)
    first = len(scene.nodes)
    top = first + len(guest.nodes)
    if holder is not None:
        held = replace(merged.nodes[holder], children=(*merged.nodes[holder].children, top))
        nodes = (*merged.nodes[:holder], held, *merged.nodes[holder + 1 :])
        merged = replace(merged, nodes=nodes, roots=tuple(root for root in merged.roots if root != top))
    renamed = {
        old.name: new.name
        for old, new in zip((*scene.nodes, *placed.nodes), merged.nodes, strict=True)
        if old.name != new.name
    }
    return Brought(merged, first, tuple(range(top, top + len(tops))), renamed)
