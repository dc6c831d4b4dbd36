"""Channel schemes: what the channels of a game's packed textures mean, by what the files are called."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from pydantic import Field

from pruxel.core.binary.schema import Strict
from pruxel.core.knowledge.patterns import matches
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.meanings import Meaning, noted
from pruxel.core.scene.model import Scene


class SchemeSpec(Strict):
    """What is in which channel of the textures that match; `nothing` where there is nothing to be had."""

    name: str
    match: tuple[str, ...] = Field(min_length=1)
    red: Meaning = "nothing"
    green: Meaning = "nothing"
    blue: Meaning = "nothing"
    alpha: Meaning = "nothing"

    def meanings(self) -> dict[str, Meaning]:
        """By channel."""
        return {"red": self.red, "green": self.green, "blue": self.blue, "alpha": self.alpha}


def _fits(image: Image, scheme: SchemeSpec) -> bool:
    """By the path that it came from; where a format keeps no paths, by its name and the pattern's without folder."""
    if image.origin.entry:
        return matches(image.origin.entry, scheme.match)
    bare = [pattern.rsplit("/", 1)[-1].rsplit(".", 1)[0] for pattern in scheme.match]
    return matches(image.name.rsplit("/", 1)[-1].rsplit(".", 1)[0], bare)


def with_schemes(scene: Scene, schemes: Sequence[SchemeSpec]) -> Scene:
    """The scene with the first scheme that matches noted on each image that is still as it came."""
    if not schemes:
        return scene
    images = []
    for image in scene.images:
        raw = isinstance(image.content, EncodedImage)
        found = next((s for s in schemes if raw and _fits(image, s)), None)
        images.append(image if found is None else noted(image, found.meanings()))
    return scene if images == list(scene.images) else replace(scene, images=tuple(images))
