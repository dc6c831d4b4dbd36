"""Materials whose textures serve one purpose each, as most formats have them → glTF's, by what lies beside the file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from pruxel.core.base.errors import InputError
from pruxel.core.formats.registry import Find
from pruxel.core.images.decode import image_info, media_type
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Scene

Pair = tuple[float, float]


@dataclass(frozen=True)
class LooseMaterial:
    """A material with the names of its textures by purpose.

    Purposes are base_color, normal, emissive, occlusion, roughness or glossiness, metallic, opacity, and
    metallic_roughness, which has roughness in green and metal in blue.
    `moves` are scale and offset of those that have any, V running up; `uv_sets` the sets of those not on the first.
    Those `instead` of the material's numbers do not count beside them, as they do in ours.
    """

    material: Material
    textures: dict[str, str] = field(default_factory=dict)
    moves: dict[str, tuple[Pair, Pair]] = field(default_factory=dict)
    uv_sets: dict[str, int] = field(default_factory=dict)
    instead: frozenset[str] = frozenset()


def with_loose_materials(scene: Scene, described: Mapping[int, LooseMaterial], find: Find) -> Scene:
    """The scene with what is known of its materials, by their numbers; textures that are not there are told in them."""
    scene = assign_materials(scene, {index: _resolved(loose, find) for index, loose in described.items()})
    materials = (_moved(m, described[i]) if i in described else m for i, m in enumerate(scene.materials))
    return replace(scene, materials=tuple(materials))


def with_blending(scene: Scene) -> Scene:
    """Opaque materials that a clip lets be seen through, made such as can be."""
    through = {
        look.material
        for clip in scene.clips
        for look in clip.looks
        if look.path == "base_color" and float(look.values[:, 3].min()) < 1
    }
    materials = (
        replace(m, alpha_mode="BLEND") if n in through and m.alpha_mode == "OPAQUE" else m
        for n, m in enumerate(scene.materials)
    )
    return replace(scene, materials=tuple(materials)) if through else scene


def beside(find: Find, name: str) -> bytes | None:
    """A picture by the name that a file has for it: by its whole name, its last, and in a folder of textures."""
    plain = name.replace("\\", "/")
    last = plain.rstrip("/").rpartition("/")[2]
    tries = dict.fromkeys((plain.removeprefix("./"), last, f"textures/{last}"))
    return next((data for one in tries if one and (data := find(one)) is not None), None)


def _resolved(loose: LooseMaterial, find: Find) -> tuple[Material, dict[str, Image]]:
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
    # A colour beside its map is there for who has no map; one that is found later finds white.
    told = loose.instead & (found.keys() | {"base_color", "opacity"})
    material = replace(_told_by_maps(loose.material, told), unresolved=tuple(missing))
    if "opacity" in found and material.alpha_mode == "OPAQUE":
        material = replace(material, alpha_mode="BLEND")
    return material, slot_images(found)


def _told_by_maps(material: Material, slots: frozenset[str]) -> Material:
    """The material with the numbers that let these maps be what they say."""
    red, green, blue, alpha = material.base_color
    if "base_color" in slots:
        red, green, blue = 1.0, 1.0, 1.0
    if "opacity" in slots:
        alpha = 1.0
    return replace(
        material,
        base_color=(red, green, blue, alpha),
        roughness=1.0 if slots & {"roughness", "glossiness"} else material.roughness,
        metallic=1.0 if "metallic" in slots else material.metallic,
        emissive=(1.0, 1.0, 1.0) if "emissive" in slots else material.emissive,
    )


def _moved(material: Material, loose: LooseMaterial) -> Material:
    """The material with the places and UV sets of its textures, V turned to run down from the top."""
    changes = {}
    for slot, number in loose.uv_sets.items():
        ref = getattr(material, f"{slot}_texture", None)
        if ref is not None:
            changes[f"{slot}_texture"] = replace(ref, uv_set=number)
    for slot, (scale, offset) in loose.moves.items():
        ref = changes.get(f"{slot}_texture", getattr(material, f"{slot}_texture", None))
        if ref is not None:
            turned = (offset[0], 1.0 - scale[1] - offset[1])
            changes[f"{slot}_texture"] = replace(ref, scale=scale, offset=turned)
    return replace(material, **changes) if changes else material


def slot_images(textures: dict[str, tuple[str, EncodedImage]]) -> dict[str, Image]:
    """Images for glTF's slots from single-purpose textures: name and image by our slot."""
    images: dict[str, Image] = {}
    base, opacity = textures.get("base_color"), textures.get("opacity")
    if base is not None:
        content: EncodedImage | ChannelMix = base[1]
        if opacity is not None and opacity[1] != base[1]:
            red, green, blue = ChannelPick(base[1], "r"), ChannelPick(base[1], "g"), ChannelPick(base[1], "b")
            content = ChannelMix(red, green, blue, ChannelPick(opacity[1], "r"))
        images["base_color_texture"] = Image(base[0], content)
    smooth = "roughness" not in textures
    rough, metal = textures.get("glossiness" if smooth else "roughness"), textures.get("metallic")
    if rough is not None or metal is not None:
        mix = ChannelMix(
            1.0,
            ChannelPick(rough[1], "r", inverted=smooth) if rough else 1.0,
            ChannelPick(metal[1], "r") if metal else 1.0,
        )
        images["metallic_roughness_texture"] = Image((rough or metal or ("", None))[0] + "_rm", mix)
    for slot in ("normal", "emissive", "occlusion", "metallic_roughness"):
        if slot in textures:
            images[f"{slot}_texture"] = Image(*textures[slot])
    return images
