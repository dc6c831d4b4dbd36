"""Texture → vertex colours: what the base colour map shows at each vertex is kept on the vertex."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import FloatArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.images.sampled import texels_at
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import uvs_of
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step


class TextureToColors(Params):
    """Of which parts, and what becomes of the map."""

    parts: Parts = ()
    keep: Literal["the colours alone", "both"] = Field(
        "the colours alone", title="Keep", description="with both, programs that multiply them show it twice"
    )


@step(
    "texture_to_colors",
    "Texture to vertex colours",
    "Keeps what the base colour map shows at each vertex as its colour: for printing in colour, scans, points.",
    TextureToColors,
)
def texture_to_colors(scene: Scene, params: TextureToColors, context: Context) -> StepResult:
    """Read base colours at the vertices of the chosen parts, times the colours they have."""
    bare: dict[int, int] = {}  # a material without its map, by the one with it
    fresh = list(scene.materials)

    def one(p: Primitive) -> Primitive:
        context.check()
        material = None if p.material is None else scene.materials[p.material]
        ref = None if material is None else material.base_color_texture
        if p.material is None or material is None or ref is None or not p.uvs:
            return p
        found: FloatArray = texels_at(texels(scene.images[scene.textures[ref.texture].image]), uvs_of(p, ref))
        found[:, :3] = linear_from_srgb(found[:, :3])
        colors = found * p.colors[0] if p.colors else found
        number = p.material
        if params.keep == "the colours alone":
            if number not in bare:
                bare[number] = len(fresh)
                fresh.append(replace(material, name=f"{material.name} bare", base_color_texture=None))
            number = bare[number]
        return replace(p, colors=(frozen(colors.astype(np.float32)), *p.colors[1:]), material=number)

    def change(mesh: Mesh) -> Changed:
        made = tuple(one(p) for p in mesh.primitives)
        count = sum(a is not b for a, b in zip(made, mesh.primitives, strict=True))
        return replace(mesh, primitives=made), {"surfaces coloured": count}

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    done = drop_unused(replace(changed, materials=tuple(fresh))) if bare else changed
    words = f"{counted(counts['surfaces coloured'], 'surface')} of {of_parts(parts)} coloured"
    return StepResult(done, words, measured(counts, ("surfaces coloured",)))
