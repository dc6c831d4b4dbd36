"""When clips show parts and how they change materials, as it was to be written and as the judge read it of a glTF file.

What a pointer should say is told here from the specifications, and not asked of the writer.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.proof.checks import Check
from pruxel.core.deliver.proof.judge import ReadBack
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import LookChannel, Scene

_NEAR = 1e-5


def compare_looks(scene: Scene, read: ReadBack) -> list[Check]:
    """Each track once, at the same seconds, with the same values; nothing where there is none."""
    wanted = {(clip, pointer): rows for clip, pointer, rows in _expected(scene)}
    found = {(one["clip"], one["pointer"]): one for one in read.looks}
    if not wanted and not found:
        return []
    wrong = ""
    for key, (how, times, values) in wanted.items():
        one = found.get(key)
        if one is None:
            wrong = f"'{scene.clips[key[0]].name}' changes nothing at {key[1]}"
        elif not (how == one["how"] and _alike(times, one["times"]) and _alike(values, one["values"])):
            wrong = f"'{scene.clips[key[0]].name}' has other keys at {key[1]}"
        if wrong:
            break
    strange = next((key for key in found if key not in wanted), None)
    if not wrong and strange is not None:
        wrong = f"clip {strange[0] + 1} changes {strange[1]}"
    what = "when parts are to be seen, and how materials change"
    return [Check(what, f"{len(wanted):,} tracks", wrong or "the same keys", not wrong)]


def _alike(one: AnyArray, other: AnyArray) -> bool:
    return one.size == other.size and bool(np.abs(one.reshape(-1) - other.reshape(-1)).max(initial=0) <= _NEAR)


def _expected(scene: Scene) -> Iterator[tuple[int, str, tuple[str, AnyArray, AnyArray]]]:
    for number, clip in enumerate(scene.clips):
        for shown in clip.shown:
            pointer = f"/nodes/{shown.node}/extensions/KHR_node_visibility/visible"
            yield number, pointer, ("STEP", shown.times, (shown.values >= 0.5).astype(np.float32))
        for look in clip.looks:
            for pointer in _pointers(look, scene.materials[look.material]):
                yield number, pointer, (look.interpolation, look.times, look.values)


def _pointers(look: LookChannel, material: Material) -> list[str]:
    start, plain = f"/materials/{look.material}", f"/materials/{look.material}/pbrMetallicRoughness"
    factors = {
        "base_color": f"{plain}/baseColorFactor",
        "metallic": f"{plain}/metallicFactor",
        "roughness": f"{plain}/roughnessFactor",
        "emissive": f"{start}/emissiveFactor",
    }
    if look.path in factors:
        return [factors[look.path]]
    worn = {
        f"{plain}/baseColorTexture": material.base_color_texture,
        f"{plain}/metallicRoughnessTexture": material.metallic_roughness_texture,
        f"{start}/normalTexture": material.normal_texture,
        f"{start}/occlusionTexture": material.occlusion_texture,
        f"{start}/emissiveTexture": material.emissive_texture,
    }
    last = "offset" if look.path == "offset" else "scale"
    return [f"{place}/extensions/KHR_texture_transform/{last}" for place, ref in worn.items() if ref is not None]
