"""Height to normal: a normal map of a texture whose brightness is height."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images import png
from pruxel.core.images.levels import normals_of
from pruxel.core.scene.channels import with_image, with_map
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials, TextureName
from pruxel.core.steps.registry import Params, StepResult, step


class HeightToNormal(Params):
    """Which texture, for which materials."""

    materials: Materials = ()
    texture: TextureName = Field("", title="Texture", description="whose brightness is height; empty: the base colour")
    channel: Literal["brightness", "r", "g", "b", "a"] = Field("brightness", title="Channel", description="of it")
    strength: float = Field(
        4.0, gt=0, le=256, title="Height", description="texels that white stands above black",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip
    inverted: bool = Field(default=False, title="Inverted", description="dark is high")


@step(
    "height_to_normal",
    "Height to normals",
    "Makes a normal map of a texture whose brightness is height, and puts it on materials.",
    HeightToNormal,
)
def height_to_normal(scene: Scene, params: HeightToNormal, context: Context) -> StepResult:
    """Work out normals for the chosen materials. Raises `UsageError` where there is no texture to take heights from."""
    context.check()
    made: dict[int, int] = {}
    result = scene
    chosen = [k for k in chosen_materials(scene, params.materials) if _source(scene, k, params.texture) is not None]
    if not chosen:
        raise UsageError(
            ErrorCode.USAGE, "there is no texture to take heights from", field="texture",
            expected="the name of one, or materials with a base colour texture", found=params.texture or "none",
        )  # fmt: skip
    materials = list(scene.materials)
    for k in chosen:
        context.check()
        source = _source(scene, k, params.texture)
        assert source is not None
        if source not in made:
            name = f"{scene.images[source].name} normals"
            rgba = normals_of(_heights(scene.images[source], params), params.strength)
            result, made[source] = with_image(result, Image(name, EncodedImage(png.encode(rgba), "image/png")))
        materials[k] = with_map(materials[k], "normal_texture", made[source])
    return StepResult(
        replace(result, materials=tuple(materials)),
        f"normals of {counted(len(made), 'texture')} on {counted(len(chosen), 'material')}",
        (Evidence("maps made", len(made)), Evidence("materials", len(chosen))),
    )  # fmt: skip


def _source(scene: Scene, material: int, name: str) -> int | None:
    """The number of the image that heights come from."""
    if name:
        return next((k for k, image in enumerate(scene.images) if image.name == name), None)
    ref = scene.materials[material].base_color_texture
    return None if ref is None else scene.textures[ref.texture].image


def _heights(image: Image, params: HeightToNormal) -> np.ndarray:
    rgba = texels(image).astype(np.float32) / 255
    grey = rgba[..., :3] @ np.array([0.213, 0.715, 0.072], np.float32)
    found = grey if params.channel == "brightness" else rgba[..., "rgba".index(params.channel)]
    return 1 - found if params.inverted else found
