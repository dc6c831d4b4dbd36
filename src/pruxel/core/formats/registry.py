"""What a format offers, and the list of all formats."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault
from pruxel.core.base.registry import Registry
from pruxel.core.scene.model import Scene

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


Read = Callable[[memoryview, str, Find, Context], ReadResult]
Write = Callable[[Scene, str, Context], list[OutFile]]


@dataclass(frozen=True)
class Format:
    """One open format. `carries` names what of a scene survives in it; `write` yields the main file first."""

    name: str
    title: str
    extensions: tuple[str, ...]
    media_type: str
    carries: frozenset[str]
    write: Write | None = None
    read: Read | None = None


FORMATS: Registry[Format] = Registry("format")

CARRIABLE = ("tree", "materials", "textures", "normals", "uvs", "colors", "skins", "clips", "targets", "instances")


def register(spec: Format) -> Format:
    """Add a format to the list."""
    FORMATS.add(spec.name, spec)
    return spec


def format_for(name: str) -> Format | None:
    """The readable format of a file name's ending."""
    ending = name.rsplit(".", 1)[-1].lower()
    return next((f for f in FORMATS if f.read is not None and ending in f.extensions), None)


def lost(scene: Scene, spec: Format) -> Sequence[str]:
    """What the scene has and the format cannot carry, in words."""
    prims = [p for m in scene.meshes for p in m.primitives]
    present = {
        "skins": bool(scene.skins),
        "clips": bool(scene.clips),
        "targets": any(p.targets for p in prims),
        "colors": any(p.colors is not None for p in prims),
        "tree": any(node.children for node in scene.nodes),
    }
    words = {
        "skins": "skeletons and weights",
        "clips": "animation clips",
        "targets": "morph targets",
        "colors": "vertex colours",
        "tree": "the tree of nodes (parts are placed where they stand)",
    }
    return [words[key] for key, there in present.items() if there and key not in spec.carries]
