"""Made-up bodies of joints, with and without flesh, and how they move."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import trimesh

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.euler import products, turns_of_euler
from pruxel.core.geometry.transforms import compose
from pruxel.core.scene.model import Clip, ClipChannel, Mesh, Node, Primitive, Scene, Skin
from pruxel.core.scene.walk import placed_by, world_from_local

# A body with its arms hanging: name, the joint above, place.
BODY = [
    ("hips", "", (0, 1.0, 0)), ("spine", "hips", (0, 1.15, 0)), ("chest", "spine", (0, 1.35, 0)),
    ("neck", "chest", (0, 1.55, 0)), ("head", "neck", (0, 1.65, 0.02)),
    *(
        joint
        for s, side in ((1, "left"), (-1, "right"))
        for joint in (
            (f"{side}_shoulder", "chest", (0.05 * s, 1.5, 0)), (f"{side}_upper_arm", f"{side}_shoulder", (0.18 * s, 1.48, 0)),
            (f"{side}_forearm", f"{side}_upper_arm", (0.2 * s, 1.2, 0)), (f"{side}_hand", f"{side}_forearm", (0.21 * s, 0.95, 0.03)),
            (f"{side}_thigh", "hips", (0.1 * s, 0.95, 0)), (f"{side}_shin", f"{side}_thigh", (0.11 * s, 0.5, 0.02)),
            (f"{side}_foot", f"{side}_shin", (0.11 * s, 0.08, 0)), (f"{side}_toe", f"{side}_foot", (0.11 * s, 0.02, 0.12)),
        )
    ),
]  # fmt: skip


def skeleton(joints: list[tuple[str, str, tuple[float, ...]]], frames: dict[str, np.ndarray] | None = None) -> Scene:
    """A scene of joints at places in the world, each turned as `frames` say."""
    number = {name: n for n, (name, _, _) in enumerate(joints)}
    world = [
        compose(place, tuple((frames or {}).get(name, np.array([0, 0, 0, 1.0]))), (1, 1, 1))
        for name, _, place in joints
    ]
    nodes = []
    for n, (name, above, _) in enumerate(joints):
        local = world[n] if not above else np.linalg.inv(world[number[above]]) @ world[n]
        below = tuple(k for k, (_, up, _) in enumerate(joints) if up == name)
        nodes.append(placed_by(Node(name, children=below), local))
    inverse = np.stack([np.linalg.inv(one) for one in world])
    skin = Skin("body", tuple(range(len(nodes))), inverse)
    return Scene("body", nodes=tuple(nodes), roots=(0,), skins=(skin,))


def dance(scene: Scene, seed: int = 3, keys: int = 7, swing: float = 40) -> Scene:
    """The scene with a clip that turns every joint and moves the first about."""
    rng = np.random.default_rng(seed)
    times = np.linspace(0, 2, keys).astype(np.float32)
    channels = []
    for n, node in enumerate(scene.nodes):
        further = turns_of_euler(rng.uniform(-swing, swing, (keys, 3)))
        turns = products(further, np.broadcast_to(np.array(node.rotation), (keys, 4)))
        channels.append(ClipChannel(n, "rotation", times, turns.astype(np.float32)))
    moves = np.array(scene.nodes[0].translation) + rng.uniform(-0.3, 0.3, (keys, 3))
    channels.append(ClipChannel(0, "translation", times, moves.astype(np.float32)))
    return replace(scene, clips=(Clip("dance", tuple(channels)),))


def rolled(seed: int) -> dict[str, np.ndarray]:
    """Any turn for each joint of the body."""
    rng = np.random.default_rng(seed)
    turns = turns_of_euler(rng.uniform(-170, 170, (len(BODY), 3)))
    return {name: turn for (name, _, _), turn in zip(BODY, turns, strict=True)}


def fleshed(scene: Scene, influences: int = 4) -> Scene:
    """The skeleton with a ball around every joint, each vertex pulled by the joints that are near."""
    world = world_from_local(scene)
    joints = list(scene.skins[0].joints)
    ball = trimesh.creation.icosphere(subdivisions=1, radius=0.08)
    points = np.concatenate([ball.vertices + world[j, :3, 3] for j in joints])
    faces = np.concatenate([ball.faces + n * len(ball.vertices) for n in range(len(joints))])
    away = np.linalg.norm(points[:, None] - world[joints, :3, 3], axis=2)
    pull = 1 / np.maximum(away, 0.02) ** 4
    best = np.argsort(-pull, axis=1, kind="stable")[:, :influences]
    share = np.take_along_axis(pull, best, axis=1)
    share /= share.sum(axis=1, keepdims=True)
    normals = np.concatenate([ball.vertex_normals] * len(joints))
    flesh = Primitive(
        as_floats(points, 3), as_indices(faces), normals=as_floats(normals, 3), joints=best.astype(np.uint16),
        weights=share.astype(np.float32),
    )  # fmt: skip
    part = Node("flesh", mesh=0, skin=0)
    return replace(
        scene, nodes=(*scene.nodes, part), roots=(*scene.roots, len(scene.nodes)), meshes=(Mesh("flesh", (flesh,)),)
    )


def moved_by(
    scene: Scene,
    name: str,
    tracks: dict[tuple[str, str], Callable[[float], object]],
    seconds: float = 2.0,
    rate: float = 30.0,
) -> Scene:
    """The scene with one more clip: by node and path what it is at each moment."""
    number = {node.name: n for n, node in enumerate(scene.nodes)}
    times = np.linspace(0, seconds, round(seconds * rate) + 1)
    channels = tuple(
        ClipChannel(
            number[node],
            path,
            times.astype(np.float32),
            np.array([at(t) for t in times], np.float32),  # type: ignore[arg-type]
        )
        for (node, path), at in tracks.items()
    )
    return replace(scene, clips=(*scene.clips, Clip(name, channels)))
