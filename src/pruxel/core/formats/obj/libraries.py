"""The materials that an OBJ file names, with their textures."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.formats.loose_materials import LooseMaterial, with_loose_materials
from pruxel.core.formats.obj.mtl import parse_mtl
from pruxel.core.formats.registry import Find
from pruxel.core.scene.model import Scene
from pruxel.core.scene.origin import Origin


def with_materials(
    scene: Scene, libraries: list[str], find: Find, name: str, faults: list[Fault], notes: list[str]
) -> Scene:
    """Materials of the scene from its libraries; one that cannot be had leaves plain materials and is told."""
    described: dict[str, LooseMaterial] = {}
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
            described |= {
                material: replace(loose, material=replace(loose.material, origin=Origin(entry=library)))
                for material, loose in parse_mtl(data, library, notes).items()
            }
    names = [material.name for material in scene.materials]
    return with_loose_materials(scene, {i: described[name] for i, name in enumerate(names) if name in described}, find)


def _found(libraries: list[str], find: Find) -> Iterator[tuple[str, bytes | None]]:
    """Each library with its bytes: a line names one file with blanks in its name, or several."""
    for line in dict.fromkeys(libraries):
        whole = find(line)
        if whole is not None or len(line.split()) < 2:
            yield line, whole
        else:
            yield from ((name, find(name)) for name in line.split())
