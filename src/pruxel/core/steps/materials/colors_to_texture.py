"""Vertex colours → texture: what is painted on vertices becomes part of the base colour map."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import ByteArray, FloatArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.colors import linear_from_srgb, srgb_from_linear
from pruxel.core.geometry.texels import cover, spread
from pruxel.core.images.sampled import texels_at
from pruxel.core.scene.channels import with_image
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import uvs_of
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import drawn


class ColorsToTexture(Params):
    """Of which parts, and how fine."""

    parts: Parts = ()
    uv_set: int = Field(0, ge=0, le=15, title="Set", description="number of the texture coordinates, each place once")
    size: int = Field(
        1024, ge=16, le=4096, title="Texture", description="texels a side", json_schema_extra={"unit": "px"}
    )


@step(
    "colors_to_texture",
    "Vertex colours to texture",
    "Paints what vertices are coloured into the base colour map, for programs that know no vertex colours.",
    ColorsToTexture,
)
def colors_to_texture(scene: Scene, params: ColorsToTexture, context: Context) -> StepResult:
    """One new material and map for each material of coloured surfaces; it multiplies what was there.

    Raises `UsageError` where coloured surfaces have no such texture coordinates.
    """
    context.check()
    chosen = {m for k in chosen_parts(scene, params.parts) if (m := scene.nodes[k].mesh) is not None}
    worn: dict[int | None, list[tuple[int, int]]] = {}
    for mesh in sorted(chosen):
        for place, p in enumerate(scene.meshes[mesh].primitives):
            if p.colors:
                worn.setdefault(p.material, []).append((mesh, place))
    lacking = [
        m for found in worn.values() for m, k in found if len(scene.meshes[m].primitives[k].uvs) <= params.uv_set
    ]
    if lacking:
        raise UsageError(
            ErrorCode.USAGE, f"“{scene.meshes[lacking[0]].name}” has no place in a texture", field="uv_set",
            expected=f"texture coordinates {params.uv_set}", found="none", hint="Unwrap it first.",
        )  # fmt: skip
    made = scene
    for number, places in worn.items():
        context.check()
        made = _painted(made, number, [(m, k, scene.meshes[m].primitives[k]) for m, k in places], params)
    count = sum(map(len, worn.values()))
    words = (
        f"colours of {counted(count, 'surface')} painted into {counted(len(worn), 'texture')}"
        if count
        else "no part has vertex colours"
    )
    return StepResult(
        drop_unused(made) if count else scene, words,
        (Evidence("surfaces painted", count), Evidence("new textures", len(worn))),
    )  # fmt: skip


def _painted(
    scene: Scene, number: int | None, found: list[tuple[int, int, Primitive]], params: ColorsToTexture
) -> Scene:
    """The scene with these surfaces of one material without colours, and a material of their own with the new map."""
    material = Material("painted") if number is None else scene.materials[number]
    ref = material.base_color_texture
    size = (params.size, params.size)
    # Behind the colours, where the map that was there is read: both are drawn at one go.
    out, covered = np.ones((*size, 4 if ref is None else 6), np.float32), np.zeros(size, bool)
    for _, _, p in found:
        read = () if ref is None else (uvs_of(p, ref),)
        cover(p.uvs[params.uv_set], p.indices, np.concatenate([p.colors[0], *read], axis=1), out, covered)
    out = spread(out, covered)
    rgba = out[..., :4].copy()
    if ref is not None:
        below = texels_at(texels(scene.images[scene.textures[ref.texture].image]), out[..., 4:].reshape(-1, 2))
        below[:, :3] = linear_from_srgb(below[:, :3])
        rgba *= below.reshape(rgba.shape)
    name = f"{material.name} painted"
    made, texture = with_image(scene, drawn(name, _bytes(rgba)))
    fresh = replace(material, name=name, base_color_texture=TextureRef(texture, uv_set=params.uv_set))
    made = replace(made, materials=(*made.materials, fresh))
    meshes = list(made.meshes)
    for mesh, place, p in found:
        targets = tuple(replace(t, colors=t.colors[1:]) for t in p.targets)
        bare = replace(p, colors=p.colors[1:], material=len(made.materials) - 1, targets=targets)
        every = list(meshes[mesh].primitives)
        every[place] = bare
        meshes[mesh] = replace(meshes[mesh], primitives=tuple(every))
    return replace(made, meshes=tuple(meshes))


def _bytes(rgba: FloatArray) -> ByteArray:
    """Linear colours (height, width, 4) as they are stored."""
    made = np.empty(rgba.shape, np.uint8)
    made[..., :3] = np.rint(np.clip(srgb_from_linear(rgba[..., :3]), 0, 1) * 255)
    made[..., 3] = np.rint(np.clip(rgba[..., 3], 0, 1) * 255)
    return made
