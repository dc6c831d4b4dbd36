"""Split parts into several: by material, connected piece, UV tile or joint."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.geometry.pieces import pieces
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Clip, ClipChannel, Mesh, Node, Primitive, Scene
from pruxel.core.scene.surface import parts_by, surface_of, triangles_of_places
from pruxel.core.steps.choose_faces import Faces, chosen_faces
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Metres, Parts
from pruxel.core.steps.registry import Params, StepResult, step

By = Literal["material", "piece", "texture tile", "joint", "chosen faces"]


class SplitParts(Params):
    """What tells the new parts apart."""

    parts: Parts = ()
    faces: Faces = ()
    by: By = Field(
        "material",
        title="Apart by",
        description="material; what hangs together; the whole number that texture coordinates lie in; the joint that "
        "holds most; those faces and the rest",
    )
    distance: Metres = Field(1e-6, ge=0, le=10, title="Distance", description="vertices no farther apart hang together")
    most: int = Field(200, ge=2, le=10_000, title="At most", description="new parts of one; more are refused")


@step(
    "split_parts",
    "Split parts",
    "Makes several parts of one: by material, by what hangs together, by texture tile, by joint or by chosen faces.",
    SplitParts,
)
def split_parts(scene: Scene, params: SplitParts, context: Context) -> StepResult:
    """Put the pieces of each chosen part below it: it keeps its name, place and movements, they carry its faces."""
    context.check()
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    pieces_of: dict[int, list[tuple[str, int]]] = {}  # by mesh: what each piece is called, and its new mesh
    born: dict[int, list[int]] = {}
    by_faces = params.by == "chosen faces"
    for index in chosen_faces(scene, params.faces) if by_faces else chosen_parts(scene, params.parts):
        context.check()
        node = scene.nodes[index]
        assert node.mesh is not None
        # Of parts that share a mesh, each may have other faces chosen.
        if by_faces or node.mesh not in pieces_of:
            made = _split(scene, node, params)
            pieces_of[node.mesh] = [(name, len(meshes) + k) for k, (name, _) in enumerate(made)]
            meshes += [piece for _, piece in made]
        if len(pieces_of[node.mesh]) < 2:
            continue
        children = [
            Node(f"{node.name}.{name}", mesh=mesh, skin=node.skin, weights=node.weights, role=node.role,
                 detail=node.detail, origin=node.origin)
            for name, mesh in pieces_of[node.mesh]
        ]  # fmt: skip
        born[index] = [len(nodes) + k for k in range(len(children))]
        nodes[index] = replace(
            nodes[index], mesh=None, skin=None, weights=None, children=(*nodes[index].children, *born[index])
        )
        nodes += children
    if not born:
        return StepResult(scene, f"no part has more than one {params.by}")
    split = replace(
        scene, nodes=unique_names(nodes), meshes=tuple(meshes),
        clips=tuple(_with_shapes(clip, born) for clip in scene.clips),
    )  # fmt: skip
    return StepResult(
        _used_meshes(split), f"{of_parts(len(born))} → {sum(map(len, born.values())):,} by {params.by}",
        (Evidence("parts split", len(born)), Evidence("new parts", sum(map(len, born.values())))),
    )  # fmt: skip


def _used_meshes(scene: Scene) -> Scene:
    """The scene without the meshes that no node has any more."""
    used = sorted({node.mesh for node in scene.nodes if node.mesh is not None})
    new = {old: k for k, old in enumerate(used)}
    nodes = tuple(n if n.mesh is None else replace(n, mesh=new[n.mesh]) for n in scene.nodes)
    return replace(scene, nodes=nodes, meshes=tuple(scene.meshes[old] for old in used))


def _with_shapes(clip: Clip, born: dict[int, list[int]]) -> Clip:
    """Keys of shapes go to each of the pieces, which carry them now."""

    def channels() -> Iterator[ClipChannel]:
        for channel in clip.channels:
            if channel.path == "weights" and channel.node in born:
                yield from (replace(channel, node=piece) for piece in born[channel.node])
            else:
                yield channel

    return replace(clip, channels=tuple(channels()))


def _split(scene: Scene, node: Node, params: SplitParts) -> list[tuple[str, Mesh]]:
    """The pieces of a node's mesh with their names; strokes stay with the first."""
    assert node.mesh is not None
    mesh = scene.meshes[node.mesh]
    labels, name_of = _LABELS[params.by](scene, node, mesh, params)
    runs = [_runs(label) for label in labels]
    of_runs = [label[firsts] for label, firsts in zip(labels, runs, strict=True)]
    numbers = np.unique(np.concatenate([np.zeros(0, np.int64), *of_runs]))
    if len(numbers) > params.most:
        raise UsageError(
            ErrorCode.BUDGET, f"“{node.name}” would become too many parts", expected=f"at most {params.most:,}",
            found=f"{len(numbers):,} by {params.by}", hint="Weld the part first, or allow more.",
        )  # fmt: skip
    found: list[list[Primitive]] = [[] for _ in numbers]
    for primitive, some, firsts in zip(mesh.primitives, of_runs, runs, strict=True):
        kind = np.searchsorted(numbers, some).astype(np.uint32)
        for one, part in parts_by(primitive, np.repeat(kind, np.diff(firsts, append=len(primitive.indices)))):
            found[one].append(part)
    names = [name_of(number) for number in numbers.tolist()]
    return [
        (name, replace(mesh, name=f"{mesh.name}.{name}", primitives=tuple(made), strokes=() if k else mesh.strokes))
        for k, (name, made) in enumerate(zip(names, found, strict=True))
    ]


def _runs(label: AnyArray) -> AnyArray:
    """Where numbers begin that follow each other: faces of one mostly do."""
    return np.concatenate([np.zeros(min(len(label), 1), np.int64), np.flatnonzero(label[1:] != label[:-1]) + 1])


# By primitive a number of each face, and what such a number is called.
Labels = tuple[list[AnyArray], Callable[[int], str]]


def _by_material(scene: Scene, _node: Node, mesh: Mesh, _params: SplitParts) -> Labels:
    numbers = [np.broadcast_to(-1 if p.material is None else p.material, len(p.indices)) for p in mesh.primitives]
    return numbers, lambda k: scene.materials[k].name if k >= 0 else "plain"


def _by_piece(_scene: Scene, _node: Node, mesh: Mesh, params: SplitParts) -> Labels:
    whole = surface_of(mesh)
    label, _ = pieces(*triangles_of_places(whole, params.distance))
    return whole.by_primitive(label), lambda k: str(k + 1)


def _by_tile(_scene: Scene, _node: Node, mesh: Mesh, _params: SplitParts) -> Labels:
    """Tiles are numbered from 1001, ten in a row, upwards, as painting programs count them."""
    numbers = []
    for p in mesh.primitives:
        if not p.uvs:
            numbers.append(np.full(len(p.indices), -1))
            continue
        middle = p.uvs[0][p.indices].mean(axis=1)
        across, up = np.floor(middle[:, 0]), np.floor(1 - middle[:, 1])
        numbers.append(np.where((across < 0) | (across > 9) | (up < 0), -1, 1001 + across + 10 * up).astype(np.int64))
    return numbers, lambda k: str(k) if k >= 0 else "no tile"


def _by_joint(scene: Scene, node: Node, mesh: Mesh, _params: SplitParts) -> Labels:
    """The joint with the greatest sum of weights at a face's corners."""
    joints = scene.skins[node.skin].joints if node.skin is not None else ()
    numbers = []
    for p in mesh.primitives:
        if p.joints is None or p.weights is None or not joints:
            numbers.append(np.full(len(p.indices), -1))
            continue
        joint = p.joints[p.indices].reshape(len(p.indices), -1).astype(np.int64)
        weight = p.weights[p.indices].reshape(len(p.indices), -1)
        sums = ((joint[:, :, None] == joint[:, None, :]) * weight[:, None, :]).sum(axis=2)
        numbers.append(joint[np.arange(len(joint)), sums.argmax(axis=1)])
    return numbers, lambda k: scene.nodes[joints[k]].name if k >= 0 else "no joint"


def _by_faces(scene: Scene, node: Node, mesh: Mesh, params: SplitParts) -> Labels:
    mask = chosen_faces(scene, [one for one in params.faces if one.part == node.name])
    [mine] = mask.values()
    return surface_of(mesh).by_primitive((~mine).astype(np.int64)), lambda k: "rest" if k else "chosen"


_LABELS: dict[str, Callable[[Scene, Node, Mesh, SplitParts], Labels]] = {
    "material": _by_material,
    "piece": _by_piece,
    "texture tile": _by_tile,
    "joint": _by_joint,
    "chosen faces": _by_faces,
}
