"""MTL: materials as text, read and written. Source.

Wavefront, "MTL material format", and the PBR keys in common use.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from pruxel.core.formats.loose_materials import LooseMaterial, Pair
from pruxel.core.formats.obj.encoding import plain_lines, words_of
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
# How many words follow an option of a texture, at the most.
_OPTIONS = {"-mm": 2, "-o": 3, "-s": 3, "-t": 3}
_OPTIONS |= dict.fromkeys(("-bm", "-blendu", "-blendv", "-clamp", "-imfchan", "-texres", "-boost", "-cc", "-type"), 1)
# Keys of the older model of light that metallic-roughness has no place for, or that follow from others.
_FOLLOWS = frozenset({"ka", "ks", "illum", "ns"})


def parse_mtl(data: bytes, name: str, notes: list[str]) -> dict[str, LooseMaterial]:
    """All materials by name; keys that have no place are told in `notes`."""
    found: dict[str, LooseMaterial] = {}
    passed: Counter[str] = Counter()
    current: str | None = None
    for line in bytes(plain_lines(memoryview(data), name, notes)).splitlines():
        key, rest = words_of(line)
        if key == "newmtl":
            current = rest
            found[current] = LooseMaterial(Material(current))
        elif current is not None and key and not key.startswith("#"):
            loose = _with_line(found[current], key.lower(), rest, passed)
            if loose is not None:
                found[current] = loose
            elif key.lower() not in _FOLLOWS:
                passed[key[:40]] += 1
    if passed:
        words = ", ".join(f"{key} ({count:,} times)" if count > 1 else key for key, count in sorted(passed.items()))
        notes.append(f"{name}: not taken over: {words}")
    return found


def _with_line(loose: LooseMaterial, key: str, rest: str, passed: Counter[str]) -> LooseMaterial | None:
    """The material with one line taken in; None when the line says nothing that there is a place for."""
    if key in _MAP_SLOTS:
        return _with_texture(loose, _MAP_SLOTS[key], rest, passed)
    try:
        values = [float(word) for word in rest.split()[:3]]
    except ValueError:
        return None
    if not values or not all(abs(v) < 1e9 for v in values):
        return None
    material, first = loose.material, values[0]
    share = min(max(first, 0.0), 1.0)
    triple = (first, values[1] if len(values) > 1 else first, values[2] if len(values) > 2 else first)
    r, g, b = (min(max(v, 0.0), 1.0) for v in triple)
    if key == "kd":
        return replace(loose, material=replace(material, base_color=(r, g, b, material.base_color[3])))
    if key == "ke":
        beyond = max(1.0, *triple)
        r, g, b = (max(v, 0.0) / beyond for v in triple)
        return replace(loose, material=replace(material, emissive=(r, g, b), emissive_strength=beyond))
    if key in {"d", "tr"}:
        alpha = share if key == "d" else 1.0 - share
        mode = "BLEND" if alpha < 1.0 else material.alpha_mode
        changed = replace(material, base_color=(*material.base_color[:3], alpha), alpha_mode=mode)
        return replace(loose, material=changed)
    if key in {"pr", "pm"}:
        rough = replace(material, roughness=share) if key == "pr" else replace(material, metallic=share)
        return replace(loose, material=rough)
    if key == "ni":
        return replace(loose, material=replace(material, ior=max(first, 1.0)))
    if key == "ns" and material.roughness == 1.0:
        # Beckmann's relation between the Phong exponent and roughness: alpha² = 2 / (n + 2), roughness = sqrt(alpha).
        return replace(loose, material=replace(material, roughness=(2.0 / (max(first, 0.0) + 2.0)) ** 0.25))
    return None


def _with_texture(loose: LooseMaterial, slot: str, rest: str, passed: Counter[str]) -> LooseMaterial | None:
    options, link = _options(rest)
    if not link:
        return None
    scale, offset = _pair(options.pop("-s", None), 1.0), _pair(options.pop("-o", None), 0.0)
    if slot == "normal" and "-bm" in options and _is_number(options["-bm"][0]):
        strength = float(options.pop("-bm")[0])
        loose = replace(loose, material=replace(loose.material, normal_scale=min(max(strength, -10.0), 10.0)))
    passed.update(list(options))
    moves = loose.moves if (scale, offset) == ((1.0, 1.0), (0.0, 0.0)) else loose.moves | {slot: (scale, offset)}
    return replace(loose, textures=loose.textures | {slot: link}, moves=moves)


def _pair(words: list[str] | None, default: float) -> Pair:
    """The first two of up to three numbers; the second is the first where only one is given for a scale."""
    numbers = [float(word) for word in words or () if _is_number(word)]
    numbers = [v for v in numbers if abs(v) < 1e6]
    u = numbers[0] if numbers else default
    return (u, numbers[1] if len(numbers) > 1 else default)


def _options(rest: str) -> tuple[dict[str, list[str]], str]:
    """The options before a texture's file name, and the name, which may hold blanks."""
    words, options = rest.split(), dict[str, list[str]]()
    while words and words[0] in _OPTIONS:
        option, count = words[0], _OPTIONS[words[0]]
        words = words[1:]
        options[option] = []
        while count and len(words) > 1 and (_is_number(words[0]) or count == 1):
            options[option].append(words[0])
            words, count = words[1:], count - 1
    return options, rest[rest.index(words[0]) :] if words else ""


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
