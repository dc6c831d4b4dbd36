"""Single faces that look the other way than their neighbours."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import in_words, meshes_where
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.measure import triangle_areas
from pruxel.core.geometry.winding import agreeing
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.surface import surface_of, triangles_of_places

# Where many edges of two faces contradict, the surface has no sides that could agree.
_MOST_CONTRADICTIONS = 0.02


@dataclass(frozen=True)
class _Disagreement:
    faces: int
    turned: int
    contradictions: int


@rule("disagreeing_faces", "Faces that look the other way than their neighbours")
def disagreeing_faces(scene: Scene, context: Context) -> Iterator[Finding]:
    """Go over the edges of just two faces; what is in the smaller share of a piece's area disagrees."""
    seen = list(
        meshes_where(
            scene, context, _disagreement,
            lambda found: found.turned > 0 and found.contradictions <= _MOST_CONTRADICTIONS * found.faces,
        )
    )  # fmt: skip
    if not seen:
        return
    names = tuple(name for one in seen for name in one.parts)
    turned = sum(one.measured.turned for one in seen)
    yield Finding(
        rule="disagreeing_faces",
        severity=Severity.PROBLEM,
        title=f"Faces of {in_words(names)} look the other way than their neighbours",
        detail="Programs that hide back faces show holes there, and normals that are made anew come out wrong.",
        parts=names,
        evidence=(
            Evidence("faces to turn", turned),
            Evidence("faces of these meshes", sum(one.measured.faces for one in seen)),
            Evidence("edges that cannot agree", sum(one.measured.contradictions for one in seen)),
        ),
        suggestion=SuggestedStep("agree_faces", {"parts": list(names)}, f"Turn {turned:,} faces"),
    )


@once_per_mesh("positions", "indices", most=4096)
def _disagreement(mesh: Mesh) -> _Disagreement:
    whole = surface_of(mesh)
    corners, _ = triangles_of_places(whole)
    found = agreeing(corners, twins(corners), triangle_areas(whole.positions, whole.indices))
    return _Disagreement(len(corners), int(found.turn.sum()), found.contradictions)
