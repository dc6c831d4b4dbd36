"""What a format offers, and the list of all formats."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, UsageError
from pruxel.core.base.registry import Registry
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Primitive, Scene

Find = Callable[[str], bytes | None]


@dataclass(frozen=True)
class OutFile:
    """One file to be written: a relative path and its bytes in pieces.

    Arrays go to disk uncopied; pieces that are made while they are walked over (text, say) never lie in memory whole.
    """

    path: str
    pieces: Iterable[Bytes]


@dataclass(frozen=True)
class ReadResult:
    """A scene, and what of the file could not be used."""

    scene: Scene
    faults: tuple[Fault, ...] = ()


class Options(BaseModel):
    """What may be chosen of how a format is written; each field says what it means and has a value to begin with."""

    model_config = ConfigDict(frozen=True, extra="forbid")


Read = Callable[[memoryview, str, Find, Context], ReadResult]
Write = Callable[[Scene, str, Any, Context], list[OutFile]]


@dataclass(frozen=True)
class Format:
    """One open format. `carries` names what of a scene survives in it; `write` yields the main file first.

    `options` is the model of what may be chosen, which `write` is given. `judges` names the readers that prove a file,
    none of them ours; `pictures` the media types of textures that it can link. `losses` tells what else of one scene it
    cannot carry, `begins` whether first bytes are of it.
    """

    name: str
    title: str
    extensions: tuple[str, ...]
    media_type: str
    carries: frozenset[str]
    write: Write | None = None
    read: Read | None = None
    losses: Callable[[Scene], list[str]] | None = None
    begins: Callable[[bytes], bool] | None = None
    options: type[Options] = Options
    judges: tuple[str, ...] = ()
    pictures: frozenset[str] = frozenset({"image/png", "image/jpeg"})

    def chosen(self, values: Mapping[str, Any]) -> Options:
        """Options from what somebody wrote; raises `UsageError` that names each that is wrong."""
        try:
            return self.options.model_validate(dict(values))
        except ValidationError as error:
            raise UsageError(
                ErrorCode.USAGE,
                f"an option of {self.title} is wrong",
                field=", ".join(".".join(map(str, one["loc"])) for one in error.errors()),
                expected="; ".join(one["msg"] for one in error.errors()),
                found=", ".join(f"{key}={value}" for key, value in values.items()),
                hint="Options: " + (", ".join(self.options.model_fields) or "none"),
            ) from None


FORMATS: Registry[Format] = Registry("format")

# What a scene can hold beyond triangles, each with the words for it and whether a scene has it.
CARRIABLE: dict[str, tuple[str, Callable[[Scene], bool]]] = {
    "materials": ("materials", lambda s: bool(s.materials)),
    "textures": ("textures", lambda s: bool(s.images)),
    "mapping": ("texture coordinates", lambda s: any(p.uvs for p in _primitives(s))),
    "tree": ("the tree of nodes (parts are placed where they stand)", lambda s: any(n.children for n in s.nodes)),
    "skins": ("skeletons and weights (parts are written as they stand)", lambda s: bool(s.skins)),
    "clips": ("animation clips", lambda s: bool(s.clips)),
    "shown": ("when parts are to be seen in clips", lambda s: any(clip.shown for clip in s.clips)),
    "looks": ("how materials change in clips", lambda s: any(clip.looks for clip in s.clips)),
    "targets": ("morph targets", lambda s: any(p.targets for p in _primitives(s))),
    "colors": ("vertex colours", lambda s: any(p.colors for p in _primitives(s))),
    "uvs": ("texture coordinates beyond the first set", lambda s: any(len(p.uvs) > 1 for p in _primitives(s))),
    "attributes": ("attributes of the file's own", lambda s: any(p.attributes for p in _primitives(s))),
    "polygons": (
        "polygons (they are cut into triangles)",
        lambda s: any(p.face_sizes is not None for p in _primitives(s)),
    ),
    "variants": ("variants of materials", lambda s: any(p.dressings for p in _primitives(s))),
    "strokes": ("points and lines", lambda s: any(mesh.strokes for mesh in s.meshes)),
    "occlusion": ("occlusion maps", lambda s: any(m.occlusion_texture is not None for m in s.materials)),
    "cutouts": (
        "that opacity cuts out (it is seen through by degrees)",
        lambda s: any(m.alpha_mode == "MASK" for m in s.materials),
    ),
    "unlit": ("that materials are not lit", lambda s: any(m.unlit for m in s.materials)),
    "layers": ("clear coats and other layers of materials", lambda s: any(_layered(m) for m in s.materials)),
    "cameras": ("cameras", lambda s: bool(s.cameras)),
    "lights": ("lights", lambda s: bool(s.lights)),
    "stages": ("scenes beside the shown one", lambda s: bool(s.stages)),
    "extras": ("what the file says of its own (extras)", lambda s: bool(_extras(s))),
}

# What is not told of where the whole that it belongs to is lost.
_PART_OF = {"occlusion": "textures", "cutouts": "textures", "unlit": "materials", "layers": "materials"}
_PART_OF |= {"shown": "clips", "looks": "clips", "uvs": "mapping"}


def _primitives(scene: Scene) -> Iterator[Primitive]:
    return (primitive for mesh in scene.meshes for primitive in mesh.primitives)


def _layered(material: Material) -> bool:
    layers = ("clearcoat", "sheen", "specular", "transmission", "iridescence", "anisotropy", "volume")
    return any(getattr(material, layer) is not None for layer in layers)


def _extras(scene: Scene) -> list[str]:
    tables = (scene.nodes, scene.meshes, scene.materials, scene.skins, scene.clips, scene.cameras, scene.lights)
    return [text for table in tables for item in table if (text := item.extras)] + (
        [scene.extras] if scene.extras else []
    )


def register(spec: Format) -> Format:
    """Add a format to the list."""
    FORMATS.add(spec.name, spec)
    return spec


def format_for(name: str, head: bytes) -> Format | None:
    """The readable format of a file: what its first bytes say goes before its name's ending."""
    ending = name.rsplit(".", 1)[-1].lower()
    readable = [one for one in FORMATS if one.read is not None]
    begun = [one for one in readable if one.begins is not None and one.begins(head)]
    named = [one for one in readable if ending in one.extensions]
    return next(iter([*(one for one in named if one in begun), *begun, *named]), None)


def lost(scene: Scene, spec: Format) -> Sequence[str]:
    """What the scene has and the format cannot carry, in words."""
    gone = {key for key in CARRIABLE if key not in spec.carries}
    told = (CARRIABLE[key] for key in CARRIABLE if key in gone and _PART_OF.get(key) not in gone)
    words = [text for text, there in told if there(scene)]
    return words + ([] if spec.losses is None else spec.losses(scene))
