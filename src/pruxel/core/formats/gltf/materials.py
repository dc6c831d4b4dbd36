"""Materials to and from glTF JSON, with the ratified KHR_materials extensions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from pruxel.core.scene.materials import (
    Anisotropy,
    Clearcoat,
    Iridescence,
    Material,
    Sampler,
    Sheen,
    Specular,
    TextureRef,
    Transmission,
)

Json = dict[str, Any]
_WRAP = {"repeat": 10497, "clamp": 33071, "mirror": 33648}
_FILTER = {"linear": (9729, 9987), "nearest": (9728, 9728)}


@dataclass(frozen=True)
class Slot:
    """One value of an extension: our field, its JSON name, and whether it is a texture."""

    field: str
    key: str
    texture: bool = False


@dataclass(frozen=True)
class Extension:
    """One material extension: its glTF name, the record it fills and that record's values."""

    name: str
    field: str
    build: Callable[..., Any]
    slots: Sequence[Slot]


EXTENSIONS = (
    Extension(
        "KHR_materials_clearcoat",
        "clearcoat",
        Clearcoat,
        (
            Slot("factor", "clearcoatFactor"),
            Slot("texture", "clearcoatTexture", texture=True),
            Slot("roughness", "clearcoatRoughnessFactor"),
            Slot("roughness_texture", "clearcoatRoughnessTexture", texture=True),
            Slot("normal_texture", "clearcoatNormalTexture", texture=True),
        ),
    ),
    Extension(
        "KHR_materials_sheen",
        "sheen",
        Sheen,
        (
            Slot("color", "sheenColorFactor"),
            Slot("color_texture", "sheenColorTexture", texture=True),
            Slot("roughness", "sheenRoughnessFactor"),
            Slot("roughness_texture", "sheenRoughnessTexture", texture=True),
        ),
    ),
    Extension(
        "KHR_materials_specular",
        "specular",
        Specular,
        (
            Slot("factor", "specularFactor"),
            Slot("texture", "specularTexture", texture=True),
            Slot("color", "specularColorFactor"),
            Slot("color_texture", "specularColorTexture", texture=True),
        ),
    ),
    Extension(
        "KHR_materials_iridescence",
        "iridescence",
        Iridescence,
        (
            Slot("factor", "iridescenceFactor"),
            Slot("texture", "iridescenceTexture", texture=True),
            Slot("ior", "iridescenceIor"),
            Slot("thickness_min_nm", "iridescenceThicknessMinimum"),
            Slot("thickness_max_nm", "iridescenceThicknessMaximum"),
            Slot("thickness_texture", "iridescenceThicknessTexture", texture=True),
        ),
    ),
    Extension(
        "KHR_materials_anisotropy",
        "anisotropy",
        Anisotropy,
        (
            Slot("strength", "anisotropyStrength"),
            Slot("rotation_rad", "anisotropyRotation"),
            Slot("texture", "anisotropyTexture", texture=True),
        ),
    ),
)
_TRANSMISSION = (Slot("factor", "transmissionFactor"), Slot("texture", "transmissionTexture", texture=True))
_VOLUME = (
    Slot("thickness", "thicknessFactor"),
    Slot("thickness_texture", "thicknessTexture", texture=True),
    Slot("attenuation_distance", "attenuationDistance"),
    Slot("attenuation_color", "attenuationColor"),
)


def texture_json(ref: TextureRef) -> Json:
    """A textureInfo, with KHR_texture_transform when it is not the identity."""
    found: Json = {"index": ref.texture}
    if ref.uv_set:
        found["texCoord"] = ref.uv_set
    if (ref.offset, ref.rotation_rad, ref.scale) != ((0.0, 0.0), 0.0, (1.0, 1.0)):
        moved = {"offset": list(ref.offset), "rotation": ref.rotation_rad, "scale": list(ref.scale)}
        found["extensions"] = {"KHR_texture_transform": moved}
    return found


def texture_ref(found: Json | None) -> TextureRef | None:
    """The reverse of `texture_json`."""
    if found is None:
        return None
    moved = found.get("extensions", {}).get("KHR_texture_transform", {})
    return TextureRef(
        int(found["index"]),
        int(moved.get("texCoord", found.get("texCoord", 0))),
        tuple(moved.get("offset", (0.0, 0.0))),
        float(moved.get("rotation", 0.0)),
        tuple(moved.get("scale", (1.0, 1.0))),
    )


def _slots_json(record: object, slots: Sequence[Slot]) -> Json:
    found: Json = {}
    for slot in slots:
        value = getattr(record, slot.field)
        if value is not None:
            found[slot.key] = texture_json(value) if slot.texture else _plain(value)
    return found


def _plain(value: Any) -> Any:  # noqa: ANN401
    return list(value) if isinstance(value, tuple) else value


def _slots_values(found: Json, slots: Sequence[Slot]) -> Json:
    values: Json = {}
    for slot in slots:
        if slot.key in found:
            value = found[slot.key]
            values[slot.field] = (
                texture_ref(value) if slot.texture else tuple(value) if isinstance(value, list) else value
            )
    return values


def material_json(material: Material) -> Json:
    """A glTF material."""
    pbr: Json = {
        "baseColorFactor": list(material.base_color),
        "metallicFactor": material.metallic,
        "roughnessFactor": material.roughness,
    }
    found: Json = {"name": material.name, "pbrMetallicRoughness": pbr}
    if material.base_color_texture:
        pbr["baseColorTexture"] = texture_json(material.base_color_texture)
    if material.metallic_roughness_texture:
        pbr["metallicRoughnessTexture"] = texture_json(material.metallic_roughness_texture)
    if material.normal_texture:
        found["normalTexture"] = texture_json(material.normal_texture) | {"scale": material.normal_scale}
    if material.occlusion_texture:
        found["occlusionTexture"] = texture_json(material.occlusion_texture) | {"strength": material.occlusion_strength}
    if material.emissive_texture:
        found["emissiveTexture"] = texture_json(material.emissive_texture)
    if any(material.emissive):
        found["emissiveFactor"] = list(material.emissive)
    if material.alpha_mode != "OPAQUE":
        found["alphaMode"] = material.alpha_mode
    if material.alpha_mode == "MASK":
        found["alphaCutoff"] = material.alpha_cutoff
    if material.double_sided:
        found["doubleSided"] = True
    extensions = _extensions_json(material)
    return found | ({"extensions": extensions} if extensions else {})


def _extensions_json(material: Material) -> Json:
    found: Json = {}
    for extension in EXTENSIONS:
        record = getattr(material, extension.field)
        if record is not None:
            found[extension.name] = _slots_json(record, extension.slots)
    if material.transmission is not None:
        found["KHR_materials_transmission"] = _slots_json(material.transmission, _TRANSMISSION)
        if material.transmission.thickness or material.transmission.attenuation_distance:
            found["KHR_materials_volume"] = _slots_json(material.transmission, _VOLUME)
    if material.ior != 1.5:
        found["KHR_materials_ior"] = {"ior": material.ior}
    if material.emissive_strength != 1.0:
        found["KHR_materials_emissive_strength"] = {"emissiveStrength": material.emissive_strength}
    if material.unlit:
        found["KHR_materials_unlit"] = {}
    return found


def material_from(found: Json, number: int) -> Material:
    """A material from glTF JSON; absent values have the specification's defaults."""
    pbr = found.get("pbrMetallicRoughness", {})
    extensions = found.get("extensions", {})
    normal, occlusion = found.get("normalTexture"), found.get("occlusionTexture")
    values: Json = {
        ext.field: ext.build(**_slots_values(extensions[ext.name], ext.slots))
        for ext in EXTENSIONS
        if ext.name in extensions
    }
    if "KHR_materials_transmission" in extensions:
        joined = _slots_values(extensions["KHR_materials_transmission"], _TRANSMISSION)
        joined |= _slots_values(extensions.get("KHR_materials_volume", {}), _VOLUME)
        values["transmission"] = Transmission(**joined)
    return Material(
        name=str(found.get("name") or f"material {number}"),
        base_color=tuple(float(v) for v in pbr.get("baseColorFactor", (1, 1, 1, 1))),  # type: ignore[arg-type]
        base_color_texture=texture_ref(pbr.get("baseColorTexture")),
        metallic=float(pbr.get("metallicFactor", 1.0)),
        roughness=float(pbr.get("roughnessFactor", 1.0)),
        metallic_roughness_texture=texture_ref(pbr.get("metallicRoughnessTexture")),
        normal_texture=texture_ref(normal),
        normal_scale=float((normal or {}).get("scale", 1.0)),
        occlusion_texture=texture_ref(occlusion),
        occlusion_strength=float((occlusion or {}).get("strength", 1.0)),
        emissive=tuple(float(v) for v in found.get("emissiveFactor", (0, 0, 0))),  # type: ignore[arg-type]
        emissive_strength=float(extensions.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0)),
        emissive_texture=texture_ref(found.get("emissiveTexture")),
        alpha_mode=found.get("alphaMode", "OPAQUE"),
        alpha_cutoff=float(found.get("alphaCutoff", 0.5)),
        double_sided=bool(found.get("doubleSided", False)),
        unlit="KHR_materials_unlit" in extensions,
        ior=float(extensions.get("KHR_materials_ior", {}).get("ior", 1.5)),
        **values,
    )


def sampler_json(sampler: Sampler) -> Json:
    """A glTF sampler."""
    mag, low = _FILTER[sampler.filter]
    return {
        "magFilter": mag,
        "minFilter": low,
        "wrapS": _WRAP[sampler.wrap_u],
        "wrapT": _WRAP[sampler.wrap_v],
    }


def sampler_from(found: Json) -> Sampler:
    """The reverse of `sampler_json`; unknown numbers count as the default."""
    wraps = {number: name for name, number in _WRAP.items()}
    return Sampler(
        wraps.get(found.get("wrapS", 10497), "repeat"),  # type: ignore[arg-type]
        wraps.get(found.get("wrapT", 10497), "repeat"),  # type: ignore[arg-type]
        "nearest" if found.get("magFilter") == _FILTER["nearest"][0] else "linear",
    )


def extensions_used(value: Any) -> set[str]:  # noqa: ANN401
    """The names of all extensions in a piece of glTF JSON."""
    if isinstance(value, dict):
        own = set(value.get("extensions", ()))
        return own.union(*(extensions_used(v) for v in value.values()))
    if isinstance(value, list):
        return set().union(*(extensions_used(v) for v in value))
    return set()
