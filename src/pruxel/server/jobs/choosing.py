"""Faces chosen on a stored scene."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import orjson

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.scene.faces import Choice, chosen_after, mask_of, mesh_of, meshes_of, numbers_of
from pruxel.core.scene.manifest import scene_from
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Scene
from pruxel.server.store.blobs import find_blob, get_blob
from pruxel.server.store.missing import not_found
from pruxel.server.store.scenes import SCENE_BEGINS

# Letters of a list of faces: as many as a step keeps.
_LONGEST = 100_000


@lru_cache(maxsize=2)
def shown(manifest: str) -> Scene:
    """A stored scene that the page shows; raises `InputError` where there is none."""
    data = find_blob(manifest)
    if data is None or not data.startswith(SCENE_BEGINS):
        raise not_found("scene")
    told = orjson.loads(data)
    told.pop("pictures", None)  # for the page alone
    try:
        return scene_from(told, get_blob)
    except FileNotFoundError:  # a sweep took what is in it
        raise not_found("scene") from None


def faces_chosen(manifest: str, before: Sequence[tuple[str, str]], choice: Choice) -> list[tuple[str, str, int]]:
    """Parts, numbers of faces in them, and how many those are, after a choice. Runs aside."""
    scene = shown(manifest)
    meshes = meshes_of(scene)
    masks = {part: mask_of(numbers, face_count(mesh_of(meshes, part)), part) for part, numbers in before}
    found = [(part, numbers_of(mask), int(mask.sum())) for part, mask in chosen_after(scene, masks, choice).items()]
    scattered = next((part for part, numbers, _ in found if len(numbers) > _LONGEST), None)
    if scattered is not None:
        raise InputError(
            ErrorCode.BUDGET, f"the chosen faces of “{scattered}” are scattered too much to be kept",
            hint="Choose whole pieces, or fewer faces.",
        )  # fmt: skip
    return found
