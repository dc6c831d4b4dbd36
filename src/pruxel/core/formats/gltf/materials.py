"""Materials to and from glTF JSON, with the ratified KHR_materials extensions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.extras import extras_json, extras_text
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
    Volume,
)
from pruxel.core.scene.origin import Origin

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
    Extension(
        "KHR_materials_transmission",
        "transmission",
        Transmission,
        (Slot("factor", "transmissionFactor"), Slot("texture", "transmissionTexture", texture=True)),
    ),
    Extension(
        "KHR_materials_volume",
        "volume",
        Volume,
        (
            Slot("thickness", "thicknessFactor"),
            Slot("thickness_texture", "thicknessTexture", texture=True),
            Slot("attenuation_distance", "attenuationDistance"),
            Slot("attenuation_color", "attenuationColor"),
        ),
    ),
)
# Extensions that are one number beside a material's own fields: name, our field, JSON key, the number that means
# nothing.
_NUMBERS = (
    ("KHR_materials_ior", "ior", "ior", 1.5),
    ("KHR_materials_emissive_strength", "emissive_strength", "emissiveStrength", 1.0),
    ("KHR_materials_dispersion", "dispersion", "dispersion", 0.0),
)
_UNLIT, _GLOSSY = "KHR_materials_unlit", "KHR_materials_pbrSpecularGlossiness"
READABLE = frozenset({*(e.name for e in EXTENSIONS), *(n[0] for n in _NUMBERS), _UNLIT, _GLOSSY})
_MOST_SETS = 8


def texture_json(ref: TextureRef) -> Json:
    """A textureInfo, with KHR_texture_transform when it is not the identity."""
    found: Json = {"index": ref.texture}
    if ref.uv_set:
        found["texCoord"] = ref.uv_set
    if (ref.offset, ref.rotation_rad, ref.scale) != ((0.0, 0.0), 0.0, (1.0, 1.0)):
        moved = {"offset": list(ref.offset), "rotation": ref.rotation_rad, "scale": list(ref.scale)}
        found["extensions"] = {"KHR_texture_transform": moved}
    return found


def texture_ref(found: Fields | None, textures: int) -> TextureRef | None:
    """The reverse of `texture_json`; `textures` is how many there are."""
    if found is None:
        return None
    extensions = found.object("extensions")
    moved = None if extensions is None else extensions.object("KHR_texture_transform")
    plain = TextureRef(found.index("index", textures), uv_set=found.integer("texCoord", 0, high=_MOST_SETS))
    if moved is None:
        return plain
    return replace(
        plain,
        uv_set=moved.integer("texCoord", plain.uv_set, high=_MOST_SETS),
        offset=moved.numbers("offset", 2, plain.offset),
        rotation_rad=moved.number("rotation", 0.0),
        scale=moved.numbers("scale", 2, plain.scale),
    )


def _slots_json(record: object, slots: Sequence[Slot]) -> Json:
    found: Json = {}
    for slot in slots:
        value = getattr(record, slot.field)
        if value is not None:
            found[slot.key] = texture_json(value) if slot.texture else _plain(value)
    # The one texture of an extension that has a strength of its own.
    if isinstance(record, Clearcoat) and record.normal_texture is not None and record.normal_scale != 1.0:
        found["clearcoatNormalTexture"]["scale"] = record.normal_scale
    return found


def _plain(value: Any) -> Any:  # noqa: ANN401
    return list(value) if isinstance(value, tuple) else value


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
    return found | ({"extensions": extensions} if extensions else {}) | extras_json(material.extras)


def _extensions_json(material: Material) -> Json:
    found: Json = {}
    for extension in EXTENSIONS:
        record = getattr(material, extension.field)
        if record is not None:
            found[extension.name] = _slots_json(record, extension.slots)
    for name, own, key, nothing in _NUMBERS:
        if getattr(material, own) != nothing:
            found[name] = {key: getattr(material, own)}
    if material.unlit:
        found[_UNLIT] = {}
    return found


@dataclass(eq=False)
class MaterialReader:
    """Reads the materials of one document; factors out of range are brought into it and told in `notes`."""

    textures: int
    notes: list[str] = field(default_factory=list)

    def material(self, found: Fields, number: int) -> Material:
        """A material; absent values have the specification's defaults (glTF 2.0, section 5.19)."""
        pbr = found.object("pbrMetallicRoughness") or Fields({}, found.file)
        extensions = found.object("extensions") or Fields({}, found.file)
        normal, occlusion = found.object("normalTexture"), found.object("occlusionTexture")
        values: Json = {}
        for extension in EXTENSIONS:
            record = extensions.object(extension.name)
            if record is not None:
                values[extension.field] = self._record(record, extension)
        for name, own, key, nothing in _NUMBERS:
            record = extensions.object(name)
            if record is not None:
                values[own] = record.number(key, nothing, low=0)
        material = Material(
            found.text("name", "") or f"material {number + 1}",
            base_color=self._shares(pbr, "baseColorFactor", (1.0, 1.0, 1.0, 1.0)),
            base_color_texture=texture_ref(pbr.object("baseColorTexture"), self.textures),
            metallic=self._share(pbr, "metallicFactor"),
            roughness=self._share(pbr, "roughnessFactor"),
            metallic_roughness_texture=texture_ref(pbr.object("metallicRoughnessTexture"), self.textures),
            normal_texture=texture_ref(normal, self.textures),
            normal_scale=1.0 if normal is None else normal.number("scale", 1.0),
            occlusion_texture=texture_ref(occlusion, self.textures),
            occlusion_strength=1.0 if occlusion is None else self._share(occlusion, "strength"),
            **self._glow(found, values.pop("emissive_strength", 1.0)),
            emissive_texture=texture_ref(found.object("emissiveTexture"), self.textures),
            alpha_mode=found.choice("alphaMode", ("OPAQUE", "MASK", "BLEND"), "OPAQUE"),
            alpha_cutoff=found.number("alphaCutoff", 0.5, low=0),
            double_sided=found.flag("doubleSided"),
            unlit=extensions.object(_UNLIT) is not None,
            extras=extras_text(found),
            origin=Origin(entry=found.file, record=found.place),
            **values,
        )
        glossy = extensions.object(_GLOSSY)
        return material if glossy is None else self._from_glossy(material, glossy)

    def _from_glossy(self, material: Material, glossy: Fields) -> Material:
        """The older model of the archived extension: what is no metal keeps its colour, gloss becomes smoothness."""
        self.notes.append(
            f"material '{material.name}' is given by specular colour and glossiness; its diffuse colour and a "
            "roughness of one minus the glossiness stand for them"
        )
        return replace(
            material,
            base_color=self._shares(glossy, "diffuseFactor", (1.0, 1.0, 1.0, 1.0)),
            base_color_texture=texture_ref(glossy.object("diffuseTexture"), self.textures),
            metallic=0.0,
            roughness=1.0 - self._share(glossy, "glossinessFactor"),
            metallic_roughness_texture=None,
        )

    def _record(self, found: Fields, extension: Extension) -> Any:  # noqa: ANN401
        plain = extension.build()
        values: Json = {}
        for slot in extension.slots:
            if slot.texture:
                values[slot.field] = texture_ref(found.object(slot.key), self.textures)
            else:
                default = getattr(plain, slot.field)
                count = len(default) if isinstance(default, tuple) else 0
                values[slot.field] = (
                    found.numbers(slot.key, count, default) if count else found.number(slot.key, default)
                )
        coat = found.object("clearcoatNormalTexture") if extension.build is Clearcoat else None
        if coat is not None:
            values["normal_scale"] = coat.number("scale", 1.0)
        return extension.build(**values)

    @staticmethod
    def _glow(found: Fields, strength: float) -> Json:
        """A factor beyond 1 goes into the strength, so that nothing is lost."""
        emissive = found.numbers("emissiveFactor", 3, (0.0, 0.0, 0.0), low=0)
        beyond = max(1.0, *emissive)
        return {"emissive": tuple(v / beyond for v in emissive), "emissive_strength": strength * beyond}

    def _share(self, found: Fields, key: str) -> float:
        return self._within(found, key, (found.number(key, 1.0),))[0]

    def _shares(self, found: Fields, key: str, default: tuple[float, ...]) -> Any:  # noqa: ANN401
        return self._within(found, key, found.numbers(key, len(default), default))

    def _within(self, found: Fields, key: str, values: tuple[float, ...]) -> tuple[float, ...]:
        inside = tuple(min(max(v, 0.0), 1.0) for v in values)
        if inside != values:
            self.notes.append(
                f"{found.place}.{key} is not between 0 and 1 and is brought there: {values} became {inside}"
            )
        return inside


def sampler_json(sampler: Sampler) -> Json:
    """A glTF sampler."""
    mag, low = _FILTER[sampler.filter]
    return {
        "magFilter": mag,
        "minFilter": low,
        "wrapS": _WRAP[sampler.wrap_u],
        "wrapT": _WRAP[sampler.wrap_v],
    }


def sampler_from(found: Fields) -> Sampler:
    """The reverse of `sampler_json`; unknown numbers count as the default."""
    wraps = {number: name for name, number in _WRAP.items()}
    found.pass_over("name", "minFilter")
    return Sampler(
        wraps.get(found.integer("wrapS", 10497), "repeat"),  # type: ignore[arg-type]
        wraps.get(found.integer("wrapT", 10497), "repeat"),  # type: ignore[arg-type]
        "nearest" if found.integer("magFilter", 0) == _FILTER["nearest"][0] else "linear",
    )


def extensions_used(value: Any) -> set[str]:  # noqa: ANN401
    """The names of all extensions in a piece of glTF JSON."""
    if isinstance(value, dict):
        own = set(value.get("extensions", ()))
        return own.union(*(extensions_used(inner) for key, inner in value.items() if key != "extras"))
    if isinstance(value, list):
        return set().union(*(extensions_used(v) for v in value))
    return set()
