"""A texture as a flat sheet one metre wide, so that it can be looked at and delivered like anything else."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.scene.images import Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.render_images import texels


def texture_sheet(image: Image, path: str) -> Scene:
    """Two triangles, textured, standing upright and facing +Z."""
    height, width = texels(image).shape[:2]
    x, y = 0.5, 0.5 * height / width
    corners = np.array([[-x, -y, 0], [x, -y, 0], [x, y, 0], [-x, y, 0]], np.float32)
    primitive = Primitive(
        as_floats(corners, 3),
        as_indices([[0, 1, 2], [0, 2, 3]]),
        normals=as_floats([[0, 0, 1]] * 4, 3),
        uvs=(as_floats([[0, 1], [1, 1], [1, 0], [0, 0]], 2),),
        material=0,
        origin=Origin(entry=path),
    )
    material = Material(image.name, base_color_texture=TextureRef(0), unlit=True, double_sided=True)
    return Scene(
        image.name,
        nodes=(Node(image.name, mesh=0),),
        roots=(0,),
        meshes=(Mesh(image.name, (primitive,)),),
        materials=(material,),
        textures=(Texture(0),),
        images=(image,),
    )
