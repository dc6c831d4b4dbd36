"""Rays against triangles through Embree."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray

FAR = np.float32(1e30)


@dataclass(frozen=True)
class Hits:
    """What rays met first: triangle (n,) int32 (-1 for nothing), barycentric u, v and distance (n,) float32."""

    triangle: AnyArray
    u: FloatArray
    v: FloatArray
    distance: FloatArray


class RayMesh:
    """Triangles made ready for rays. Immutable; may be asked from several threads.

    Raises ValueError for positions that are not finite; readers refuse those before.
    """

    def __init__(self, positions: FloatArray, indices: IndexArray) -> None:
        if not np.isfinite(positions).all():
            # Embree would search a broken tree without end.
            message = "a position is not a number"
            raise ValueError(message)
        self._scene = rtcore_scene.EmbreeScene()
        self.empty = len(indices) == 0
        if not self.empty:
            TriangleMesh(
                self._scene,
                np.ascontiguousarray(positions, np.float32),
                np.ascontiguousarray(indices, np.int32),
            )

    def nearest(self, origins: FloatArray, directions: FloatArray) -> Hits:
        """The first triangle along each ray; both (n, 3) float32, triangles count from both sides."""
        count = len(origins)
        if self.empty or count == 0:
            nothing = np.zeros(count, np.float32)
            return Hits(np.full(count, -1, np.int32), nothing, nothing, nothing + FAR)
        found = self._scene.run(
            np.ascontiguousarray(origins, np.float32),
            np.ascontiguousarray(directions, np.float32),
            query="INTERSECT",
            output=True,
        )
        return Hits(found["primID"], found["u"], found["v"], found["tfar"])

    def blocked(self, origins: FloatArray, directions: FloatArray) -> AnyArray:
        """Whether anything stands in each ray's way, (n,) bool."""
        if self.empty or len(origins) == 0:
            return np.zeros(len(origins), bool)
        found: AnyArray = self._scene.run(
            np.ascontiguousarray(origins, np.float32),
            np.ascontiguousarray(directions, np.float32),
            query="OCCLUDED",
        )
        return found >= 0
