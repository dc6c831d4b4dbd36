"""Pack textures: several materials become one with one set of maps, or each keeps only what its surfaces use."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images.packing import Packed, packed
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.materials import TextureRef
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.references import references
from pruxel.core.scene.uvs import is_placed
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.one_material import MAPS, Piece, maps_of, one_material, same_look, wraps_of
from pruxel.core.steps.references import Materials
from pruxel.core.steps.registry import Params, StepResult, step


class PackTextures(Params):
    """Of which materials, and into what."""

    materials: Materials = ()
    into: Literal["one for all", "each for itself"] = Field(
        "one for all", title="Into", description="one material for all that look alike, or trimmed maps for each"
    )
    keep: Literal["what surfaces use", "whole textures"] = Field(
        "what surfaces use", title="Keep", description="of each texture"
    )
    gap: int = Field(
        4, ge=0, le=64, title="Gap", description="texels around each, so that none bleeds into another",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip
    largest: int = Field(
        8192, ge=16, le=16_384, title="Largest side", description="what would be larger is refused",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip
    power: bool = Field(default=True, title="Power of two", description="sides of the new textures")


@step(
    "pack_textures",
    "Pack textures",
    "Puts the maps of several materials into one atlas and moves their coordinates, or trims each to what is used.",
    PackTextures,
)
def pack_textures(scene: Scene, params: PackTextures, context: Context) -> StepResult:
    """Pack the maps of the chosen materials. What repeats across a surface, is placed, or changes by variant stays.

    Raises `UsageError` where the new texture would be larger than allowed.
    """
    context.check()
    used, left = list[Piece](), 0
    for number in chosen_materials(scene, params.materials):
        found = _use(scene, number, whole=params.keep == "whole textures")
        left += found is None
        used += [] if found is None else [found]
    groups: dict[object, list[Piece]] = {}
    for one in used:
        alone = (one.material,) if params.into == "each for itself" else ()
        groups.setdefault((same_look(scene, one.material), one.uv_set, alone), []).append(one)
    made, before, after = scene, 0, 0
    # One alone is only worth it where it is trimmed.
    for group in (g for g in groups.values() if len(g) > 1 or params.into == "each for itself"):
        context.check()
        places = packed([(one.width, one.height) for one in group], params.gap, power=params.power)
        if max(places.width, places.height) > params.largest:
            raise UsageError(
                ErrorCode.BUDGET, "the new texture would be too large", field="largest",
                expected=f"at most {params.largest} texels a side", found=f"{places.width} x {places.height}",
                hint="Resize the textures first, or choose fewer materials.",
            )  # fmt: skip
        if len(group) == 1 and places.width * places.height >= group[0].size[0] * group[0].size[1]:
            continue
        before += sum(one.size[0] * one.size[1] for one in group)
        after += places.width * places.height
        made = _moved(made, scene, group, places, params.gap)
    done = sum(len(g) for g in groups.values()) if after else 0
    words = f"maps of {counted(done, 'material')} packed" if after else "there is nothing to pack"
    words += f"; {left:,} stay: they repeat, are placed, or have no maps" if left else ""
    return StepResult(
        drop_unused(made) if after else scene, words,
        (Evidence("texels before", before), Evidence("texels after", after), Evidence("materials that stay", left)),
    )  # fmt: skip


def _surfaces(scene: Scene, material: int) -> Iterable[tuple[int, int, Primitive]]:
    for number, mesh in enumerate(scene.meshes):
        for place, p in enumerate(mesh.primitives):
            if p.material == material:
                yield number, place, p


def _use(scene: Scene, number: int, *, whole: bool) -> Piece | None:
    """What surfaces use of a material's maps; None where they cannot be moved."""
    material = scene.materials[number]
    refs: list[TextureRef] = [ref for slot in MAPS if (ref := getattr(material, slot)) is not None]
    worn = [p for _, _, p in _surfaces(scene, number)]
    varied = any(p.dressings for p in worn) or any(
        d.material == number for m in scene.meshes for p in m.primitives for d in p.dressings
    )
    others = sum(to.table == "textures" for _, to, _ in references(material)) - len(refs)
    if not refs or not worn or varied or others or any(is_placed(r) or r.uv_set != refs[0].uv_set for r in refs):
        return None
    uv_set = refs[0].uv_set
    if any(len(p.uvs) <= uv_set for p in worn):
        return None
    sizes = [rgba.shape for rgba in maps_of(scene, material).values()]
    height, width = (max(shape[k] for shape in sizes) for k in (0, 1))
    uvs = np.concatenate([p.uvs[uv_set][p.indices].reshape(-1, 2) for p in worn])
    if not len(uvs) or not bool(np.isfinite(uvs).all()):
        return None
    low, high = uvs.min(axis=0).astype(np.float64), uvs.max(axis=0).astype(np.float64)
    if whole:
        low, high = np.floor(low + 1e-6), np.maximum(np.ceil(high - 1e-6), np.floor(low + 1e-6) + 1)
    outside = float(low.min()) < -1e-6 or float(high.max()) > 1 + 1e-6
    wraps = {wrap for ref in refs for wrap in wraps_of(scene, ref)}
    if float((high - low).max()) > 1 + 1e-6 or (outside and wraps != {"repeat"}):
        return None
    first = np.floor(low * (width, height) + 1e-4).astype(int)
    last = np.maximum(np.ceil(high * (width, height) - 1e-4).astype(int), first + 1)
    return Piece(
        number, uv_set, (width, height), int(first[0]), int(first[1]), int(last[0] - first[0]), int(last[1] - first[1])
    )


def _moved(made: Scene, scene: Scene, group: Sequence[Piece], places: Packed, gap: int) -> Scene:
    """The scene with one material for the group, and the coordinates of its surfaces in the new maps."""
    made, material = one_material(made, scene, group, places, gap)
    number, size = len(made.materials), (places.width, places.height)
    meshes = list(made.meshes)
    for piece, (left, top) in zip(group, places.at, strict=True):
        scale = np.array(piece.size, np.float64) / size
        shift = np.array((left - piece.x, top - piece.y), np.float64) / size
        for mesh, place, p in _surfaces(scene, piece.material):
            every = list(meshes[mesh].primitives)
            every[place] = replace(_rescaled(p, piece.uv_set, scale, shift), material=number)
            meshes[mesh] = replace(meshes[mesh], primitives=tuple(every))
    return replace(made, materials=(*made.materials, material), meshes=tuple(meshes))


def _rescaled(p: Primitive, number: int, scale: AnyArray, shift: AnyArray) -> Primitive:
    def sets(every: tuple[FloatArray, ...], add: AnyArray) -> tuple[FloatArray, ...]:
        return tuple(as_floats(uv * scale + add, 2) if k == number else uv for k, uv in enumerate(every))

    targets = tuple(replace(t, uvs=sets(t.uvs, np.zeros(2))) for t in p.targets)
    return replace(p, uvs=sets(p.uvs, shift), targets=targets)
