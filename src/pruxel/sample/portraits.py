"""Small pictures of people and creatures, as the game's own interface would show them."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.images import png
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.sample.bake import Ready

SIDE = 128


def portrait(ready: list[Ready], base: AnyArray, head_above: float) -> AnyArray:
    """The upper part of a model before deep water: (SIDE, SIDE, 4) uint8. `base` are the painted texels."""
    parts = []
    for item in ready:
        keep = item.positions[item.faces][:, :, 1].min(axis=1) > head_above
        if not keep.any():
            continue
        used, corners = np.unique(item.faces[keep], return_inverse=True)
        parts.append(
            Primitive(
                as_floats(item.positions[used], 3),
                as_indices(corners.reshape(-1, 3)),
                normals=as_floats(item.normals[used], 3),
                uvs=(as_floats(item.uvs[used], 2),),
                material=0,
            )
        )
    painted = Image("base", EncodedImage(png.encode(np.ascontiguousarray(base)), "image/png"))
    material = Material("painted", base_color_texture=TextureRef(0), roughness=0.7)
    scene = Scene(
        "portrait",
        nodes=(Node("portrait", mesh=0),),
        roots=(0,),
        meshes=(Mesh("portrait", tuple(parts)),),
        materials=(material,),
        textures=(Texture(0),),
        images=(painted,),
    )
    view = View(width=SIDE, height=SIDE, azimuth_deg=24.0, elevation_deg=6.0, samples=3, ground=False)
    drawn = render(scene, Context(), view).astype(float)
    down, across = np.mgrid[0:SIDE, 0:SIDE] / SIDE
    glow = np.clip(1.1 - 2.2 * np.hypot(across - 0.5, down - 0.4), 0, 1)[..., None]
    water = np.array([22, 58, 66]) * (1 - glow) + np.array([96, 158, 150]) * glow
    alpha = drawn[..., 3:] / 255
    out = np.full((SIDE, SIDE, 4), 255, np.uint8)
    out[..., :3] = np.clip(drawn[..., :3] * alpha + water * (1 - alpha), 0, 255).astype(np.uint8)
    return out
