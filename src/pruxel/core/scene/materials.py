"""Materials: glTF 2.0 metallic-roughness and the ratified material extensions."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field
from typing import Literal

from pruxel.core.scene.origin import Origin
from pruxel.core.scene.references import points_to

Vec2 = tuple[float, float]
Vec3 = tuple[float, float, float]
Vec4 = tuple[float, float, float, float]
Wrap = Literal["repeat", "clamp", "mirror"]
Filter = Literal["linear", "nearest"]


@dataclass(frozen=True)
class Sampler:
    """How a texture is read outside 0..1 and between texels."""

    wrap_u: Wrap = "repeat"
    wrap_v: Wrap = "repeat"
    filter: Filter = "linear"


@dataclass(frozen=True)
class Texture:
    """An image with a sampler."""

    image: int = field(metadata=points_to("images"))
    sampler: Sampler = field(default_factory=Sampler)
    _: KW_ONLY
    extras: str = ""


@dataclass(frozen=True)
class TextureRef:
    """Use of a texture by a material slot.

    `offset`, `rotation_rad` and `scale` act on UVs as in KHR_texture_transform.
    """

    texture: int = field(metadata=points_to("textures"))
    _: KW_ONLY
    uv_set: int = 0
    offset: Vec2 = (0.0, 0.0)
    rotation_rad: float = 0.0
    scale: Vec2 = (1.0, 1.0)


@dataclass(frozen=True)
class Clearcoat:
    """KHR_materials_clearcoat."""

    factor: float = 0.0
    texture: TextureRef | None = None
    roughness: float = 0.0
    roughness_texture: TextureRef | None = None
    normal_texture: TextureRef | None = None
    normal_scale: float = 1.0


@dataclass(frozen=True)
class Sheen:
    """KHR_materials_sheen."""

    color: Vec3 = (0.0, 0.0, 0.0)
    color_texture: TextureRef | None = None
    roughness: float = 0.0
    roughness_texture: TextureRef | None = None


@dataclass(frozen=True)
class Specular:
    """KHR_materials_specular."""

    factor: float = 1.0
    texture: TextureRef | None = None
    color: Vec3 = (1.0, 1.0, 1.0)
    color_texture: TextureRef | None = None


@dataclass(frozen=True)
class Transmission:
    """KHR_materials_transmission."""

    factor: float = 0.0
    texture: TextureRef | None = None


@dataclass(frozen=True)
class Volume:
    """KHR_materials_volume; `thickness` and `attenuation_distance` in metres."""

    thickness: float = 0.0
    thickness_texture: TextureRef | None = None
    attenuation_distance: float | None = None
    attenuation_color: Vec3 = (1.0, 1.0, 1.0)


@dataclass(frozen=True)
class Iridescence:
    """KHR_materials_iridescence; thicknesses in nanometres."""

    factor: float = 0.0
    texture: TextureRef | None = None
    ior: float = 1.3
    thickness_min_nm: float = 100.0
    thickness_max_nm: float = 400.0
    thickness_texture: TextureRef | None = None


@dataclass(frozen=True)
class Anisotropy:
    """KHR_materials_anisotropy."""

    strength: float = 0.0
    rotation_rad: float = 0.0
    texture: TextureRef | None = None


@dataclass(frozen=True)
class Unresolved:
    """A texture that a file names and nobody could supply: the slot, the name, and why."""

    slot: str
    name: str
    why: str


@dataclass(frozen=True)
class Material:
    """A surface. Colours are linear; texture meanings are those of glTF 2.0."""

    name: str
    _: KW_ONLY
    base_color: Vec4 = (1.0, 1.0, 1.0, 1.0)
    base_color_texture: TextureRef | None = None
    metallic: float = 0.0
    roughness: float = 1.0
    metallic_roughness_texture: TextureRef | None = None
    normal_texture: TextureRef | None = None
    normal_scale: float = 1.0
    occlusion_texture: TextureRef | None = None
    occlusion_strength: float = 1.0
    emissive: Vec3 = (0.0, 0.0, 0.0)
    emissive_strength: float = 1.0
    emissive_texture: TextureRef | None = None
    alpha_mode: Literal["OPAQUE", "MASK", "BLEND"] = "OPAQUE"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    unlit: bool = False
    ior: float = 1.5
    clearcoat: Clearcoat | None = None
    sheen: Sheen | None = None
    specular: Specular | None = None
    transmission: Transmission | None = None
    iridescence: Iridescence | None = None
    anisotropy: Anisotropy | None = None
    volume: Volume | None = None
    dispersion: float = 0.0
    extras: str = ""
    unresolved: tuple[Unresolved, ...] = ()
    origin: Origin = field(default_factory=Origin)
