"""Parts whose faces point inward."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.arrays import FloatArray, IndexArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.outside import Openness, openness
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.walk import parts

_LEAST_DECIDED = 0.25
_INWARD_FROM = 0.8


@rule("inward_faces", "Faces that point inward")
def inward_faces(scene: Scene, context: Context) -> Iterator[Finding]:
    """Look at each part by itself: most of its decided samples see the open behind them, not before them.

    A mirroring node changes nothing: glTF turns the winding of what it mirrors (section 3.7.4).
    """
    for (_, node, mesh), part in context.each(list(parts(scene)), lambda p: p[1].name):
        part.check()
        seen = _openness(mesh)
        if not seen.samples or seen.decided < _LEAST_DECIDED * seen.samples:
            continue
        if seen.inward_share < _INWARD_FROM:
            continue
        yield Finding(
            rule="inward_faces",
            severity=Severity.PROBLEM,
            title=f"Faces of “{node.name}” point inward",
            detail=(
                "Seen from outside, the part shows its back: programs that hide back faces show it hollow, and "
                "printers and CAD take it for a hole."
            ),
            parts=(node.name,),
            evidence=(
                Evidence("samples that look inward", round(100 * seen.inward_share, 1), "%"),
                Evidence("open sky before the faces", round(100 * seen.front, 1), "%"),
                Evidence("open sky behind the faces", round(100 * seen.back, 1), "%"),
                Evidence("samples decided", f"{seen.decided} of {seen.samples}"),
                Evidence("triangles", face_count(mesh)),
            ),
            suggestion=SuggestedStep("flip_faces", {"parts": [node.name]}, f"Flip the faces of “{node.name}”"),
        )


@once_per_mesh("positions", "indices", most=4096)
def _openness(mesh: Mesh) -> Openness:
    return openness(*_joined(mesh))


def _joined(mesh: Mesh) -> tuple[FloatArray, IndexArray]:
    """All primitives of a mesh as one set of triangles."""
    positions = np.concatenate([p.positions for p in mesh.primitives] or [np.zeros((0, 3), np.float32)])
    starts = np.cumsum([0, *(len(p.positions) for p in mesh.primitives)])
    corners = [p.indices + np.uint32(s) for p, s in zip(mesh.primitives, starts, strict=False)]
    return positions, np.concatenate(corners or [np.zeros((0, 3), np.uint32)])
