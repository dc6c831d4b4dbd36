"""What a step touched: the parts and materials that are others after it than before."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene
from pruxel.core.scene.references import Maps, Table, references, remapped
from pruxel.core.scene.walk import parts, world_from_local

_SAME_PLACE = 1e-9


@dataclass(frozen=True)
class Touched:
    """Names of parts that changed in shape, material or place, are new, or are gone; and of changed materials."""

    changed: tuple[str, ...] = ()
    added: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()

    @property
    def nothing(self) -> bool:
        """Whether parts and materials are as they were."""
        return not (self.changed or self.added or self.removed or self.materials)


def touched(before: Scene, after: Scene) -> Touched:
    """Compare by content. Parts of one name are told apart by nothing but what they are."""
    if before is after:
        return Touched()
    mine, theirs = _parts(before), _parts(after)
    worn, wears = _materials(before), _materials(after)
    return Touched(
        changed=tuple(name for name in theirs if name in mine and mine[name] != theirs[name]),
        added=tuple(name for name in theirs if name not in mine),
        removed=tuple(name for name in mine if name not in theirs),
        materials=tuple(name for name in wears if worn.get(name) != wears[name]),
    )


def _parts(scene: Scene) -> dict[str, Counter[str]]:
    """What parts of each name are: their shape, the names of their materials, where they stand."""
    world = world_from_local(scene)
    names = [material.name for material in scene.materials]
    of_mesh = [_content(mesh.primitives, scene, {"materials": names}) for mesh in scene.meshes]
    found: dict[str, Counter[str]] = {}
    for index, node, _ in parts(scene):
        place = (world[index] / _SAME_PLACE).round().tobytes()
        found.setdefault(node.name, Counter())[digest((of_mesh[node.mesh or 0], place))] += 1
    return found


def _materials(scene: Scene) -> dict[str, Counter[str]]:
    """What materials of each name are, with their pictures."""
    images = [digest(image) for image in scene.images]
    textures = [_content((texture,), scene, {"images": images}) for texture in scene.textures]
    found: dict[str, Counter[str]] = {}
    for material in scene.materials:
        found.setdefault(material.name, Counter())[_content((material,), scene, {"textures": textures})] += 1
    return found


def _content(values: tuple[object, ...], scene: Scene, targets: Mapping[Table, list[str]]) -> str:
    """The hash of values with what they point at in place of numbers, which shift when others come and go."""
    anywhere: Maps = {table: dict.fromkeys(range(len(getattr(scene, table))), 0) for table in targets}
    return digest(
        tuple(
            (remapped(value, anywhere), tuple((path, targets[to.table][n]) for path, to, n in references(value)))
            for value in values
        )
    )
