"""Faces that stand twice, and faces without area."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import Seen, in_words, meshes_where
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.faults import doubled, without_area
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.surface import surface_of, triangles_of_places

# A few lines and points in many faces are usual and hurt nobody.
_FLAT_FROM = 0.005


@dataclass(frozen=True)
class _Useless:
    faces: int
    doubled: int
    flat: int


@rule("useless_faces", "Faces that stand twice or have no area")
def useless_faces(scene: Scene, context: Context) -> Iterator[Finding]:
    """Count them by mesh. A face that looks the other way than its double is another side, and no fault."""
    seen = list(meshes_where(scene, context, _useless, lambda found: found.doubled > 0 or _many_flat(found)))
    twice = [one for one in seen if one.measured.doubled > 0]
    flat = [one for one in seen if _many_flat(one.measured)]
    if twice:
        yield _finding(
            twice, sum(one.measured.doubled for one in twice), "doubled", Severity.WARNING, "Faces of {} stand twice",
            "They flicker against each other in viewers and count double in slicers.", "Remove {} doubled faces",
        )  # fmt: skip
    if flat:
        yield _finding(
            flat, sum(one.measured.flat for one in flat), "without area", Severity.NOTE, "Faces of {} have no area",
            "They are lines or points: nobody sees them, but normals and unwrapping stumble over them.",
            "Remove {} faces without area",
        )  # fmt: skip


def _many_flat(found: _Useless) -> bool:
    return found.flat > _FLAT_FROM * found.faces


def _finding(
    seen: list[Seen[_Useless]], count: int, what: str, severity: Severity, title: str, detail: str, label: str
) -> Finding:
    names = tuple(name for one in seen for name in one.parts)
    return Finding(
        rule="useless_faces",
        severity=severity,
        title=title.format(in_words(names)),
        detail=detail,
        parts=names,
        evidence=(
            Evidence(f"faces {what}", count),
            Evidence("faces of these meshes", sum(one.measured.faces for one in seen)),
            Evidence("meshes", len(seen)),
        ),
        suggestion=SuggestedStep("remove_faces", {"parts": list(names), "what": what}, label.format(f"{count:,}")),
    )


@once_per_mesh("positions", "indices", most=4096)
def _useless(mesh: Mesh) -> _Useless:
    whole = surface_of(mesh)
    twice = doubled(triangles_of_places(whole)[0], both_sides=False)
    flat = without_area(whole.positions, whole.indices)
    return _Useless(len(whole.indices), int((twice & ~flat).sum()), int(flat.sum()))
