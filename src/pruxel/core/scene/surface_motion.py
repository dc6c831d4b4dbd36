"""How far two clips are apart where it is seen: at the surface."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.scene.keys import at_times
from pruxel.core.scene.model import Clip, Primitive, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.walk import parts

_MOST_VERTICES = 4_000  # of a primitive that are looked at, evenly spread


@dataclass(frozen=True, eq=False)
class _Followed:
    """Vertices (n, 3) and what moves them: nodes (n, k) by weights (n, k), and (j, 4, 4) matrices of a skin or none."""

    positions: DoubleArray
    nodes: AnyArray
    columns: AnyArray
    weights: DoubleArray
    inverse: DoubleArray

    def at(self, world: DoubleArray) -> DoubleArray:
        """(m, n, 3) where they are, by (m, nodes, 4, 4) matrices of all nodes."""
        found = np.zeros((len(world), len(self.positions), 3))
        for k in range(self.nodes.shape[1]):
            local = np.einsum("nij,nj->ni", self.inverse[self.columns[:, k]], _with_one(self.positions))
            moved = np.einsum("mnij,nj->mni", world[:, self.nodes[:, k], :3], local)
            found += self.weights[:, k, None] * moved
        return found


def apart_at_surface(first: Scene, clip: Clip, second: Scene, other: Clip, seconds: DoubleArray) -> float:
    """The farthest in metres that a vertex of one scene is from the same one of the other, at times (m,).

    The scenes have the same parts and vertices. Of large parts some vertices are looked at, evenly spread; shapes count
    by how much they move a vertex at most. Where there is no surface, joints are compared.
    """
    a, b = worlds(first, clip, seconds), worlds(second, other, seconds)
    most, seen = 0.0, False
    for one, two in zip(_followed(first), _followed(second), strict=True):
        seen = True
        # One moment after another: all vertices at all moments would fill the memory.
        for m in range(len(seconds)):
            apart = np.linalg.norm(one.at(a[m : m + 1]) - two.at(b[m : m + 1]), axis=2)
            most = max(most, float(apart.max(initial=0.0)))
    if not seen and a.size:
        most = float(np.linalg.norm(a[..., :3, 3] - b[..., :3, 3], axis=-1).max(initial=0.0))
    return most + _shapes_apart(first, clip, other, seconds)


def _followed(scene: Scene) -> Iterator[_Followed]:
    for index, node, mesh in parts(scene):
        for p in mesh.primitives:
            chosen = np.unique(np.linspace(0, len(p.positions) - 1, min(len(p.positions), _MOST_VERTICES)).astype(int))
            if not len(chosen):
                continue
            points = p.positions[chosen].astype(np.float64)
            if node.skin is None or p.joints is None or p.weights is None:
                still = np.zeros((len(points), 1), np.int64)
                yield _Followed(points, still + index, still, np.ones((len(points), 1)), np.eye(4)[None])
                continue
            skin = scene.skins[node.skin]
            columns = p.joints[chosen].astype(np.int64)
            nodes = np.asarray(skin.joints)[columns]
            yield _Followed(points, nodes, columns, p.weights[chosen].astype(np.float64), skin.inverse_bind)


def _with_one(points: DoubleArray) -> DoubleArray:
    return np.concatenate([points, np.ones((len(points), 1))], axis=1)


def _shapes_apart(scene: Scene, clip: Clip, other: Clip, seconds: DoubleArray) -> float:
    """Metres that shapes counting otherwise may add."""
    most = 0.0
    theirs = {channel.node: channel for channel in other.channels if channel.path == "weights"}
    for channel in clip.channels:
        mesh = scene.nodes[channel.node].mesh
        if channel.path != "weights" or mesh is None or channel.node not in theirs:
            continue
        away = np.abs(at_times(channel, seconds) - at_times(theirs[channel.node], seconds)).max(axis=0, initial=0.0)
        most = max([most, *(_largest(p, away) for p in scene.meshes[mesh].primitives)])
    return most


def _largest(p: Primitive, away: DoubleArray) -> float:
    moves = [
        0.0 if t.positions is None else float(np.linalg.norm(t.positions, axis=1).max(initial=0)) for t in p.targets
    ]
    return float(np.dot(away[: len(moves)], moves[: len(away)]))
