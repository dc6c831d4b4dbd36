"""Vertices that could be one: equal in everything, but each face has its own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import in_words, meshes_where
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.places import places
from pruxel.core.geometry.welding import alike
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.vertex_rows import vertex_rows

_LEAST_SHARE, _LEAST_VERTICES = 0.1, 12


@dataclass(frozen=True)
class _Loose:
    vertices: int
    spare: int


@rule("loose_vertices", "Vertices that could be one")
def loose_vertices(scene: Scene, context: Context) -> Iterator[Finding]:
    """Count, by mesh, the vertices that are equal to another in everything they carry."""
    seen = list(
        meshes_where(
            scene, context, _loose,
            lambda found: found.spare >= max(_LEAST_SHARE * found.vertices, _LEAST_VERTICES),
        )
    )  # fmt: skip
    if not seen:
        return
    names = tuple(name for one in seen for name in one.parts)
    spare, vertices = (sum(getattr(one.measured, key) for one in seen) for key in ("spare", "vertices"))
    yield Finding(
        rule="loose_vertices",
        severity=Severity.NOTE,
        title=f"Faces of {in_words(names)} are not joined",
        detail="Faces have corners of their own where they could share them: files grow, and what goes from face to "
        "face (smoothing, pieces, making fewer triangles) ends at each edge.",
        parts=names,
        evidence=(
            Evidence("vertices that are equal to another", spare),
            Evidence("vertices of these meshes", vertices),
            Evidence("told from", 100 * _LEAST_SHARE, "%"),
        ),
        suggestion=SuggestedStep(
            "weld_vertices",
            {"parts": list(names), "distance": 0.0, "normals": 0.0, "uvs": 0.0},
            f"Weld {spare:,} vertices",
        ),
    )


@once_per_mesh("positions", "normals", "uvs", "colors", "joints", "weights", "targets", "attributes", most=4096)
def _loose(mesh: Mesh) -> _Loose:
    total = kept = 0
    for p in mesh.primitives:
        rows, most = vertex_rows(p, direction=0.0, uv=0.0, shift=0.0)
        _, place = places(p.positions)
        first, _ = alike(place, rows, np.zeros_like(most))
        total, kept = total + len(p.positions), kept + len(first)
    return _Loose(total, total - kept)
