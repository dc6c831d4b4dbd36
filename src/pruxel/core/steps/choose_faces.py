"""How steps name faces: by number, part by part; and a surface taken apart into those and the rest."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from pruxel.core.base.arrays import AnyArray
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.faces import mask_of
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import part_of, surface_of
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import FaceSet

Faces = Annotated[
    tuple[FaceSet, ...],
    Field(title="Faces", description="only these; none means all", json_schema_extra={"format": "faces"}),
]


def chosen_faces(scene: Scene, faces: Sequence[FaceSet]) -> dict[int, AnyArray]:
    """By node: which of its faces are chosen, (m,) bool. Raises `UsageError` for parts and faces that are not there."""
    found: dict[int, AnyArray] = {}
    for one in faces:
        [index] = chosen_parts(scene, (one.part,))
        mesh = scene.nodes[index].mesh
        assert mesh is not None
        mask = mask_of(one.faces, face_count(scene.meshes[mesh]), one.part)
        found[index] = found[index] | mask if index in found else mask
    return {index: mask for index, mask in found.items() if mask.any()}


def on_faces(scene: Scene, faces: dict[int, AnyArray], change: Callable[[Primitive], Primitive | None]) -> Scene:
    """The scene with the chosen faces of each node changed; they become a surface of their own, or go with None."""
    made = scene
    for index, mask in faces.items():

        def apart(mesh: Mesh, mask: AnyArray = mask) -> Mesh:
            every: list[Primitive] = []
            for p, mine in zip(mesh.primitives, surface_of(mesh).by_primitive(mask), strict=True):
                if not mine.any():
                    every.append(p)
                    continue
                changed = change(part_of(p, mine))
                rest = () if mine.all() else (part_of(p, ~mine),)
                every += [*rest, *(() if changed is None else (changed,))]
            return replace(mesh, primitives=tuple(every))

        made = edit_meshes(made, {index}, apart)
    return made
