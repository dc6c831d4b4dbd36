"""Random triangle soups and whole worlds for property tests."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import (
    Clip,
    ClipChannel,
    Dressing,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    Skin,
    as_matrix,
)
from pruxel.core.scene.walk import world_from_local
from tests.scenes import box


@st.composite
def soups(draw: st.DrawFn) -> Scene:
    """A scene of one part: up to 40 vertices at a scale from a millimetre to ten kilometres."""
    vertices = draw(st.integers(3, 40))
    seed = draw(st.integers(0, 2**31))
    scale = 10.0 ** draw(st.integers(-3, 4))
    rng = np.random.default_rng(seed)
    positions = as_floats(rng.uniform(-1, 1, (vertices, 3)) * scale, 3)
    corners = np.stack([rng.permutation(vertices)[:3] for _ in range(draw(st.integers(1, 60)))])
    faces = as_indices(corners)
    uvs = as_floats(rng.uniform(-2, 3, (vertices, 2)), 2)
    primitive = Primitive(positions, faces, normals=vertex_normals(positions, faces), uvs=(uvs,))
    return Scene("soup", nodes=(Node("soup", mesh=0),), roots=(0,), meshes=(Mesh("soup", (primitive,)),))


def world(rng: np.random.Generator) -> Scene:
    """A scene as games have them: a forest of nodes (turned, mirrored, sheared), parts that share meshes.

    Skins with joints anywhere and weights as files have them, morph targets, clips of every path, nodes nobody sees.
    """
    count = int(rng.integers(2, 14))
    above = [-1, *(int(rng.integers(-1, n)) for n in range(1, count))]
    children = [tuple(n for n in range(count) if above[n] == parent) for parent in range(count)]
    joints = [n for n in range(count) if rng.random() < 0.4] if rng.random() < 0.7 else []
    meshes = tuple(_mesh(rng, f"mesh {n}", len(joints)) for n in range(int(rng.integers(1, 4))))
    nodes = [_node(rng, n, children[n], meshes, joints) for n in range(count)]
    if not any(node.mesh is not None for node in nodes):
        nodes[0] = _node(rng, 0, children[0], meshes, joints, bare=False)
    tops = [n for n in range(count) if above[n] < 0]
    roots = tuple(n for n in tops if n == 0 or rng.random() < 0.85)
    scene = Scene(
        "world", nodes=tuple(nodes), roots=roots, meshes=meshes, materials=(Material("plain"), Material("other"))
    )
    if not joints:
        return _with_clips(rng, scene)
    bind = np.linalg.inv(world_from_local(scene)[joints]) if _is_even(scene, joints) else np.tile(np.eye(4), (len(joints), 1, 1))  # fmt: skip
    return _with_clips(rng, replace(scene, skins=(Skin("bones", tuple(joints), bind),)))


def _is_even(scene: Scene, joints: list[int]) -> bool:
    """Whether the joints' placements can be undone."""
    return bool((np.abs(np.linalg.det(world_from_local(scene)[joints])) > 1e-4).all())


def _turn(rng: np.random.Generator) -> tuple[float, float, float, float]:
    x, y, z, w = rng.normal(size=4)
    length = float(np.sqrt(x * x + y * y + z * z + w * w))
    return (float(x) / length, float(y) / length, float(z) / length, float(w) / length)


def _node(
    rng: np.random.Generator,
    number: int,
    children: tuple[int, ...],
    meshes: tuple[Mesh, ...],
    joints: list[int],
    *,
    bare: bool | None = None,
) -> Node:
    bare = rng.random() < 0.4 if bare is None else bare
    mesh = None if bare else int(rng.integers(len(meshes)))
    place = tuple(float(v) for v in rng.uniform(-2, 2, 3))
    scale = tuple(float(v) for v in rng.choice([1.0, 1.0, 0.5, 2.0, -1.0], 3))
    matrix = None
    if rng.random() < 0.15:
        sheared = np.eye(4)
        sheared[:3, :3] += rng.uniform(-0.3, 0.3, (3, 3))
        sheared[:3, 3] = place
        matrix = as_matrix(sheared)
    weighted = mesh is not None and any(p.joints is not None for p in meshes[mesh].primitives)
    skin = 0 if joints and weighted and rng.random() < 0.8 else None
    weights = None
    if mesh is not None and meshes[mesh].primitives[0].targets and rng.random() < 0.4:
        weights = (float(rng.uniform(0, 1)),)
    return Node(
        f"node {number}", mesh=mesh, skin=skin, children=children, translation=place, rotation=_turn(rng),  # type: ignore[arg-type]
        scale=scale, matrix=matrix, weights=weights,  # type: ignore[arg-type]
    )  # fmt: skip


def _mesh(rng: np.random.Generator, name: str, joints: int) -> Mesh:
    made = []
    morphs = rng.random() < 0.4
    for _ in range(int(rng.integers(1, 3))):
        base = box(float(rng.uniform(0.2, 2.0)), tuple(rng.uniform(-1, 1, 3)))
        vertices = len(base.positions)
        pulls = {}
        if joints and rng.random() < 0.7:
            width = int(rng.choice([1, 2, 3, 4, 5]))
            weights = rng.uniform(0, 1, (vertices, width)) * (rng.random((vertices, width)) < 0.8)
            weights[:, 0] += 0.01
            if rng.random() < 0.7:
                weights /= weights.sum(axis=1, keepdims=True)
            pulls = {
                "joints": rng.integers(0, joints, (vertices, width)).astype(np.uint16),
                "weights": weights.astype(np.float32),
            }
        targets = (MorphTarget("swell", as_floats(base.positions * rng.uniform(-0.5, 0.5), 3)),) if morphs else ()
        made.append(
            Primitive(
                base.positions,
                base.indices,
                normals=base.normals,
                uvs=base.uvs,
                material=0,
                targets=targets,
                dressings=(Dressing("worn", 1),) if rng.random() < 0.3 else (),
                **pulls,
            )
        )
    return Mesh(name, tuple(made), target_weights=(float(rng.uniform(0, 1)),) if morphs and rng.random() < 0.5 else ())


def _with_clips(rng: np.random.Generator, scene: Scene) -> Scene:
    clips = []
    for number in range(int(rng.integers(0, 3))):
        channels = []
        for node in range(len(scene.nodes)):
            if rng.random() < 0.5 or scene.nodes[node].matrix is not None:
                continue
            keys = int(rng.integers(1, 5))
            times = np.cumsum(rng.uniform(0.05, 0.5, keys)).astype(np.float32)
            how = "STEP" if rng.random() < 0.3 else "LINEAR"
            mesh = scene.nodes[node].mesh
            shapes = mesh is not None and any(p.targets for p in scene.meshes[mesh].primitives)
            path = str(rng.choice(["translation", "rotation", "scale", *(["weights"] * 4 if shapes else [])]))
            wide = {"translation": 3, "rotation": 4, "scale": 3, "weights": 1}[path]
            values = rng.uniform(0.3, 1.5, (keys, wide)) * rng.choice([-1, 1], (keys, wide))
            if path == "rotation":
                values /= np.linalg.norm(values, axis=1, keepdims=True)
            channels.append(ClipChannel(node, path, times, values.astype(np.float32), interpolation=how))  # type: ignore[arg-type]
        if channels:
            clips.append(Clip(f"clip {number}", tuple(channels)))
    return replace(scene, clips=tuple(clips))
