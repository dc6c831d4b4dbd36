"""Small pictures of people and creatures, as the game's own interface would show them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.images import png
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.sample.bake import Ready

SIDE = 256


@dataclass(frozen=True, eq=False)
class Piece:
    """What is painted on one surface of somebody: its parts, and the texels of its colour."""

    ready: list[Ready]
    base: AnyArray


def portrait(pieces: list[Piece], head_above: float) -> AnyArray:
    """What of somebody is higher than that, before deep water: (SIDE, SIDE, 4) uint8."""
    meshes, materials, images = [], [], []
    for number, piece in enumerate(pieces):
        parts = [found for item in piece.ready if (found := _above(item, head_above, number)) is not None]
        meshes.append(Mesh("portrait", tuple(parts)))
        encoded = EncodedImage(png.encode(np.ascontiguousarray(piece.base)), "image/png")
        images.append(Image(f"base {number}", encoded))
        materials.append(Material(f"painted {number}", base_color_texture=TextureRef(number), roughness=0.7))
    scene = Scene(
        "portrait",
        nodes=tuple(Node(f"portrait {number}", mesh=number) for number in range(len(pieces))),
        roots=tuple(range(len(pieces))),
        meshes=tuple(meshes),
        materials=tuple(materials),
        textures=tuple(Texture(number) for number in range(len(pieces))),
        images=tuple(images),
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


def _above(item: Ready, height: float, material: int) -> Primitive | None:
    """The triangles of a part that lie higher, None where none do."""
    keep = item.positions[item.faces][:, :, 1].min(axis=1) > height
    if not keep.any():
        return None
    used, corners = np.unique(item.faces[keep], return_inverse=True)
    return Primitive(
        as_floats(item.positions[used], 3),
        as_indices(corners.reshape(-1, 3)),
        normals=as_floats(item.normals[used], 3),
        uvs=(as_floats(item.uvs[used], 2),),
        material=material,
    )
