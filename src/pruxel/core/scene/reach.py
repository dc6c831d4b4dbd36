"""How far a turn of a node may carry what hangs on it."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import every_in_order, parents_of, parts, world_from_local

_LEAST = 0.01  # metres; a joint that holds nothing may hold something in another model


def reaches(scene: Scene) -> DoubleArray:
    """(n,) metres from each node to the farthest vertex that it or what is below it moves, all limbs stretched."""
    world, above = world_from_local(scene), parents_of(scene)
    far = np.full(len(scene.nodes), _LEAST)
    for index, node, mesh in parts(scene):
        for p in mesh.primitives:
            if not len(p.positions):
                continue
            if node.skin is None or p.joints is None or p.weights is None:
                low, high = p.positions.min(axis=0), p.positions.max(axis=0)
                corner = np.maximum(np.abs(low), np.abs(high)).astype(np.float64)
                size = float(np.linalg.norm(world[index, :3, :3], 2))
                far[index] = max(far[index], size * float(np.linalg.norm(corner)))
                continue
            skin = scene.skins[node.skin]
            for column, joint in enumerate(skin.joints):
                pulled = ((p.joints == column) & (p.weights > 1e-3)).any(axis=1)
                if pulled.any():
                    matrix = world[joint] @ skin.inverse_bind[column]
                    there = p.positions[pulled] @ matrix[:3, :3].T + matrix[:3, 3]
                    away = float(np.linalg.norm(there - world[joint, :3, 3], axis=1).max())
                    far[joint] = max(far[joint], away)
    for index in reversed(list(every_in_order(scene))):
        if above[index] >= 0:
            limb = float(np.linalg.norm(world[index, :3, 3] - world[above[index], :3, 3]))
            far[above[index]] = max(far[above[index]], limb + far[index])
    return far


def sizes_above(scene: Scene) -> DoubleArray:
    """(n,) by how much the world is larger than what stands below each node's parent."""
    world, above = world_from_local(scene), parents_of(scene)
    return np.array([np.linalg.norm(world[p, :3, :3], 2) if p >= 0 else 1.0 for p in above] or [1.0])


def deepest_chain(scene: Scene) -> int:
    """How many nodes that clips move stand one above the other, one at least."""
    moved = {channel.node for clip in scene.clips for channel in clip.channels}
    above, deep = parents_of(scene), np.zeros(len(scene.nodes), np.int64)
    for index in every_in_order(scene):
        deep[index] = (deep[above[index]] if above[index] >= 0 else 0) + (index in moved)
    return max(int(deep.max(initial=1)), 1)


def shape_moves(scene: Scene) -> dict[int, DoubleArray]:
    """By part with shapes: (s,) metres that each moves a vertex at most."""
    found = {}
    for index, _, mesh in parts(scene):
        count = max((len(p.targets) for p in mesh.primitives), default=0)
        if count:
            most = np.zeros(count)
            for p in mesh.primitives:
                for k, target in enumerate(p.targets):
                    if target.positions is not None and len(target.positions):
                        most[k] = max(most[k], float(np.linalg.norm(target.positions, axis=1).max()))
            found[index] = most
    return found
