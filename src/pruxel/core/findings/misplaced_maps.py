"""Maps that show something else than their slot wants: normals for a colour, a colour for normals."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.images.likeness import Likeness, likeness
from pruxel.core.scene.channels import SLOTS
from pruxel.core.scene.images import Image
from pruxel.core.scene.meanings import meanings_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import wearers

_HALVES = "two components of normals"


@rule("misplaced_maps", "Maps that show something else")
def misplaced_maps(scene: Scene, context: Context) -> Iterator[Finding]:
    """One finding for all maps of one slot that show the same; what channels mean by the profile is another's."""
    worn: dict[tuple[str, Likeness], dict[int, list[int]]] = {}
    for number, material in enumerate(scene.materials):
        for title in ("base colour", "normals", "light"):
            context.check()
            ref = getattr(material, SLOTS[title])
            image = None if ref is None else scene.textures[ref.texture].image
            if image is None or meanings_of(scene.images[image]):
                continue
            try:
                seen = shown_by(scene.images[image])
            except InputError:  # told by another rule
                continue
            if _wrong(title, seen):
                worn.setdefault((title, seen), {}).setdefault(image, []).append(number)
    for (title, seen), maps in worn.items():
        yield _told(scene, title, seen, maps)


def _wrong(title: str, seen: Likeness) -> bool:
    # Grey is a colour too, and so is a plain blue: only what is alive as normals are is no colour.
    return seen.shows not in {"normals", "flat normals"} if title == "normals" else seen.shows in {"normals", _HALVES}


def _told(scene: Scene, title: str, seen: Likeness, maps: Mapping[int, list[int]]) -> Finding:
    numbers = [number for some in maps.values() for number in some]
    names = list(dict.fromkeys(scene.materials[number].name for number in numbers))
    of = f"“{scene.images[next(iter(maps))].name}” shows" if len(maps) == 1 else f"{len(maps)} maps show"
    return Finding(
        rule="misplaced_maps",
        severity=Severity.WARNING,
        title=f"{of} {seen.shows}, and stand{'s' if len(maps) == 1 else ''} for {title}",
        detail=_why(title, seen),
        parts=wearers(scene, numbers),
        evidence=(Evidence("stands for", title), Evidence("shows", seen.shows), Evidence("maps", len(maps))),
        suggestion=_mended(scene, title, seen, names, maps),
    )


def _why(title: str, seen: Likeness) -> str:
    if title != "normals":
        return "Its texels are of unit length and look out of the surface: it is a normal map, drawn as a colour."
    if seen.shows == _HALVES:
        return f"Right stands in {seen.right}, up in {seen.up}; the third component must be worked out of them."
    if seen.shows == "normals of the whole model":
        return "They are seen from the model, not from the surface, which most programs cannot read."
    if seen.shows in {"colours", "one colour"}:
        return "Its texels are no directions: light falls on the surface as on noise."
    return "Its texels are no directions; where they are heights, normals can be made of them."


def _mended(
    scene: Scene, title: str, seen: Likeness, names: list[str], maps: Mapping[int, list[int]]
) -> SuggestedStep | None:
    if seen.shows == _HALVES or title != "normals":
        ways: dict[str, Any] = {"red": "nothing", "green": "nothing", "blue": "nothing", "alpha": "nothing"}
        ways |= {seen.right: "normal right", seen.up: "normal up"}
        words = "Work out the third" if title == "normals" else "Make them its normals"
        return SuggestedStep("take_apart", {"materials": names, "map": title, **ways}, words)
    if seen.shows in {"one value", "a mask"} and len(maps) == 1:
        texture = scene.images[next(iter(maps))].name
        return SuggestedStep(
            "height_to_normal", {"materials": names, "texture": texture}, "Make normals of the heights"
        )
    return None


@lru_cache(maxsize=512)
def shown_by(image: Image) -> Likeness:
    """What an image shows; raises `InputError` when it does not decode."""
    return likeness(texels(image))
