"""Records of a material → material and images, textures resolved by name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.values import number_of, numbers_of, rows_of, text_of
from pruxel.core.extract.spec import MaterialExtract
from pruxel.core.extract.validate import extract_spec
from pruxel.core.images.decode import image_info, media_type
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.origin import Origin


@dataclass(frozen=True)
class FoundTexture:
    """The bytes behind a texture's name, or why there are none."""

    path: str
    data: bytes | None
    why: str = ""


Find = Callable[[str], FoundTexture]


@dataclass(frozen=True)
class LooseMaterial:
    """A material with its images by slot, not yet placed in a scene."""

    material: Material
    images: dict[str, Image] = field(default_factory=dict)


def read_material(data: memoryview, layout: Layout, entry: str, find: Find, context: Context) -> LooseMaterial:
    """Read a material by its layout; textures that are missing or unreadable become `unresolved`."""
    spec = extract_spec(layout, MaterialExtract)
    head = parse(layout, data, entry, context)
    encoded, missing = _textures(head, spec, entry, find, context)
    alpha = "OPAQUE" if spec.alpha is None else text_of(spec.alpha, head, entry).upper()
    material = Material(
        name=entry.rsplit("/", 1)[-1].rsplit(".", 1)[0] if spec.name is None else text_of(spec.name, head, entry),
        base_color=_numbers(spec.base_color, head, entry, (1.0, 1.0, 1.0, 1.0)),  # type: ignore[arg-type]
        metallic=0.0 if spec.metallic is None else number_of(spec.metallic, head, entry),
        roughness=1.0 if spec.roughness is None else number_of(spec.roughness, head, entry),
        emissive=_numbers(spec.emissive, head, entry, (0.0, 0.0, 0.0)),  # type: ignore[arg-type]
        double_sided=spec.double_sided is not None and number_of(spec.double_sided, head, entry) != 0,
        alpha_mode=alpha if alpha in {"OPAQUE", "MASK", "BLEND"} else "OPAQUE",  # type: ignore[arg-type]
        alpha_cutoff=0.5 if spec.alpha_cutoff is None else number_of(spec.alpha_cutoff, head, entry),
        unresolved=tuple(missing),
        origin=Origin(entry=entry),
    )
    return LooseMaterial(material, _images(encoded, spec, material))


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

    @property
    def stem(self) -> str:
        return self.path.rsplit("/", 1)[-1].rsplit(".", 1)[0]


def _textures(
    head: Record, spec: MaterialExtract, entry: str, find: Find, context: Context
) -> tuple[dict[str, _Encoded], list[Unresolved]]:
    encoded: dict[str, _Encoded] = {}
    missing: list[Unresolved] = []
    if spec.textures is None:
        return encoded, missing
    for record in rows_of(spec.textures.list, head, entry):
        slot = spec.textures.slots.get(record.own(spec.textures.slot))
        name = str(record.own(spec.textures.path))
        if slot is None or not name:
            continue
        found = find(name)
        if found.data is None:
            missing.append(Unresolved(slot, name, found.why))
            continue
        try:
            image_info(found.data, found.path, context.limits)
        except InputError as error:
            missing.append(Unresolved(slot, name, error.fault.line()))
            continue
        encoded[slot] = _Encoded(EncodedImage(found.data, media_type(found.data, found.path)), found.path)
    return encoded, missing


def _images(encoded: dict[str, _Encoded], spec: MaterialExtract, material: Material) -> dict[str, Image]:
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
        images["base_color_texture"] = Image(base.stem, content, origin=Origin(entry=base.path))
    roughness, metallic, occlusion = pick("roughness"), pick("metallic"), pick("occlusion")
    if roughness is not None or metallic is not None:
        mix = ChannelMix(occlusion or 1.0, roughness or 1.0, metallic or 0.0)
        packed = next(e for e in encoded.values() if e.image in {p.image for p in (roughness, metallic) if p})
        images["metallic_roughness_texture"] = Image(f"{packed.stem}_orm", mix, origin=Origin(entry=packed.path))
        if occlusion is not None:
            images["occlusion_texture"] = images["metallic_roughness_texture"]
    normal = encoded.get("normal")
    if normal is not None:
        straight: EncodedImage | ChannelMix = normal.image
        if spec.normal_green == "down":
            straight = _green_inverted(normal.image)
        images["normal_texture"] = Image(normal.stem, straight, origin=Origin(entry=normal.path))
    for slot in ("emissive", "occlusion"):
        if slot in encoded:
            item = encoded[slot]
            images[f"{slot}_texture"] = Image(item.stem, item.image, origin=Origin(entry=item.path))
    return images


def _with_alpha(base: EncodedImage, alpha: ChannelPick) -> ChannelMix:
    return ChannelMix(ChannelPick(base, "r"), ChannelPick(base, "g"), ChannelPick(base, "b"), alpha)


def _green_inverted(normal: EncodedImage) -> ChannelMix:
    return ChannelMix(ChannelPick(normal, "r"), ChannelPick(normal, "g", inverted=True), ChannelPick(normal, "b"))
