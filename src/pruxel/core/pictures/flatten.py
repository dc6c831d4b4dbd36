"""A scene as one soup of triangles with what shading needs."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, bounds
from pruxel.core.base.errors import InputError
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import shown_uvs
from pruxel.core.scene.walk import parts

_PLAIN = Material("plain", base_color=(0.62, 0.6, 0.56, 1.0), roughness=0.8)


@dataclass(frozen=True, eq=False)
class Soup:
    """positions, normals (n, 3), uvs (n, 2), colors (n, 4) linear float32; indices (m, 3).

    Surface (m,) index into surfaces.
    """

    positions: FloatArray
    normals: FloatArray
    uvs: FloatArray
    colors: FloatArray
    indices: IndexArray
    surface: AnyArray
    surfaces: tuple[Surface, ...]

    @cached_property
    def bounds(self) -> tuple[FloatArray, FloatArray]:
        """The lowest and highest corner, (3,) each; asked only of what has a vertex."""
        return bounds(self.positions)

    @cached_property
    def reach(self) -> float:
        """The longest side of the box around it."""
        low, high = self.bounds
        return float((high - low).max())


@dataclass(frozen=True, eq=False)
class Surface:
    """A material with its texels ready: each (h, w, 4) uint8 or None."""

    material: Material
    base: AnyArray | None
    rough_metal: AnyArray | None
    normal: AnyArray | None
    occlusion: AnyArray | None
    emissive: AnyArray | None


def shown_nodes(scene: Scene) -> set[int]:
    """The parts meant to be seen: finest visual ones; all when the file marks none so."""
    every = {i for i, _, _ in parts(scene)}
    finest = {i for i, node, _ in parts(scene) if _meant(node)}
    return finest or every


def _meant(node: Node) -> bool:
    return node.role == "visual" and node.detail == 0


def flatten(scene: Scene, nodes: Collection[int]) -> Soup:
    """Join the given parts in world space."""
    positions, normals, uvs, colors, indices, surface = [], [], [], [], [], []
    start = 0
    for _, _, mesh in standing(scene, nodes):
        for p in mesh.primitives:
            shown = shown_uvs(p, scene.materials)
            positions.append(p.positions)
            normals.append(np.zeros_like(p.positions) if p.normals is None else p.normals)
            uvs.append(np.zeros((len(p.positions), 2), np.float32) if shown is None else shown)
            colors.append(p.colors[0] if p.colors else np.ones((len(p.positions), 4), np.float32))
            indices.append(p.indices + np.uint32(start))
            surface.append(np.full(len(p.indices), len(scene.materials) if p.material is None else p.material))
            start += len(p.positions)
    surfaces = tuple(_surface(scene, m) for m in (*scene.materials, _PLAIN))
    if not positions:
        nothing = np.zeros((0, 3), np.float32)
        return Soup(
            nothing,
            nothing,
            nothing[:, :2],
            np.zeros((0, 4), np.float32),
            np.zeros((0, 3), np.uint32),
            np.zeros(0, int),
            surfaces,
        )
    return Soup(
        np.concatenate(positions),
        np.concatenate(normals),
        np.concatenate(uvs),
        np.concatenate(colors),
        np.concatenate(indices).astype(np.uint32),
        np.concatenate(surface),
        surfaces,
    )


def _surface(scene: Scene, material: Material) -> Surface:
    def pixels(ref: TextureRef | None) -> AnyArray | None:
        if ref is None:
            return None
        try:
            return texels(scene.images[scene.textures[ref.texture].image])
        except InputError:
            return None

    return Surface(
        material,
        pixels(material.base_color_texture),
        pixels(material.metallic_roughness_texture),
        pixels(material.normal_texture),
        pixels(material.occlusion_texture),
        pixels(material.emissive_texture),
    )
