"""A texture or a material as a flat sheet one metre wide, to be looked at and delivered like anything else."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.extract.material import LooseMaterial
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.images import Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.render_images import texels


def texture_sheet(image: Image, path: str) -> Scene:
    """Two triangles, textured, standing upright and facing +Z."""
    height, width = texels(image).shape[:2]
    material = Material(image.name, base_color_texture=TextureRef(0), unlit=True, double_sided=True)
    sheet = _sheet(image.name, height / width, material, path)
    return replace(sheet, textures=(Texture(0),), images=(image,))


def material_sheet(loose: LooseMaterial, path: str) -> Scene:
    """A square of a material, lit as any other surface."""
    sheet = _sheet(loose.material.name, 1.0, loose.material, path)
    return assign_materials(sheet, {0: (loose.material, loose.images)})


def _sheet(name: str, tall: float, material: Material, path: str) -> Scene:
    """A metre wide and so many tall."""
    x, y = 0.5, 0.5 * tall
    corners = np.array([[-x, -y, 0], [x, -y, 0], [x, y, 0], [-x, y, 0]], np.float32)
    primitive = Primitive(
        as_floats(corners, 3),
        as_indices([[0, 1, 2], [0, 2, 3]]),
        normals=as_floats([[0, 0, 1]] * 4, 3),
        uvs=(as_floats([[0, 1], [1, 1], [1, 0], [0, 0]], 2),),
        material=0,
        origin=Origin(entry=path),
    )
    return Scene(
        name,
        nodes=(Node(name, mesh=0),),
        roots=(0,),
        meshes=(Mesh(name, (primitive,)),),
        materials=(material,),
    )
