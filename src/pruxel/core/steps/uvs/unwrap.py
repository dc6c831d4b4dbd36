"""Unwrap: texture coordinates for surfaces that have none, or new ones."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.words import counted
from pruxel.core.geometry.faults import without_area
from pruxel.core.native.unwrap import unwrapped
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import gathered
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step

_MOST_TRIANGLES = 400_000


class Unwrap(Params):
    """Of which parts, where to, and for what texture."""

    parts: Parts = ()
    where: Literal["where there are none", "in place of the first", "as one set more"] = Field(
        "where there are none", title="Put them", description="what has coordinates keeps them unless said otherwise"
    )
    texels: int = Field(
        1024, ge=16, le=16_384, title="Texture", description="for one of so many texels a side",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip
    padding: int = Field(
        4, ge=0, le=64, title="Gap", description="texels between two pieces, so that none bleeds into another",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip


@step(
    "unwrap",
    "Unwrap",
    "Cuts the surface open and lays it flat: texture coordinates where there are none, or a set more for baked light.",
    Unwrap,
)
def unwrap(scene: Scene, params: Unwrap, context: Context) -> StepResult:
    """Unwrap each material's surface of the chosen parts by itself; faces without area get a point.

    Raises `InputError` for a surface that does not unwrap, `UsageError` for one of too many triangles.
    """

    def one(p: Primitive, name: str) -> tuple[Primitive, int]:
        context.check()
        if not len(p.indices) or (p.uvs and params.where == "where there are none"):
            return p, 0
        if len(p.indices) > _MOST_TRIANGLES:
            raise UsageError(
                ErrorCode.BUDGET, f"“{name}” has too many triangles to be unwrapped", field="parts",
                expected=f"at most {_MOST_TRIANGLES:,}", found=f"{len(p.indices):,}", hint="Thin it out first.",
            )  # fmt: skip
        flat = without_area(p.positions, p.indices)
        found = unwrapped(p.positions, p.indices[~flat], params.texels, params.padding, name)
        # What has no area keeps its vertices, all at one place of the texture.
        spare = p.indices[flat]
        old_of_new = np.concatenate([found.old_of_new, spare.reshape(-1)]).astype(np.int64)
        indices = np.empty_like(p.indices)
        indices[~flat] = found.indices
        indices[flat] = np.arange(spare.size, dtype=np.uint32).reshape(-1, 3) + np.uint32(len(found.old_of_new))
        uvs = np.concatenate([found.uvs, np.zeros((spare.size, 2), np.float32)])
        made = gathered(p, old_of_new, indices, p.face_sizes)
        kept = made.uvs[1:] if params.where == "in place of the first" else made.uvs
        sets = (*kept, uvs) if params.where == "as one set more" else (uvs, *kept)
        return replace(made, uvs=sets, tangents=None), found.charts

    def change(mesh: Mesh) -> Changed:
        done = [one(p, mesh.name) for p in mesh.primitives]
        charts = sum(pieces for _, pieces in done)
        surfaces = sum(made is not p for (made, _), p in zip(done, mesh.primitives, strict=True))
        return replace(mesh, primitives=tuple(p for p, _ in done)), {"surfaces unwrapped": surfaces, "pieces": charts}

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    done, pieces = counts["surfaces unwrapped"], counts["pieces"]
    words = f"{counted(done, 'surface')} of {of_parts(parts)} laid flat in {counted(pieces, 'piece')}"
    if not done:
        words = f"{of_parts(parts)}: all have texture coordinates"
    return StepResult(changed, words, measured(counts, ("surfaces unwrapped", "pieces")))
