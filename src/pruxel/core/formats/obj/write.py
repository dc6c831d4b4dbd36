"""Write OBJ: world-space vertices as they stand, one object a part, materials in an MTL, textures as PNG or JPEG."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pruxel import __version__
from pruxel.core.base.arrays import ByteArray, Bytes, FloatArray, IndexArray
from pruxel.core.base.context import Context
from pruxel.core.disk.names import unique_name
from pruxel.core.formats.obj.mtl import material_text
from pruxel.core.formats.obj.text import decimals_for, faces_text, polygons_text, rows_text
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.solids import MetreOptions, frame_words, framed
from pruxel.core.formats.textures import image_files, link_name
from pruxel.core.geometry.polygons import convex_faces, outlines
from pruxel.core.images import png
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Node, Primitive, Scene, Strokes
from pruxel.core.scene.pose import standing
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import MAIN_SLOTS, shown_uvs
from pruxel.core.scene.walk import parts

_NORMAL_DECIMALS = 5
_UV_DECIMALS = 6


def write(scene: Scene, stem: str, options: MetreOptions, context: Context) -> list[OutFile]:
    """The `.obj`, its `.mtl` and a folder `textures`; links are relative and hold no spaces."""
    stem = link_name(stem)
    scene = framed(scene, options)
    names = material_names(scene)
    library = f"{stem}.mtl" if scene.materials else None
    files = [OutFile(f"{stem}.obj", _Text(scene, names, library, frame_words(options), context.part(0.0, 0.4)))]
    if scene.materials:
        texts, textures = _materials(scene, names, context.part(0.4, 1.0))
        files.append(OutFile(f"{stem}.mtl", ("\n".join(texts).encode(),)))
        files += textures
    return files


def one_word(name: str, instead: str) -> str:
    """A name as the format takes it: everything is legal in it but blanks and line ends."""
    return re.sub(r"\s+", "_", name.strip()) or instead


def material_names(scene: Scene) -> list[str]:
    """The name that each material has in the files: one word, unlike the others.

    A last one stands for parts without a material, where others have some: a face takes the material named before it.
    """
    taken: set[str] = set()
    names = [unique_name(one_word(m.name, "material"), taken) for m in scene.materials]
    bare = bool(names) and any(p.material is None for mesh in scene.meshes for p in mesh.primitives)
    return [*names, unique_name("plain", taken)] if bare else names


def part_names(nodes: Sequence[Node]) -> list[str]:
    """The name that each part has in the file: one word, unlike the others."""
    taken: set[str] = set()
    return [unique_name(one_word(node.name, "part"), taken) for node in nodes]


def told_losses(scene: Scene) -> list[str]:
    """Materials whose textures lie in several sets or places: one file has room for one."""
    lost = []
    for material in scene.materials:
        refs = [ref for slot in MAIN_SLOTS if (ref := getattr(material, slot)) is not None]
        if len({(r.uv_set, r.offset, r.rotation_rad, r.scale) for r in refs}) > 1:
            lost.append(f"textures of '{material.name}' that lie otherwise than its first (OBJ has one set of UVs)")
    return lost


def written_faces(primitive: Primitive) -> tuple[IndexArray, IndexArray] | None:
    """Outlines and sizes of the faces as they are written, or None for triangles only.

    Polygons that are not convex stay triangles, since simple readers cut every polygon from its first corner.
    """
    if primitive.face_sizes is None:
        return None
    sizes = primitive.face_sizes
    corners = outlines(primitive.indices, sizes)
    whole = convex_faces(primitive.positions, corners, sizes)
    if whole.all():
        return corners, sizes
    pieces = np.where(whole, 1, sizes - 2)
    kept = np.repeat(whole, sizes)
    triangles = primitive.indices[np.repeat(~whole, sizes - 2)]
    # Each face's own run, in order: its outline, or its triangles.
    lengths = np.where(whole, sizes, 3 * (sizes - 2)).astype(np.int64)
    out = np.empty(int(lengths.sum()), np.uint32)
    mask = np.repeat(whole, lengths)
    out[mask], out[~mask] = corners[kept], triangles.reshape(-1)
    return out, np.where(np.repeat(whole, pieces), np.repeat(sizes, pieces), 3).astype(np.uint32)


@dataclass(frozen=True)
class _Text:
    """The text of the `.obj`, made anew each time it is walked over."""

    scene: Scene
    names: list[str]
    library: str | None
    frame: str
    context: Context

    def __iter__(self) -> Iterator[Bytes]:
        yield f"# Pruxel {__version__}, {self.frame}\n".encode()
        if self.library is not None:
            yield f"mtllib {self.library}\n".encode()
        counts = [0, 0, 0]
        filled = [node for _, node, mesh in parts(self.scene) if mesh.primitives]
        named = dict(zip((node.name for node in filled), part_names(filled), strict=True))
        for number, (_, node, mesh) in enumerate(standing(self.scene)):
            self.context.progress(number / max(len(self.scene.nodes), 1), node.name)
            if mesh.primitives:
                yield f"o {named[node.name]}\n".encode()
            for primitive in mesh.primitives:
                if self.names:
                    yield f"usemtl {self.names[-1 if primitive.material is None else primitive.material]}\n".encode()
                yield from _primitive(primitive, shown_uvs(primitive, self.scene.materials), counts)
            # Simple readers take an object with a line in it for lines only.
            for n, strokes in enumerate(mesh.strokes, start=1):
                kind = "points" if strokes.indices.shape[1] == 1 else "lines"
                yield f"o {one_word(node.name, 'part')}.{kind}{n}\n".encode()
                yield from _strokes(strokes, counts)


def _primitive(primitive: Primitive, uvs: FloatArray | None, counts: list[int]) -> Iterator[Bytes]:
    """One primitive in world space; `counts` is how many v, vt and vn lines there are so far, and grows."""
    positions, normals = primitive.positions, primitive.normals
    firsts = (counts[0] + 1, counts[1] + 1, counts[2] + 1)
    largest = max(abs(float(positions.min())), abs(float(positions.max()))) if len(positions) else 0.0
    yield from rows_text(b"v", positions, decimals_for(largest))
    counts[0] += len(positions)
    if uvs is not None:
        upward = uvs.copy()
        upward[:, 1] = 1.0 - upward[:, 1]
        yield from rows_text(b"vt", upward, _UV_DECIMALS)
        counts[1] += len(uvs)
    if normals is not None:
        yield from rows_text(b"vn", normals, _NORMAL_DECIMALS)
        counts[2] += len(normals)
    has_uv, has_normal = uvs is not None, normals is not None
    faces = written_faces(primitive)
    if faces is None:
        yield from faces_text(primitive.indices, firsts, has_uv=has_uv, has_normal=has_normal)
    else:
        yield from polygons_text(b"f", *faces, firsts, has_uv=has_uv, has_normal=has_normal)


def _strokes(strokes: Strokes, counts: list[int]) -> Iterator[Bytes]:
    positions = strokes.positions
    yield from rows_text(b"v", positions, decimals_for(float(np.abs(positions).max(initial=0))))
    firsts = (counts[0] + 1, 1, 1)
    counts[0] += len(positions)
    width = strokes.indices.shape[1]
    sizes = np.full(len(strokes.indices), width, np.uint32)
    yield from polygons_text(b"p" if width == 1 else b"l", strokes.indices.reshape(-1), sizes, firsts)


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

    materials = (*scene.materials, Material("plain"))[: len(names)]
    for material, name in zip(materials, names, strict=True):
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
