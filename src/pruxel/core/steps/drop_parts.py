"""Parts that go: what steps that keep some of them share."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.registry import StepResult


def with_parts_dropped(scene: Scene, gone: Collection[int]) -> StepResult:
    """The scene without the parts at these nodes, and without all that only they used."""
    dropped = set(gone)
    bare = tuple(
        replace(node, mesh=None, skin=None, weights=None) if index in dropped else node
        for index, node in enumerate(scene.nodes)
    )
    # A dropped part with children stays as a bare node, so that its children keep their place; so does one that is a
    # joint of a part that stays.
    stay = [index for index, node in enumerate(scene.nodes) if index not in dropped or node.children]
    result = keep_nodes(replace(scene, nodes=bare), stay)
    everything = sum(1 for _ in parts(scene))
    left = everything - len(dropped)
    there = {node.name for node in result.nodes}
    removed = tuple(name for index in sorted(dropped) if (name := scene.nodes[index].name) not in there)
    measured = (Evidence("parts kept", left), Evidence("parts dropped", len(dropped)))
    return StepResult(result, f"{left} of {everything} parts kept", measured, removed=removed)
