"""What a scene is put together from: the entries of its skeletons, materials and textures, and how they were found."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Literal

from pruxel.core.scene.channels import SLOTS
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Scene

_MOST = 3_000


@dataclass(frozen=True)
class Link:
    """One thing, the entry that it comes from, and how that was found.

    A texture says which material wears it, and in which slot. Without an entry nothing was found; `why` says more.
    """

    kind: Literal["skeleton", "material", "texture"]
    name: str
    entry: str
    found: str
    material: str = ""
    slot: str = ""
    why: str = ""


def links_of(scene: Scene) -> tuple[Link, ...]:
    """Skeletons first, then each material with its textures; what has no entry of its own is left out."""
    return tuple(islice(_links(scene), _MOST))


def _links(scene: Scene) -> Iterator[Link]:
    for skin in scene.skins:
        origin = scene.nodes[skin.joints[0]].origin if skin.joints else None
        if origin is not None and origin.found:
            yield Link("skeleton", skin.name, origin.entry, origin.found)
    loose = [mesh.name for mesh in scene.meshes if any(p.joints is not None for p in mesh.primitives)]
    if loose and not scene.skins:
        yield Link("skeleton", "", "", "", why=f"The vertices of {len(loose)} parts are weighted to joints.")
    for material in scene.materials:
        yield from _worn(scene, material)


def _worn(scene: Scene, material: Material) -> Iterator[Link]:
    if material.origin.entry:
        yield Link("material", material.name, material.origin.entry, material.origin.found)
    for title, slot in SLOTS.items():
        ref = getattr(material, slot)
        image = None if ref is None else scene.images[scene.textures[ref.texture].image]
        if image is not None and image.origin.entry:
            yield Link("texture", image.name, image.origin.entry, image.origin.found, material.name, title)
    for gap in material.unresolved:
        kind: Literal["material", "texture"] = "material" if gap.slot == "material" else "texture"
        yield Link(kind, gap.name, "", "", material.name, gap.slot.replace("_", " "), gap.why)
