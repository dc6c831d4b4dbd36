"""The numbers that a delivered file is judged by, taken from the scene that was to be written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts, world_from_local, world_normals, world_positions


@dataclass(frozen=True)
class GeometryFacts:
    """Counts and sums over all triangles in world space.

    `agreement` is the area-weighted mean of the cosine between faces and their vertex normals: near 1 when winding and
    normals agree, near -1 when one is turned. `volume_sum` is the signed volume, which changes sign with winding.
    """

    triangles: int
    minimum: tuple[float, float, float]
    maximum: tuple[float, float, float]
    area: float
    volume_sum: float
    agreement: float
    uv_minimum: tuple[float, float] | None
    uv_maximum: tuple[float, float] | None
    materials: tuple[str, ...]
    textures: int


def gather(
    pieces: list[tuple[AnyArray, AnyArray, AnyArray | None, AnyArray | None]],
    materials: tuple[str, ...],
    textures: int,
) -> GeometryFacts:
    """Sum up (positions, corners, normals, uvs) pieces; arrays of any float type."""
    count, area, volume, agreed, weighed = 0, 0.0, 0.0, 0.0, 0.0
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    uv_low, uv_high = np.full(2, np.inf), np.full(2, -np.inf)
    for positions, corners, normals, uvs in pieces:
        if not len(corners):
            continue
        count += len(corners)
        vectors = area_vectors(positions, corners)
        length = np.linalg.norm(vectors, axis=1)
        area += float(length.sum() / 2)
        a = positions[corners[:, 0]].astype(np.float64)
        volume += float((a * vectors).sum() / 6)
        used = positions[np.unique(corners)]
        low, high = np.minimum(low, used.min(axis=0)), np.maximum(high, used.max(axis=0))
        if normals is not None and len(normals):
            mean = normals[corners].sum(axis=1)
            agreed += float((vectors * mean).sum() / 3)
            weighed += float(length.sum())
        if uvs is not None and len(uvs):
            uv_low, uv_high = np.minimum(uv_low, uvs.min(axis=0)), np.maximum(uv_high, uvs.max(axis=0))
    has_uvs = bool(np.isfinite(uv_low).all())
    return GeometryFacts(
        count,
        tuple(float(v) for v in np.where(np.isfinite(low), low, 0)),  # type: ignore[arg-type]
        tuple(float(v) for v in np.where(np.isfinite(high), high, 0)),  # type: ignore[arg-type]
        area,
        volume,
        agreed / weighed if weighed else 0.0,
        (float(uv_low[0]), float(uv_low[1])) if has_uvs else None,
        (float(uv_high[0]), float(uv_high[1])) if has_uvs else None,
        materials,
        textures,
    )


def scene_facts(scene: Scene, textures: int) -> GeometryFacts:
    """The facts of a scene; `textures` is how many texture files or images the format should hold."""
    matrices = world_from_local(scene)
    pieces = []
    used: set[int] = set()
    for index, _, mesh in parts(scene):
        mirrored = np.linalg.det(matrices[index][:3, :3]) < 0
        for p in mesh.primitives:
            corners = p.indices[:, ::-1] if mirrored else p.indices
            uvs = p.uvs[0] if p.uvs else None
            pieces.append((world_positions(p, matrices[index]), corners, world_normals(p, matrices[index]), uvs))
            if p.material is not None:
                used.add(p.material)
    return gather(pieces, tuple(sorted(scene.materials[m].name for m in used)), textures)
