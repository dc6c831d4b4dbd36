"""The materials that an OBJ file names, with their textures."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.obj.mtl import LooseMtl, parse_mtl, slot_images
from pruxel.core.formats.registry import Find
from pruxel.core.images.decode import image_info, media_type
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Scene


def with_materials(
    scene: Scene, libraries: list[str], find: Find, name: str, faults: list[Fault], notes: list[str]
) -> Scene:
    """Materials of the scene from its libraries; one that cannot be had leaves plain materials and is told."""
    described: dict[str, LooseMtl] = {}
    for library, data in _found(libraries, find):
        if data is None:
            faults.append(
                Fault(
                    ErrorCode.REFERENCE,
                    f"the material file '{library}' is missing",
                    file=name,
                    hint="The parts keep plain materials of the same names.",
                ),
            )
        else:
            described |= parse_mtl(data, library, notes)
    assigned: dict[int, tuple[Material, dict[str, Image]]] = {}
    for index, material in enumerate(scene.materials):
        loose = described.get(material.name)
        if loose is not None:
            assigned[index] = _resolved(loose, find)
    scene = assign_materials(scene, assigned)
    return replace(scene, materials=tuple(_moved(m, described.get(m.name)) for m in scene.materials))


def _found(libraries: list[str], find: Find) -> Iterator[tuple[str, bytes | None]]:
    """Each library with its bytes: a line names one file with blanks in its name, or several."""
    for line in dict.fromkeys(libraries):
        whole = find(line)
        if whole is not None or len(line.split()) < 2:
            yield line, whole
        else:
            yield from ((name, find(name)) for name in line.split())


def _resolved(loose: LooseMtl, find: Find) -> tuple[Material, dict[str, Image]]:
    found: dict[str, tuple[str, EncodedImage]] = {}
    missing: list[Unresolved] = []
    for slot, link in loose.textures.items():
        data = find(link)
        if data is None:
            missing.append(Unresolved(slot, link, "no such file beside the model or in the sources"))
            continue
        try:
            image_info(data, link)
        except InputError as error:
            missing.append(Unresolved(slot, link, error.fault.line()))
            continue
        stem = link.replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0]
        found[slot] = (stem, EncodedImage(data, media_type(data, link)))
    material = replace(loose.material, unresolved=tuple(missing))
    if "opacity" in found and material.alpha_mode == "OPAQUE":
        material = replace(material, alpha_mode="BLEND")
    return material, slot_images(found)


def _moved(material: Material, loose: LooseMtl | None) -> Material:
    """The material with the scales and offsets of its textures, V turned to run down from the top."""
    changes = {}
    for slot, (scale, offset) in ({} if loose is None else loose.moves).items():
        ref = getattr(material, f"{slot}_texture", None)
        if ref is not None:
            turned = (offset[0], 1.0 - scale[1] - offset[1])
            changes[f"{slot}_texture"] = replace(ref, scale=scale, offset=turned)
    return replace(material, **changes) if changes else material
