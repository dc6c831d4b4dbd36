"""Several things in one scene without standing in each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from pruxel.core.scene.edit import merge
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Node, Scene

_GAP = 0.15


def side_by_side(name: str, scenes: Sequence[Scene]) -> Scene:
    """Scenes in a row along +X, each below a node of its own name, a share of the larger neighbour between them.

    The first stays where it is. What has no extent (a lone skeleton) is not moved.
    """
    placed: list[Scene] = []
    edge, gap = 0.0, 0.0
    for number, scene in enumerate(scenes):
        facts = measure(scene)
        low, high, width = facts.minimum[0], facts.maximum[0], facts.size[0]
        move = 0.0 if number == 0 or not facts.parts else edge + max(gap, width * _GAP) - low
        if facts.parts:
            edge, gap = high + move, width * _GAP
        top = Node(scene.name, children=scene.roots, translation=(move, 0.0, 0.0))
        placed.append(replace(scene, nodes=(*scene.nodes, top), roots=(len(scene.nodes),), stages=()))
    merged = merge(name, placed)
    return replace(merged, notes=(*merged.notes, f"{len(scenes)} models are set side by side"))
