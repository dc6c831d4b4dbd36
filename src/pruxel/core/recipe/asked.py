"""What the reader of an open format asks for by name, where that leads, and which of the scene came from there."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.formats.registry import Format
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.sources.references import Resolution
from pruxel.core.sources.stack import MergedView


@dataclass(frozen=True)
class Asked:
    """Gives the bytes of entries that the one at `path` names, and keeps what was asked for."""

    stack: MergedView
    path: str
    context: Context
    _places: dict[str, Resolution] = field(default_factory=dict)
    _given: dict[bytes, str] = field(default_factory=dict)

    def __call__(self, name: str) -> bytes | None:
        """The bytes of the entry that a name leads to; None where it leads nowhere. Raises `InputError`."""
        if name not in self._places:
            self._places[name] = self.stack.resolve(name, self.path)
        place = self._places[name]
        if place.path is None:
            return None
        data = bytes(self.stack.read(place.path, self.context))
        self._given.setdefault(data, name)
        return data

    def mentioned(self, spec: Format, data: memoryview) -> list[str]:
        """The names in the entry's own bytes. Raises `InputError` where it cannot be read and nothing was named."""
        try:
            if spec.read is not None:
                spec.read(data, self.path, self, self.context)
        except InputError:
            # What a model lacks is not the least of what it mentions.
            if not self.names():
                raise
        return self.names()

    def names(self) -> list[str]:
        """All that is mentioned, in the order of asking, each file once.

        Readers look for a file in several folders: only where none of them has it, it is one that leads nowhere.
        """
        there = {_last(name) for name, place in self._places.items() if place.path is not None}
        found: dict[str, str] = {}
        for name, place in self._places.items():
            if place.path is not None:
                found.setdefault(place.path, name)
            elif _last(name) not in there:
                found.setdefault(_last(name), name)
        return list(found.values())

    def told(self, scene: Scene) -> Scene:
        """The scene whose pictures and materials say which entry they are from, and how it was found."""
        return replace(
            scene,
            images=tuple(self._image(one) for one in scene.images),
            materials=tuple(self._material(one) for one in scene.materials),
        )

    def _image(self, image: Image) -> Image:
        if not isinstance(image.content, EncodedImage) or image.origin.entry not in {"", self.path}:
            return image
        name = self._given.get(image.content.data)
        return image if name is None else replace(image, origin=self._origin(name))

    def _material(self, material: Material) -> Material:
        name = material.origin.entry
        return replace(material, origin=self._origin(name)) if name in self._places else material

    def _origin(self, name: str) -> Origin:
        place = self._places[name]
        return Origin(entry=place.path or "", found=place.how)


def _last(name: str) -> str:
    return name.replace("\\", "/").rstrip("/").rpartition("/")[2].lower()
