"""The walk that rules about surfaces share: each mesh looked at once, the parts that have it told together."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Generic, TypeVar

from pruxel.core.base.context import Context
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.walk import parts

M = TypeVar("M")


@dataclass(frozen=True)
class Seen(Generic[M]):
    """What was measured of a mesh, and the names of the parts that have it."""

    parts: tuple[str, ...]
    mesh: Mesh
    measured: M


def meshes_where(
    scene: Scene, context: Context, measure: Callable[[Mesh], M], wrong: Callable[[M], bool]
) -> Iterator[Seen[M]]:
    """Those meshes of shown parts whose measure is wrong."""
    users: dict[int, list[str]] = {}
    for _, node, _ in parts(scene):
        if node.mesh is not None:
            users.setdefault(node.mesh, []).append(node.name)
    for mesh, part in context.each(sorted(users), lambda number: scene.meshes[number].name):
        part.check()
        if not any(len(p.indices) for p in scene.meshes[mesh].primitives):
            continue
        found = measure(scene.meshes[mesh])
        if wrong(found):
            yield Seen(tuple(users[mesh]), scene.meshes[mesh], found)


def in_words(names: tuple[str, ...]) -> str:
    """`“claw”`, or `3 parts`."""
    return f"“{names[0]}”" if len(names) == 1 else f"{len(names)} parts"
