"""Move texture coordinates: turned over, scaled, shifted, turned; sets chosen."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import FloatArray, as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Scene
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Degrees, Parts
from pruxel.core.steps.registry import Params, StepResult, step

Pair = tuple[float, float]


class MoveUvs(Params):
    """Which set of which parts, and how."""

    parts: Parts = ()
    uv_set: int = Field(0, ge=0, le=15, title="Set", description="number of the set; 0 is the first")
    flip: Literal["not", "across", "upwards", "both"] = Field(
        "not", title="Turn over", description="left and right, or above and below, change places"
    )
    scale: Pair = Field((1.0, 1.0), title="Scale", description="across and upwards, about the top left")
    turn: Degrees = Field(0.0, ge=-360, le=360, title="Turn", description="clockwise in the texture, about its middle")
    shift: Pair = Field((0.0, 0.0), title="Shift", description="to the right and down, in widths of the texture")
    keep: Literal["all sets", "only this set"] = Field(
        "all sets", title="Sets", description="what becomes of the others; a set that is alone is the first"
    )


@step(
    "move_uvs",
    "Move texture coordinates",
    "Turns texture coordinates over, scales, turns and shifts them, or keeps one set of several.",
    MoveUvs,
)
def move_uvs(scene: Scene, params: MoveUvs, context: Context) -> StepResult:
    """Change one set of the chosen parts; shapes that move coordinates are changed alike."""
    angle = np.deg2rad(params.turn)
    cos, sin = np.cos(angle), np.sin(angle)
    over = np.array(
        [-1.0 if params.flip in {"across", "both"} else 1.0, -1.0 if params.flip in {"upwards", "both"} else 1.0]
    )
    # V runs down, so a turn that is clockwise to the eye is one from U to V.
    turn = np.array([[cos, -sin], [sin, cos]])
    whole = turn @ np.diag(over) @ np.diag(params.scale)
    start = np.where(over < 0, 1.0, 0.0)
    middle = np.array([0.5, 0.5])
    offset = turn @ (start - middle) + middle + np.array(params.shift)

    def moved(uvs: FloatArray, *, placed: bool) -> FloatArray:
        return as_floats(uvs @ whole.T + (offset if placed else 0.0), 2)

    def some(sets: tuple[FloatArray, ...], *, placed: bool) -> tuple[FloatArray, ...]:
        if params.uv_set >= len(sets):
            return sets
        made = moved(sets[params.uv_set], placed=placed)
        if params.keep == "only this set":
            return (made,)
        return (*sets[: params.uv_set], made, *sets[params.uv_set + 1 :])

    def one(p: Primitive) -> Primitive:
        context.check()
        targets = tuple(_target(t, some(t.uvs, placed=False)) for t in p.targets)
        # Tangents run along the texture, which is another way now.
        return replace(p, uvs=some(p.uvs, placed=True), targets=targets, tangents=None)

    def change(mesh: Mesh) -> Changed:
        having = sum(params.uv_set < len(p.uvs) for p in mesh.primitives)
        made = tuple(one(p) if params.uv_set < len(p.uvs) else p for p in mesh.primitives)
        return replace(mesh, primitives=made), {"surfaces changed": having}

    context.check()
    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    words = f"set {params.uv_set} of {counted(counts['surfaces changed'], 'surface')} of {of_parts(parts)} moved"
    return StepResult(changed, words, measured(counts, ("surfaces changed",)))


def _target(target: MorphTarget, uvs: tuple[FloatArray, ...]) -> MorphTarget:
    return replace(target, uvs=uvs, tangents=None)
