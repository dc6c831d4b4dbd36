"""MTL: materials as text, read and written."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material


def material_text(material: Material, name: str, links: dict[str, str]) -> str:
    """One `newmtl` block; `links` are relative texture paths by MTL key (`map_Kd`, `norm`, `map_Pr`, …)."""
    red, green, blue, alpha = material.base_color
    lines = [
        f"newmtl {name}",
        f"Kd {red:.6g} {green:.6g} {blue:.6g}",
        "Ks 0 0 0" if material.metallic < 0.5 else f"Ks {red:.6g} {green:.6g} {blue:.6g}",
        f"Ke {' '.join(f'{v * material.emissive_strength:.6g}' for v in material.emissive)}",
        f"d {alpha if material.alpha_mode != 'OPAQUE' else 1.0:.6g}",
        f"Pr {material.roughness:.6g}",
        f"Pm {material.metallic:.6g}",
        f"Ni {material.ior:.6g}",
        "illum 2",
        *(f"{key} {path}" for key, path in links.items()),
    ]
    return "\n".join(lines) + "\n"


@dataclass(frozen=True)
class LooseMtl:
    """A material read from MTL, its texture names by our slots."""

    material: Material
    textures: dict[str, str] = field(default_factory=dict)


_MAP_SLOTS = {
    "map_kd": "base_color",
    "map_ke": "emissive",
    "norm": "normal",
    "map_bump": "normal",
    "bump": "normal",
    "map_pr": "roughness",
    "map_pm": "metallic",
    "map_d": "opacity",
}
_OPTIONS = {"-mm": 2, "-o": 3, "-s": 3, "-t": 3}
_OPTIONS |= dict.fromkeys(("-bm", "-blendu", "-blendv", "-clamp", "-imfchan", "-texres", "-boost"), 1)


def parse_mtl(text: str) -> dict[str, LooseMtl]:
    """All materials by name; lines that make no sense are passed over, as the format asks."""
    found: dict[str, LooseMtl] = {}
    current: str | None = None
    for line in text.splitlines():
        key, _, rest = line.strip().partition(" ")
        rest = rest.strip()
        if key == "newmtl":
            current = rest
            found[current] = LooseMtl(Material(current))
        elif current is not None and key and not key.startswith("#"):
            found[current] = _with_line(found[current], key.lower(), rest)
    return found


def _with_line(loose: LooseMtl, key: str, rest: str) -> LooseMtl:
    if key in _MAP_SLOTS:
        name = _texture_name(rest)
        return replace(loose, textures=loose.textures | {_MAP_SLOTS[key]: name}) if name else loose
    try:
        values = [float(word) for word in rest.split()[:3]]
    except ValueError:
        return loose
    if not values:
        return loose
    material, first = loose.material, values[0]
    triple = (first, values[1] if len(values) > 1 else first, values[2] if len(values) > 2 else first)
    if key == "kd":
        return replace(loose, material=replace(material, base_color=(*triple, material.base_color[3])))
    if key == "ke":
        return replace(loose, material=replace(material, emissive=triple))
    if key in {"d", "tr"}:
        alpha = first if key == "d" else 1.0 - first
        mode = "BLEND" if alpha < 1.0 else material.alpha_mode
        changed = replace(material, base_color=(*material.base_color[:3], alpha), alpha_mode=mode)
        return replace(loose, material=changed)
    if key in {"pr", "pm", "ni"}:
        name = {"pr": "roughness", "pm": "metallic", "ni": "ior"}[key]
        return replace(loose, material=replace(material, **{name: first}))  # type: ignore[arg-type]
    if key == "ns" and material.roughness == 1.0:
        # Beckmann's relation between the Phong exponent and roughness: alpha² = 2 / (n + 2), roughness = sqrt(alpha).
        return replace(loose, material=replace(material, roughness=(2.0 / (max(first, 0.0) + 2.0)) ** 0.25))
    return loose


def _texture_name(rest: str) -> str:
    """The file name after options such as `-bm 0.3`; names may hold spaces."""
    words = rest.split()
    while words and words[0] in _OPTIONS:
        count = _OPTIONS[words[0]]
        words = words[1:]
        while count and words and (_is_number(words[0]) or words[0] in {"on", "off"} or count == 1):
            words, count = words[1:], count - 1
    return rest[rest.index(words[0]) :] if words else ""


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def slot_images(textures: dict[str, tuple[str, EncodedImage]]) -> dict[str, Image]:
    """Images for glTF's slots from MTL's single-purpose textures: name and image by our slot."""
    images: dict[str, Image] = {}
    base, opacity = textures.get("base_color"), textures.get("opacity")
    if base is not None:
        content: EncodedImage | ChannelMix = base[1]
        if opacity is not None and opacity[1] != base[1]:
            red, green, blue = ChannelPick(base[1], "r"), ChannelPick(base[1], "g"), ChannelPick(base[1], "b")
            content = ChannelMix(red, green, blue, ChannelPick(opacity[1], "r"))
        images["base_color_texture"] = Image(base[0], content)
    rough, metal = textures.get("roughness"), textures.get("metallic")
    if rough is not None or metal is not None:
        mix = ChannelMix(
            1.0,
            ChannelPick(rough[1], "r") if rough else 1.0,
            ChannelPick(metal[1], "r") if metal else 1.0,
        )
        images["metallic_roughness_texture"] = Image((rough or metal or ("", None))[0] + "_rm", mix)
    for slot in ("normal", "emissive"):
        if slot in textures:
            images[f"{slot}_texture"] = Image(*textures[slot])
    return images
