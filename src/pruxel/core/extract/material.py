"""Records of a material → material and images, textures resolved by name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import number_of, numbers_of, rows_of, text_of
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.extract.meshes import PartMaterial
from pruxel.core.images.decode import image_info, media_type
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.origin import Origin


@dataclass(frozen=True)
class FoundTexture:
    """The bytes behind a texture's name and how they were found, or why there are none."""

    path: str
    data: bytes | None
    why: str = ""
    how: str = ""


Find = Callable[[str], FoundTexture]
MaterialSlot = Literal["base_color", "normal", "emissive", "packed", "packed2", "occlusion"]


class TextureList(Strict):
    """The records that name a material's textures: a number that `slots` explains, and a path."""

    each: ExpressionText
    """The records."""
    slot: str = "slot"
    """Their field with the slot."""
    path: str = "path"
    """Their field with the path."""
    slots: dict[int, MaterialSlot]
    """What the numbers of `slot` mean."""


class MaterialsSpec(Strict):
    """How records become materials: one an item of `each`, the whole file being one without it.

    `textures` are paths by slot, or a list of records. `channels` says in which channel of which texture a quantity
    lies: `roughness: packed.r`; a leading `~` inverts.
    """

    each: ExpressionText | None = None
    """The records that are materials."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the material."""
    base_color: ExpressionText | None = None
    """Three or four numbers."""
    metallic: ExpressionText | None = None
    """0 to 1."""
    roughness: ExpressionText | None = None
    """0 to 1."""
    emissive: ExpressionText | None = None
    """Three numbers."""
    double_sided: ExpressionText | None = None
    """Whether both sides show."""
    alpha: ExpressionText | None = None
    """`OPAQUE`, `MASK` or `BLEND`."""
    alpha_cutoff: ExpressionText | None = None
    """Where `MASK` cuts."""
    textures: dict[MaterialSlot, ExpressionText] | TextureList = {}
    """Paths by slot (`base_color normal emissive occlusion packed packed2`), or a list of records."""
    channels: dict[Literal["roughness", "metallic", "opacity", "occlusion"], str] = {}
    """In which channel a quantity lies: `roughness: packed.r`; a leading `~` inverts."""
    normal_green: Literal["up", "down"] = "up"
    """`down` for normal maps whose green channel points down."""


@dataclass(frozen=True)
class LooseMaterial:
    """A material with its images by slot, not yet placed in a scene."""

    material: Material
    images: dict[str, Image] = field(default_factory=dict)


def read_materials(file: ParsedFile, find: Find, context: Context) -> list[LooseMaterial]:
    """All materials of a file; textures that are missing or unreadable become `unresolved`. Raises `InputError`."""
    spec = file.spec("materials", MaterialsSpec)
    found = []
    for number, scope in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        context.check()
        otherwise = file.stem if spec.each is None else f"{file.stem}.{number}"
        found.append(_material(spec, scope, otherwise, file.entry, find, context))
    return found


def _material(
    spec: MaterialsSpec, scope: Record, otherwise: str, entry: str, find: Find, context: Context
) -> LooseMaterial:
    encoded, missing = found_textures(texture_names(spec, scope, entry), find, context)
    alpha = "OPAQUE" if spec.alpha is None else text_of(spec.alpha, scope, entry).upper()
    material = Material(
        name=otherwise if spec.name is None else text_of(spec.name, scope, entry),
        base_color=_numbers(spec.base_color, scope, entry, (1.0, 1.0, 1.0, 1.0)),  # type: ignore[arg-type]
        metallic=0.0 if spec.metallic is None else number_of(spec.metallic, scope, entry),
        roughness=1.0 if spec.roughness is None else number_of(spec.roughness, scope, entry),
        emissive=_numbers(spec.emissive, scope, entry, (0.0, 0.0, 0.0)),  # type: ignore[arg-type]
        double_sided=spec.double_sided is not None and number_of(spec.double_sided, scope, entry) != 0,
        alpha_mode=alpha if alpha in {"OPAQUE", "MASK", "BLEND"} else "OPAQUE",  # type: ignore[arg-type]
        alpha_cutoff=0.5 if spec.alpha_cutoff is None else number_of(spec.alpha_cutoff, scope, entry),
        unresolved=tuple(missing),
        origin=Origin(entry=entry, start=scope.start),
    )
    return LooseMaterial(material, _images(encoded, spec, material))


def part_material(said: PartMaterial, entry: str, find: Find, context: Context) -> LooseMaterial:
    """The material of a part that names its textures or a colour itself."""
    encoded, missing = found_textures(list(said.textures), find, context)
    color = (*(said.base_color or (1.0, 1.0, 1.0)), 1.0)[:4]
    material = Material(
        said.name,
        base_color=color,  # type: ignore[arg-type]
        metallic=0.0,
        roughness=1.0,
        alpha_mode=said.alpha if said.alpha in {"MASK", "BLEND"} else "OPAQUE",  # type: ignore[arg-type]
        unresolved=tuple(missing),
        origin=Origin(entry=entry),
    )
    return LooseMaterial(material, _images(encoded, MaterialsSpec(), material))


def _numbers(text: str | None, head: Record, entry: str, otherwise: tuple[float, ...]) -> tuple[float, ...]:
    """As many numbers as `otherwise` has; where fewer are given, ones fill up."""
    if text is None:
        return otherwise
    found = numbers_of(text, head, entry, *range(1, 17))
    return (*found, *(1.0 for _ in otherwise))[: len(otherwise)]


@dataclass(frozen=True)
class _Encoded:
    image: EncodedImage
    path: str
    how: str

    @property
    def origin(self) -> Origin:
        return Origin(entry=self.path, found=self.how)

    @property
    def stem(self) -> str:
        return self.path.rsplit("/", 1)[-1].rsplit(".", 1)[0]


def texture_names(spec: MaterialsSpec, scope: Record, entry: str) -> list[tuple[str, str]]:
    """Slot and name of each texture that a material names; raises `InputError`."""
    if isinstance(spec.textures, dict):
        named = [(str(slot), text_of(text, scope, entry)) for slot, text in spec.textures.items()]
        return [(slot, name) for slot, name in named if name]
    found: list[tuple[str, str]] = []
    for record in rows_of(spec.textures.each, scope, entry):
        slot = spec.textures.slots.get(record.own(spec.textures.slot))
        name = str(record.own(spec.textures.path))
        if slot is not None and name:
            found.append((slot, name))
    return found


def found_textures(
    names: list[tuple[str, str]], find: Find, context: Context
) -> tuple[dict[str, _Encoded], list[Unresolved]]:
    """The images of textures by slot, and those that cannot be had, with the reason."""
    encoded: dict[str, _Encoded] = {}
    missing: list[Unresolved] = []
    for slot, name in names:
        found = find(name)
        if found.data is None:
            missing.append(Unresolved(slot, name, found.why))
            continue
        try:
            image_info(found.data, found.path, context.limits)
        except InputError as error:
            missing.append(Unresolved(slot, name, error.fault.line()))
            continue
        encoded[slot] = _Encoded(EncodedImage(found.data, media_type(found.data, found.path)), found.path, found.how)
    return encoded, missing


def _images(encoded: dict[str, _Encoded], spec: MaterialsSpec, material: Material) -> dict[str, Image]:
    """The images of glTF's slots, channels put where glTF wants them."""
    images: dict[str, Image] = {}

    def pick(quantity: str) -> ChannelPick | None:
        where = spec.channels.get(quantity)  # type: ignore[call-overload]
        if where is None:
            return None
        slot, _, channel = where.lstrip("~").partition(".")
        source = encoded.get(slot)
        return None if source is None else ChannelPick(source.image, channel, where.startswith("~"))

    base, opacity = encoded.get("base_color"), pick("opacity")
    if base is not None:
        content: EncodedImage | ChannelMix = base.image
        if material.alpha_mode == "OPAQUE":
            content = base.image
        elif opacity is not None:
            content = _with_alpha(base.image, opacity)
        images["base_color_texture"] = Image(base.stem, content, origin=base.origin)
    roughness, metallic, occlusion = pick("roughness"), pick("metallic"), pick("occlusion")
    if roughness is not None or metallic is not None:
        mix = ChannelMix(occlusion or 1.0, roughness or 1.0, metallic or 0.0)
        packed = next(e for e in encoded.values() if e.image in {p.image for p in (roughness, metallic) if p})
        images["metallic_roughness_texture"] = Image(f"{packed.stem}_orm", mix, origin=packed.origin)
        if occlusion is not None:
            images["occlusion_texture"] = images["metallic_roughness_texture"]
    normal = encoded.get("normal")
    if normal is not None:
        straight: EncodedImage | ChannelMix = normal.image
        if spec.normal_green == "down":
            straight = _green_inverted(normal.image)
        images["normal_texture"] = Image(normal.stem, straight, origin=normal.origin)
    for slot in ("emissive", "occlusion"):
        if slot in encoded:
            item = encoded[slot]
            images[f"{slot}_texture"] = Image(item.stem, item.image, origin=item.origin)
    return images


def _with_alpha(base: EncodedImage, alpha: ChannelPick) -> ChannelMix:
    return ChannelMix(ChannelPick(base, "r"), ChannelPick(base, "g"), ChannelPick(base, "b"), alpha)


def _green_inverted(normal: EncodedImage) -> ChannelMix:
    return ChannelMix(ChannelPick(normal, "r"), ChannelPick(normal, "g", inverted=True), ChannelPick(normal, "b"))
