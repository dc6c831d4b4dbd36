"""Take normals from another part: what is made of cards or pieces is lit like the whole that it stands for."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.nearest import nearest_places
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.transforms import normal_matrix
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.pose import moved
from pruxel.core.scene.surface import surface_of
from pruxel.core.scene.walk import world_from_local, world_positions
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Metres, Part, Parts, Share
from pruxel.core.steps.registry import Params, StepResult, step

_FLAT = 1e-30


class TakeNormals(Params):
    """Whose, and for which parts."""

    source: Part = Field("", title="From", description="the part whose surface says how others are lit")
    parts: Parts = ()
    within: Metres = Field(0.0, ge=0, le=1000, title="Within", description="only so near to it; 0: however far")
    share: Share = Field(100.0, title="How much", description="of its normals; the rest of their own")


@step(
    "take_normals",
    "Take normals from another part",
    "Lights parts as the surface of another one is lit where it is nearest: leaves as their crown.",
    TakeNormals,
)
def take_normals(scene: Scene, params: TakeNormals, context: Context) -> StepResult:
    """Set the normals of vertices to those at the nearest place of the source, in world space at rest."""
    context.check()
    if not params.source:
        return StepResult(scene, "no part to take normals from is chosen", (Evidence("vertices", 0),))
    [source] = chosen_parts(scene, (params.source,))
    world = _at_rest(scene)
    shell = _shell(scene, source, world[source])
    if not len(shell.indices):
        raise UsageError(
            ErrorCode.USAGE,
            f"“{params.source}” has no surface",
            field="source",
            expected="a part with faces",
            found="none",
        )
    # What is scaled to nothing has no sides.
    chosen = [k for k in chosen_parts(scene, params.parts) if k != source and abs(np.linalg.det(world[k])) > _FLAT]
    made, taken = scene, 0
    for index, part in context.each(chosen, lambda k: scene.nodes[k].name):
        part.check()
        mesh = scene.nodes[index].mesh
        assert mesh is not None
        lit = [_lit(p, world[index], shell, params) for p in scene.meshes[mesh].primitives]
        taken += sum(count for _, count in lit)
        primitives = tuple(p for p, _ in lit)
        made = edit_meshes(made, {index}, partial(_with, primitives))
    return StepResult(
        made,
        f"normals of {counted(taken, 'vertex', 'vertices')} in {of_parts(len(chosen))} taken from “{params.source}”",
        (Evidence("vertices", taken), Evidence("parts", len(chosen))),
    )  # fmt: skip


def _with(primitives: tuple[Primitive, ...], mesh: Mesh) -> Mesh:
    return replace(mesh, primitives=primitives)


def _at_rest(scene: Scene) -> DoubleArray:
    """The (n, 4, 4) placings of all nodes; what joints hold stands as it was made, wherever its node is."""
    world = world_from_local(scene).copy()
    world[[k for k, node in enumerate(scene.nodes) if node.skin is not None]] = np.eye(4)
    return world


def _shell(scene: Scene, index: int, matrix: DoubleArray) -> Primitive:
    """The surface of a part as one, in world space, with normals."""
    mesh = scene.nodes[index].mesh
    assert mesh is not None
    every = [moved(p, matrix) for p in scene.meshes[mesh].primitives]
    surface = surface_of(Mesh("", tuple(every)))
    normals = np.concatenate([_normals(p) for p in every] or [np.zeros((0, 3), np.float32)])
    return Primitive(surface.positions, surface.indices, normals=as_floats(normals, 3))


def _normals(p: Primitive) -> FloatArray:
    return vertex_normals(p.positions, p.indices) if p.normals is None else p.normals


def _lit(p: Primitive, matrix: AnyArray, shell: Primitive, params: TakeNormals) -> tuple[Primitive, int]:
    """The surface with normals of the shell, and for how many vertices."""
    if not len(p.positions):
        return p, 0
    near = nearest_places(world_positions(p, matrix), shell.positions, shell.indices)
    there = np.einsum("nk,nkc->nc", near.weights, _normals(shell)[shell.indices[near.triangle]])
    # From world space into the part's own: by the inverse of what turns its normals out.
    mine = _unit(there @ normal_matrix(np.linalg.inv(matrix)).T)
    own = _normals(p)
    mixed = _unit(own + (mine - own) * (params.share / 100))
    reached = near.distance <= params.within if params.within else np.ones(len(mixed), bool)
    # Opposite directions, half of each, make none: the part's own stays.
    reached &= np.linalg.norm(mixed, axis=1) > 0.5
    return replace(p, normals=as_floats(np.where(reached[:, None], mixed, own), 3), tangents=None), int(reached.sum())


def _unit(directions: AnyArray) -> AnyArray:
    length = np.linalg.norm(directions, axis=1, keepdims=True)
    return np.where(length > 1e-6, directions / np.maximum(length, 1e-6), 0)
