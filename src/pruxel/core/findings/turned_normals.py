"""Normals that look against their faces."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import in_words, meshes_where
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene

_WRONG_FROM = 0.05  # share of the area; smooth shading bends single corners at sharp edges


@dataclass(frozen=True)
class _Against:
    area: float
    share: float


@rule("turned_normals", "Normals that look against their faces")
def turned_normals(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare the sum of a face's three normals with the face's own; shares are of the area."""
    for one in meshes_where(scene, context, _against, lambda found: found.share >= _WRONG_FROM):
        yield Finding(
            rule="turned_normals",
            severity=Severity.WARNING,
            title=f"Normals of {in_words(one.parts)} look against the faces",
            detail="Light falls on it from behind: it is dark where it should be bright.",
            parts=one.parts,
            evidence=(
                Evidence("area with normals against it", round(100 * one.measured.share, 1), "%"),
                Evidence("told from", 100 * _WRONG_FROM, "%"),
                Evidence("area of the mesh", float(f"{one.measured.area:.4g}"), "m²"),
            ),
            suggestion=SuggestedStep("make_normals", {"parts": list(one.parts)}, "Make its normals anew"),
        )


@once_per_mesh("positions", "indices", "normals", most=4096)
def _against(mesh: Mesh) -> _Against:
    area = wrong = 0.0
    for p in mesh.primitives:
        if p.normals is None:
            continue
        vectors = area_vectors(p.positions, p.indices)
        each = np.linalg.norm(vectors, axis=1) * 0.5
        along = np.einsum("fk,fk->f", p.normals[p.indices].sum(axis=1, dtype=np.float64), vectors)
        area, wrong = area + float(each.sum()), wrong + float(each[along < 0].sum())
    return _Against(area, wrong / area if area > 0 else 0.0)
