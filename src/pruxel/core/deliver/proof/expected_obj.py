"""What an OBJ file with its MTL must hold, beside what the judge read of it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.expected_gltf import compare_strokes, corners_of
from pruxel.core.deliver.proof.judge import ReadBack
from pruxel.core.deliver.proof.links import compare_links
from pruxel.core.deliver.proof.surfaces import Surface, compare_names, compare_surfaces
from pruxel.core.formats.obj.write import material_names, part_names, written_faces
from pruxel.core.geometry.polygons import fans
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.uvs import shown_uvs


def compare_obj(scene: Scene, read: ReadBack, main: Path, t: Tolerances) -> list[Check]:
    """All comparisons of an OBJ file."""
    materials = material_names(scene)
    listed = [(node, mesh) for _, node, mesh in standing(scene) if mesh.primitives]
    names = part_names([node for node, _ in listed])
    written = [_surface(mesh, name, materials, scene) for name, (_, mesh) in zip(names, listed, strict=True)]
    found = [_read_surface(read, number) for number, part in enumerate(read.parts) if part["kind"] == "triangles"]
    checks = [*compare_surfaces(written, found, t), compare_strokes(scene, read)]
    if scene.materials:
        checks += [_materials(scene, materials, read, t), compare_links(_named(read), main)]
    return checks


def _surface(mesh: Mesh, name: str, materials: list[str], scene: Scene) -> Surface:
    has_uvs = any(p.uvs for p in mesh.primitives)
    pieces = [_corners(p) for p in mesh.primitives]

    def uvs(primitive: Primitive, corners: AnyArray) -> AnyArray:
        shown = shown_uvs(primitive, scene.materials)
        # The reader fills with zeros, from the bottom left, where a part has some coordinates and lacks others.
        return np.tile(np.array([0, 1], np.float32), (len(corners), 1)) if shown is None else shown[corners]

    normals = [None if p.normals is None else p.normals[c] for p, c in zip(mesh.primitives, pieces, strict=True)]
    named = [n for n in normals if n is not None]
    return Surface(
        name,
        np.concatenate([p.positions[c] for p, c in zip(mesh.primitives, pieces, strict=True)]),
        np.concatenate(named) if len(named) == len(normals) else None,
        (np.concatenate([uvs(p, c) for p, c in zip(mesh.primitives, pieces, strict=True)]),) if has_uvs else (),
        materials=np.concatenate(
            [
                np.full(
                    len(c),
                    materials[len(scene.materials) if p.material is None else p.material] if materials else "",
                    object,
                )
                for p, c in zip(mesh.primitives, pieces, strict=True)
            ]
        ),
    )


def _corners(primitive: Primitive) -> AnyArray:
    """The vertex of each corner as simple readers see it: polygons cut from their first corner."""
    faces = written_faces(primitive)
    return (primitive.indices if faces is None else fans(*faces)).reshape(-1)


def _read_surface(read: ReadBack, number: int) -> Surface:
    part = read.parts[number]
    geometry = read.geometries[part["geometry"]]
    corners = corners_of(geometry)
    materials = np.full(len(corners), "", object)
    for start, count, material in part["materials"]:
        materials[start : start + count] = "" if material < 0 else read.materials[material]["name"]
    # The reader gives V from the bottom, as the file has it.
    uvs = tuple(np.stack([uv[corners][:, 0], 1 - uv[corners][:, 1]], axis=1) for uv in geometry.uvs)
    normals = None if geometry.normals is None else geometry.normals[corners]
    return Surface(read.nodes[part["node"]]["name"], geometry.positions[corners], normals, uvs, materials=materials)


def _materials(scene: Scene, names: list[str], read: ReadBack, t: Tolerances) -> Check:
    found = {m["name"]: m["values"] for m in read.materials}
    if sorted(found) != sorted(names):
        return compare_names("materials", sorted(names), sorted(found))
    for material, name in zip(scene.materials, names, strict=False):
        wanted = {
            "base colour": material.base_color[:3],
            "roughness": (material.roughness,),
            "metallic": (material.metallic,),
            "emissive": tuple(v * material.emissive_strength for v in material.emissive),
        }
        for key, value in wanted.items():
            stored = found[name].get(key)
            if stored is None or not np.allclose(stored, value, rtol=t.factor, atol=t.factor):
                return Check(
                    "materials", f"{len(names):,}", f"{key} of '{name}' is {stored}, not {value}", passed=False
                )
    return Check("materials", f"{len(names):,}", "the same names and factors", passed=True)


def _named(read: ReadBack) -> Iterator[str]:
    return (link for material in read.materials for link in material["textures"].values())
