"""Write OBJ: world-space vertices, one object a part, materials in an MTL beside it, textures as PNG."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel import __version__
from pruxel.core.base.arrays import ByteArray, Bytes, DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.formats.obj.mtl import material_text
from pruxel.core.formats.obj.text import decimals_for, faces_text, rows_text
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.textures import image_files, link_name
from pruxel.core.images import png
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import parts, world_from_local, world_normals, world_positions
from pruxel.core.sources.names import unique_name

_NORMAL_DECIMALS = 5
_UV_DECIMALS = 6


def write(scene: Scene, stem: str, context: Context) -> list[OutFile]:
    """The `.obj`, its `.mtl` and a folder `textures`; links are relative and hold no spaces."""
    stem = link_name(stem)
    names = _material_names(scene.materials)
    library = f"{stem}.mtl" if scene.materials else None
    files = [OutFile(f"{stem}.obj", _Text(scene, names, library, context.part(0.0, 0.4)))]
    if scene.materials:
        texts, textures = _materials(scene, names, context.part(0.4, 1.0))
        files.append(OutFile(f"{stem}.mtl", ("\n".join(texts).encode(),)))
        files += textures
    return files


def _material_names(materials: tuple[Material, ...]) -> list[str]:
    taken: set[str] = set()
    return [unique_name(link_name(m.name or "material"), taken) for m in materials]


@dataclass(frozen=True)
class _Text:
    """The text of the `.obj`, made anew each time it is walked over."""

    scene: Scene
    names: list[str]
    library: str | None
    context: Context

    def __iter__(self) -> Iterator[Bytes]:
        yield f"# Pruxel {__version__}, metres, Y up\n".encode()
        if self.library is not None:
            yield f"mtllib {self.library}\n".encode()
        matrices, counts = world_from_local(self.scene), [0, 0, 0]
        for (index, node, mesh), part in self.context.each(list(parts(self.scene)), lambda p: p[1].name):
            part.check()
            yield f"o {link_name(node.name)}\n".encode()
            for primitive in mesh.primitives:
                if primitive.material is not None:
                    yield f"usemtl {self.names[primitive.material]}\n".encode()
                yield from _primitive(primitive, matrices[index], counts)


def _primitive(primitive: Primitive, matrix: DoubleArray, counts: list[int]) -> Iterator[Bytes]:
    """One primitive; `counts` is how many v, vt and vn lines there are so far, and grows."""
    positions = world_positions(primitive, matrix)
    normals = world_normals(primitive, matrix)
    firsts = (counts[0] + 1, counts[1] + 1, counts[2] + 1)
    largest = max(abs(float(positions.min())), abs(float(positions.max()))) if len(positions) else 0.0
    yield from rows_text(b"v", positions, decimals_for(largest))
    counts[0] += len(positions)
    if primitive.uvs:
        uvs = primitive.uvs[0].copy()
        uvs[:, 1] = 1.0 - uvs[:, 1]
        yield from rows_text(b"vt", uvs, _UV_DECIMALS)
        counts[1] += len(uvs)
    if normals is not None:
        yield from rows_text(b"vn", normals, _NORMAL_DECIMALS)
        counts[2] += len(normals)
    corners = primitive.indices
    if np.linalg.det(matrix[:3, :3]) < 0:
        corners = np.ascontiguousarray(corners[:, ::-1])
    yield from faces_text(corners, firsts, has_uv=bool(primitive.uvs), has_normal=normals is not None)


def _materials(scene: Scene, names: list[str], context: Context) -> tuple[list[str], list[OutFile]]:
    images = image_files(scene.images, context)
    taken = {f.name.lower() for f in images}
    used: dict[str, OutFile] = {}
    grey: dict[tuple[int, int], str] = {}
    texts = []

    def whole(ref: TextureRef) -> str:
        file = images[scene.textures[ref.texture].image]
        used[file.name] = OutFile(f"textures/{file.name}", (file.data,))
        return f"textures/{file.name}"

    def channel(ref: TextureRef, number: int, word: str) -> str:
        image = scene.textures[ref.texture].image
        if (image, number) not in grey:
            plane: ByteArray = np.ascontiguousarray(texels(scene.images[image])[..., number : number + 1])
            stem = images[image].name.rsplit(".", 1)[0]
            name = unique_name(f"{stem}_{word}.png", taken)
            used[name] = OutFile(f"textures/{name}", (png.encode(plane),))
            grey[(image, number)] = f"textures/{name}"
        return grey[(image, number)]

    for material, name in zip(scene.materials, names, strict=True):
        links: dict[str, str] = {}
        if material.base_color_texture:
            links["map_Kd"] = whole(material.base_color_texture)
            if material.alpha_mode != "OPAQUE":
                links["map_d"] = channel(material.base_color_texture, 3, "opacity")
        if material.metallic_roughness_texture:
            links["map_Pr"] = channel(material.metallic_roughness_texture, 1, "roughness")
            links["map_Pm"] = channel(material.metallic_roughness_texture, 2, "metallic")
        if material.normal_texture:
            links["norm"] = whole(material.normal_texture)
        if material.emissive_texture:
            links["map_Ke"] = whole(material.emissive_texture)
        texts.append(material_text(material, name, links))
    return texts, [used[name] for name in sorted(used)]
