"""Effects → materials with the names of their textures."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import unquote

import numpy as np

from pruxel.core.formats.collada.document import Document
from pruxel.core.formats.loose_materials import LooseMaterial
from pruxel.core.formats.xml import Tag
from pruxel.core.scene.materials import Material

_SHADERS = ("phong", "blinn", "lambert", "constant")
_TEXTURED = {"diffuse": "base_color", "emission": "emissive", "transparent": "opacity", "bump": "normal"}
_TEXTURED |= {"normal": "normal", "normalmap": "normal"}


@dataclass(frozen=True)
class Bound:
    """A material as a part wears it: UV sets by the names that the material's textures have for them."""

    material: Tag
    uv_sets: Mapping[str, int]


def loose_material(document: Document, bound: Bound, sets: tuple[int, ...]) -> LooseMaterial:
    """The material; `sets` are the numbers of the part's UV sets, in their order.

    Colours are taken as linear light: the document does not say.
    """
    name = bound.material.get("name") or bound.material.get("id") or "material"
    effect = document.target(bound.material.first("instance_effect"))
    profile = None if effect is None else effect.first("profile_COMMON")
    technique = None if profile is None else profile.first("technique")
    shader = None if technique is None else next(technique.all(*_SHADERS), None)
    if effect is None or profile is None or shader is None:
        return LooseMaterial(Material(name))
    textures: dict[str, str] = {}
    numbers: dict[str, int] = {}
    for tag in [*shader.children, *_extra(technique), *_extra(profile), *_extra(effect)]:
        texture, slot = tag.first("texture"), _TEXTURED.get(tag.name)
        if texture is None or slot is None or slot in textures:
            continue
        link = _link(document, profile, texture.get("texture"))
        if not link:
            document.tell(f"material '{name}' names texture '{texture.get('texture')[:60]}', which is no picture", tag)
            continue
        textures[slot] = link
        number = bound.uv_sets.get(texture.get("texcoord"))
        if number in sets and sets.index(number):
            numbers[slot] = sets.index(number)
    if textures.get("opacity") == textures.get("base_color"):
        textures.pop("opacity", None)  # its alpha is in the picture of the colour already
    sided = any(tag.text.strip() in {"1", "true"} for part in _extra(effect) + _extra(profile) + _extra(technique)
                for tag in part.under() if tag.name == "double_sided")  # fmt: skip
    return LooseMaterial(_material(document, name, shader, textures, double_sided=sided), textures, {}, numbers)


def _extra(tag: Tag | None) -> list[Tag]:
    """What stands in the techniques of `extra`."""
    if tag is None:
        return []
    return [child for extra in tag.all("extra") for technique in extra.all("technique") for child in technique.children]


def _link(document: Document, profile: Tag, name: str) -> str:
    """The file of a picture, by the sampler, the surface or the image that a texture names."""
    for _ in range(4):
        image = document.find(name)
        if image is not None and image.name == "image":
            return _file(image)
        param = next((p for p in profile.all("newparam") if p.get("sid") == name), None)
        if param is None:
            return ""
        sampler, surface = param.first("sampler2D"), param.first("surface")
        if sampler is not None:
            source = sampler.first("source")
            direct = sampler.first("instance_image")
            name = source.text.strip() if source is not None else "" if direct is None else direct.get("url")
        elif surface is not None and (start := surface.first("init_from")) is not None:
            name = start.text.strip()
        else:
            return ""
    return ""


def _file(image: Tag) -> str:
    start = image.first("init_from")
    if start is None:
        return ""
    inner = start.first("ref")
    text = unquote((start if inner is None else inner).text.strip())
    return text.removeprefix("file://").removeprefix("./")


def _material(
    document: Document, name: str, shader: Tag, textures: Mapping[str, str], *, double_sided: bool
) -> Material:
    r, g, b, own_alpha = _color(document, shader, "diffuse", (1.0, 1.0, 1.0, 1.0))
    if "base_color" in textures:
        r, g, b, own_alpha = 1.0, 1.0, 1.0, 1.0
    glow = _color(document, shader, "emission", (0.0, 0.0, 0.0, 1.0))
    if shader.name == "constant" and "diffuse" not in {t.name for t in shader.children}:
        r, g, b = glow[:3]
    if "emissive" in textures:
        glow = (1.0, 1.0, 1.0, 1.0)
    shine = _number(document, shader, "shininess", 0.0)
    alpha = min(own_alpha, _alpha(document, shader))
    return Material(
        name,
        base_color=(r, g, b, alpha),
        # Exponents from 1 to 100 and shares of 1 are both in use.
        roughness=float(1 - np.sqrt(np.clip(shine if shine > 1 else shine * 100, 0, 100)) / 10),
        emissive=glow[:3],
        alpha_mode="BLEND" if alpha < 1 or "opacity" in textures else "OPAQUE",
        double_sided=double_sided,
    )


def _color(
    document: Document, shader: Tag, key: str, default: tuple[float, float, float, float]
) -> tuple[float, float, float, float]:
    values = document.numbers(shader.first(key, "color"))
    if len(values) < 3 or not np.isfinite(values).all():
        return default
    r, g, b = np.clip(values[:3], 0, 1).tolist()
    return r, g, b, float(np.clip(values[3], 0, 1)) if len(values) > 3 else 1.0


def _number(document: Document, shader: Tag, key: str, default: float) -> float:
    value = float(document.numbers(shader.first(key, "float"), (default,))[0])
    return value if np.isfinite(value) else default


def _alpha(document: Document, shader: Tag) -> float:
    """How opaque: A_ONE says it by alpha, RGB_ZERO by how dark; of a full transparency that hides all, nothing is kept.

    Many files say 0 for "all opaque" or 1 for "not at all" against the specification: what would be invisible is not.
    """
    transparent = shader.first("transparent")
    share = _number(document, shader, "transparency", 1.0)
    if transparent is None and shader.first("transparency") is None:
        return 1.0
    mode = "A_ONE" if transparent is None else transparent.get("opaque") or "A_ONE"
    r, g, b, a = _color(document, shader, "transparent", (1.0, 1.0, 1.0, 1.0))
    luminance = 0.212671 * r + 0.71516 * g + 0.072169 * b
    found = {
        "A_ONE": a * share,
        "A_ZERO": 1 - a * share,
        "RGB_ZERO": 1 - luminance * share,
        "RGB_ONE": luminance * share,
    }.get(mode, 1.0)
    return min(max(found, 0.0), 1.0) if found > 1e-3 else 1.0
