"""Images that cannot be had: the scene goes on without them, and its materials say which slot lost what."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from pruxel.core.scene.edit import without
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Scene
from pruxel.core.scene.references import references


def without_images(scene: Scene, broken: Mapping[int, str]) -> Scene:
    """The scene without some images (index → why); what used them is `unresolved` at their materials."""
    if not broken:
        return scene

    def told(material: Material) -> Material:
        gaps = []
        for path, to, texture in references(material):
            image = scene.textures[texture].image if to.table == "textures" else -1
            if image in broken:
                slot = path.removesuffix(".texture")
                gaps.append(Unresolved(slot.removesuffix("_texture"), scene.images[image].name, broken[image]))
        return replace(material, unresolved=(*material.unresolved, *gaps)) if gaps else material

    return without(replace(scene, materials=tuple(told(m) for m in scene.materials)), "images", set(broken))
