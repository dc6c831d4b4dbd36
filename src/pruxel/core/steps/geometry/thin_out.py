"""Thin out: fewer triangles, with texture coordinates, weights and shapes kept."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import Changed, of_parts, on_meshes
from pruxel.core.steps.references import Metres, Parts, SamePlace, Share
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.thinned import thinned_mesh


class ThinOut(Params):
    """How many triangles are to be left, and how far the surface may move."""

    parts: Parts = ()
    to: Literal["share", "triangles"] = Field(
        "share", title="Down to", description="a share of what there is, or so many triangles of all chosen parts"
    )
    share: Share = Field(50.0, title="Share", description="of the triangles that stay")
    triangles: int = Field(
        10_000, ge=1, le=50_000_000, title="Triangles", description="that stay, each mesh its share of them"
    )
    most_error: Metres = Field(
        0.0, ge=0, le=1e6, title="Largest error", description="how far the surface may move; 0 for any way"
    )
    distance: SamePlace = 1e-6


@step(
    "thin_out",
    "Thin out",
    "Makes fewer triangles of the same shape; seams, borders, texture coordinates, weights and shapes stay.",
    ThinOut,
)
def thin_out(scene: Scene, params: ThinOut, context: Context) -> StepResult:
    """Collapse edges of the chosen parts, those that change the shape least first; polygons fall into triangles."""
    chosen = {scene.nodes[index].mesh for index in chosen_parts(scene, params.parts)}
    there = sum(len(p.indices) for m in chosen if m is not None for p in scene.meshes[m].primitives)
    share = params.share / 100 if params.to == "share" else min(params.triangles / max(there, 1), 1.0)
    farthest = 0.0

    def change(mesh: Mesh) -> Changed:
        nonlocal farthest
        made, error = thinned_mesh(mesh, share, params.most_error, params.distance)
        farthest = max(farthest, error)
        before, after = (sum(len(p.indices) for p in one.primitives) for one in (mesh, made))
        return made, {"before": before, "after": after, "goal": round(before * share)}

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    short = (
        f"{counts['goal']:,} triangles were asked for; what stays (seams, borders) or the largest error lets no more go"
    )
    return StepResult(
        changed,
        f"{counts['before']:,} triangles → {counts['after']:,} in {of_parts(parts)}, moved by {farthest:.2g} m at most",
        (
            Evidence("triangles before", counts["before"]),
            Evidence("triangles after", counts["after"]),
            Evidence("largest error", float(f"{farthest:.3g}"), "m"),
        ),
        notes=(short,) if counts["after"] > counts["goal"] else (),
    )
