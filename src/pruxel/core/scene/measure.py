"""Facts about a scene: counts, bounds, area."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.geometry.measure import triangle_areas
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts, world_from_local, world_positions


@dataclass(frozen=True)
class PartFacts:
    """Facts about one part; `size` in metres along x, y, z in world space."""

    name: str
    triangles: int
    vertices: int
    materials: tuple[str, ...]
    size: tuple[float, float, float]
    role: str
    detail: int


@dataclass(frozen=True)
class SceneFacts:
    """Facts about a whole scene; bounds in metres in world space, area in square metres."""

    triangles: int
    vertices: int
    minimum: tuple[float, float, float]
    maximum: tuple[float, float, float]
    area: float
    materials: tuple[str, ...]
    textures: tuple[str, ...]
    joints: int
    clips: tuple[str, ...]
    parts: tuple[PartFacts, ...]

    @property
    def size(self) -> tuple[float, float, float]:
        """Extent along x, y, z in metres."""
        low, high = self.minimum, self.maximum
        return (high[0] - low[0], high[1] - low[1], high[2] - low[2])


def measure(scene: Scene) -> SceneFacts:
    """Measure every part and the whole; an empty scene has zero bounds."""
    matrices = world_from_local(scene)
    low, high, area = np.full(3, np.inf), np.full(3, -np.inf), 0.0
    found: list[PartFacts] = []
    for index, node, mesh in parts(scene):
        part_low, part_high = np.full(3, np.inf), np.full(3, -np.inf)
        for primitive in mesh.primitives:
            points = world_positions(primitive, matrices[index])
            if len(points):
                part_low = np.minimum(part_low, points.min(axis=0))
                part_high = np.maximum(part_high, points.max(axis=0))
            area += float(triangle_areas(points, primitive.indices).sum())
        low, high = np.minimum(low, part_low), np.maximum(high, part_high)
        used = {p.material for p in mesh.primitives if p.material is not None}
        found.append(
            PartFacts(
                node.name,
                sum(len(p.indices) for p in mesh.primitives),
                sum(len(p.positions) for p in mesh.primitives),
                tuple(scene.materials[m].name for m in sorted(used)),
                _triple(np.where(np.isfinite(part_low), part_high - part_low, 0.0)),
                node.role,
                node.detail,
            ),
        )
    finite = bool(np.isfinite(low).all())
    return SceneFacts(
        sum(p.triangles for p in found),
        sum(p.vertices for p in found),
        _triple(low) if finite else (0.0, 0.0, 0.0),
        _triple(high) if finite else (0.0, 0.0, 0.0),
        area,
        tuple(m.name for m in scene.materials),
        tuple(i.name for i in scene.images),
        len({j for s in scene.skins for j in s.joints}),
        tuple(c.name for c in scene.clips),
        tuple(found),
    )


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    return (float(values[0]), float(values[1]), float(values[2]))
