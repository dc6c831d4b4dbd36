"""KHR_materials_variants: which material a primitive has in which variant. Source: Khronos, the extension's text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pruxel.core.formats.fields import Fields
from pruxel.core.scene.model import Dressing

VARIANTS = "KHR_materials_variants"
Json = dict[str, Any]


def names_json(names: Sequence[str]) -> Json:
    """What the document says of all variants."""
    return {VARIANTS: {"variants": [{"name": name} for name in names]}} if names else {}


def dressings_json(dressings: Sequence[Dressing], names: Sequence[str]) -> Json:
    """What a primitive says of them: for each material the variants in which it has that."""
    worn: dict[int, list[int]] = {}
    for dressing in dressings:
        worn.setdefault(dressing.material, []).append(names.index(dressing.variant))
    mappings = [{"material": material, "variants": numbers} for material, numbers in worn.items()]
    return {"extensions": {VARIANTS: {"mappings": mappings}}} if mappings else {}


def names_in(listed: Sequence[Fields]) -> tuple[str, ...]:
    """The names of all variants, each its own: the second of a name gets its number."""
    found = list[str]()
    for number, one in enumerate(listed):
        name = one.text("name", "") or f"variant {number + 1}"
        found.append(name if name not in found else f"{name}.{number + 1}")
    return tuple(found)


def dressings_in(extensions: Fields | None, names: Sequence[str], materials: int) -> tuple[Dressing, ...]:
    """A primitive's materials by variant; of a variant that has two, the first. Raises `InputError`."""
    found = None if extensions is None else extensions.object(VARIANTS)
    worn: dict[str, Dressing] = {}
    for mapping in () if found is None else found.objects("mappings"):
        mapping.pass_over("name")
        material = mapping.index("material", materials)
        for number in mapping.integers("variants", len(names)):
            worn.setdefault(names[number], Dressing(names[number], material))
    return tuple(worn.values())
