"""Vertices that joints do not hold as a whole: by too little, by too much, or by none at all."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import Seen, in_words, meshes_where
from pruxel.core.findings.registry import rule
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.walk import parts

_NOTHING, _UNEVEN = 1e-6, 0.02
_USUAL = 4  # joints a vertex that most programs take


@dataclass(frozen=True)
class _Held:
    vertices: int
    free: int
    uneven: int
    worst: float
    most: int
    crowded: int


@rule("unheld_vertices", "Vertices that no joint holds")
def unheld_vertices(scene: Scene, context: Context) -> Iterator[Finding]:
    """Count vertices of parts with a skin whose weights are all nothing: they stay behind when the others move."""
    seen = list(_where(scene, context, lambda found: 0 < found.free < found.vertices))
    if not seen:
        return
    names = tuple(name for one in seen for name in one.parts)
    free = sum(one.measured.free for one in seen)
    yield Finding(
        rule="unheld_vertices",
        severity=Severity.PROBLEM,
        title=f"{free:,} vertices of {in_words(names)} follow no joint",
        detail="When the others move they stay behind, or fall into the middle of the world.",
        parts=names,
        evidence=(
            Evidence("vertices without a joint", free),
            Evidence("vertices of these meshes", sum(one.measured.vertices for one in seen)),
        ),
        suggestion=SuggestedStep("fill_weights", {"parts": list(names)}, f"Fill the weights of {free:,} vertices"),
    )


@rule("uneven_weights", "Weights that are no whole")
def uneven_weights(scene: Scene, context: Context) -> Iterator[Finding]:
    """Look for vertices whose weights do not sum to one: each program makes something else of them."""
    seen = list(_where(scene, context, lambda found: found.uneven > 0))
    if not seen:
        return
    names = tuple(name for one in seen for name in one.parts)
    uneven = sum(one.measured.uneven for one in seen)
    yield Finding(
        rule="uneven_weights",
        severity=Severity.WARNING,
        title=f"The weights of {uneven:,} vertices of {in_words(names)} do not sum to one",
        detail="Some programs bring them to one, others shrink or stretch the model by what is missing or too much.",
        parts=names,
        evidence=(
            Evidence("vertices", uneven),
            Evidence("farthest from one", round(max(one.measured.worst for one in seen), 4)),
            Evidence("told from", _UNEVEN),
        ),
        suggestion=SuggestedStep(
            "limit_weights", {"parts": list(names), "most": 64, "least": 0.0}, "Bring all weights to a sum of one"
        ),
    )


@rule("crowded_weights", "Vertices that follow more joints than most programs take")
def crowded_weights(scene: Scene, context: Context) -> Iterator[Finding]:
    """Count vertices that more than four joints pull."""
    seen = list(_where(scene, context, lambda found: found.crowded > 0))
    if not seen:
        return
    names = tuple(name for one in seen for name in one.parts)
    crowded = sum(one.measured.crowded for one in seen)
    yield Finding(
        rule="crowded_weights",
        severity=Severity.NOTE,
        title=f"{crowded:,} vertices of {in_words(names)} follow up to {max(one.measured.most for one in seen)} joints",
        detail=f"Most engines take {_USUAL} a vertex and drop the others without asking which count.",
        parts=names,
        evidence=(
            Evidence(f"vertices with more than {_USUAL} joints", crowded),
            Evidence("joints a vertex at most", max(one.measured.most for one in seen)),
        ),
        suggestion=SuggestedStep(
            "limit_weights", {"parts": list(names), "most": _USUAL}, f"Leave each vertex its {_USUAL} strongest joints"
        ),
    )


def _where(scene: Scene, context: Context, wrong: Callable[[_Held], bool]) -> Iterator[Seen[_Held]]:
    """Those meshes whose weights are wrong, and their parts that have a skin: without one weights mean nothing."""
    skinned = {node.name for _, node, _ in parts(scene) if node.skin is not None}
    for one in meshes_where(scene, context, _held, wrong):
        names = tuple(name for name in one.parts if name in skinned)
        if names:
            yield replace(one, parts=names)


@once_per_mesh("joints", "weights", most=4096)
def _held(mesh: Mesh) -> _Held:
    vertices = free = uneven = most = crowded = 0
    worst = 0.0
    for p in mesh.primitives:
        if p.weights is None or not p.weights.size:
            continue
        sums = p.weights.sum(axis=1, dtype=np.float64)
        none = sums <= _NOTHING
        away = np.where(none, 0.0, np.abs(sums - 1))
        pulling = (p.weights > 0).sum(axis=1)
        vertices, free = vertices + len(sums), free + int(none.sum())
        uneven, worst = uneven + int((away > _UNEVEN).sum()), max(worst, float(away.max()))
        most, crowded = max(most, int(pulling.max())), crowded + int((pulling > _USUAL).sum())
    return _Held(vertices, free, uneven, worst, most, crowded)
