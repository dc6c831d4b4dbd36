"""Thicken: a surface of no thickness becomes a shell that can be printed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.shells import thickened
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import gathered
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Metres, Parts
from pruxel.core.steps.registry import Params, StepResult, step


class Thicken(Params):
    """Which parts, and how thick."""

    parts: Parts = ()
    thickness: Metres = Field(
        0.01, ge=-100, le=100, title="Thickness", description="behind the surface; below zero before it"
    )


@step(
    "thicken",
    "Thicken",
    "Puts a second surface behind the first and a rim around what is open: cloth and sheets become solid.",
    Thicken,
)
def thicken(scene: Scene, params: Thicken, context: Context) -> StepResult:
    """Make shells of the chosen parts; each material's surface is one by itself, and polygons fall into triangles."""

    def one(p: Primitive) -> Primitive:
        context.check()
        shell = thickened(p.positions, p.indices, params.thickness)
        made = gathered(p, shell.old_of_new, shell.indices, None)
        normals = made.normals
        if normals is not None:
            inward = shell.side == (1 if params.thickness > 0 else 0)
            rim = vertex_normals(shell.positions, shell.indices[2 * len(p.indices) :])
            turned = np.where(inward[:, None], -normals, normals)
            normals = as_floats(np.where((shell.side == 2)[:, None], rim, turned), 3)
        return replace(made, positions=shell.positions, normals=normals, tangents=None)

    def change(mesh: Mesh) -> Changed:
        if not params.thickness:
            return mesh, {}
        made = tuple(one(p) if len(p.indices) else p for p in mesh.primitives)
        before, after = (sum(len(p.indices) for p in ps) for ps in (mesh.primitives, made))
        return replace(mesh, primitives=made), {"triangles before": before, "triangles after": after}

    context.check()
    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    words = (
        f"{of_parts(parts)} {abs(params.thickness):g} m thick: "
        f"{counts['triangles before']:,} triangles → {counts['triangles after']:,}"
    )
    return StepResult(changed, words, measured(counts, ("triangles before", "triangles after")))
