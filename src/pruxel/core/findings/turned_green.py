"""Normal maps whose green points down: dents that should be bumps."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.images.slopes import Slopes, slopes
from pruxel.core.scene.images import Image
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import wearers

_BETTER = 0.6  # the curl of the turned map, of that of the map as it is
_ROUGH = 1e-3  # mean squared slope below which a map is as good as flat


@rule("turned_green", "Normal maps with the green the other way")
def turned_green(scene: Scene, context: Context) -> Iterator[Finding]:
    """One finding for all materials whose normal maps fit together better with the green turned."""
    worn: dict[int, list[int]] = {}
    for number, material in enumerate(scene.materials):
        if material.normal_texture is not None:
            worn.setdefault(scene.textures[material.normal_texture.texture].image, []).append(number)
    found: list[int] = []
    maps: list[tuple[str, Slopes]] = []
    for image, materials in worn.items():
        context.check()
        try:
            seen = _slopes(scene.images[image])
        except InputError:  # told by another rule
            continue
        if seen.rough >= _ROUGH and seen.turned < _BETTER * seen.as_is:
            found += materials
            maps.append((scene.images[image].name, seen))
    if not found:
        return
    names = list(dict.fromkeys(scene.materials[number].name for number in found))
    name, worst = min(maps, key=lambda one: one[1].turned / one[1].as_is)
    yield Finding(
        rule="turned_green",
        severity=Severity.WARNING,
        title=f"Green of “{name}” points down" if len(maps) == 1 else f"Green of {len(maps)} normal maps points down",
        detail="Read so, its slopes do not fit together; with the green turned they do. Bumps look like dents.",
        parts=wearers(scene, found),
        evidence=(
            Evidence("what does not fit, as it is", float(f"{worst.as_is:.3g}")),
            Evidence("with the green turned", float(f"{worst.turned:.3g}")),
            Evidence("told from", f"{_BETTER:.0%} and less"),
            Evidence("normal maps", len(maps)),
        ),
        suggestion=SuggestedStep("turn_green", {"materials": names}, "Turn the green"),
    )


@lru_cache(maxsize=256)
def _slopes(image: Image) -> Slopes:
    return slopes(texels(image))
