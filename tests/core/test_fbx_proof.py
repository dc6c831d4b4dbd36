"""The proof of FBX files is proven: each check refuses a file that is damaged in just its way, and good files pass."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.limits import Limits
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.fbx.binary import read_binary
from pruxel.core.formats.fbx.elements import Element, Int64, written
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS
from pruxel.core.images import png
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Scene
from tests.core.test_proof import failed
from tests.scenes import everything

CONTEXT = Context()
# What other checks may see of the same damage: corners in another order, or joints that are not found any more.
FOLLOWING = {"normals", "texture coordinates", "vertex colours", "weights", "triangles that were written"}
VERTICES = "where vertices stand at rest and at 0, 25, 50, 75, 100 % of each clip"


def scene() -> Scene:
    """A bit of everything, with two pictures that differ."""
    rng = np.random.default_rng(2)
    other = Image("second", EncodedImage(png.encode(rng.integers(0, 256, (8, 8, 4), np.uint8)), "image/png"))
    found = everything()
    return replace(found, images=(found.images[0], other))


class Document:
    """A file taken apart, so that single nodes can be changed and the whole be written again."""

    def __init__(self, data: bytes) -> None:
        self.top, self.version = read_binary(memoryview(data), "thing.fbx", Limits())
        self.objects = next(one for one in self.top if one.name == "Objects")
        self.connections = next(one for one in self.top if one.name == "Connections")

    def bytes(self) -> bytes:
        for one in self._all(self.top):
            one.properties = [_typed(p, one.name, place) for place, p in enumerate(one.properties)]
        return b"".join(bytes(piece) for piece in written(self.top, self.version, deflate=False))

    def _all(self, listed: list[Element]) -> Iterator[Element]:
        for one in listed:
            yield one
            yield from self._all(one.children)

    def named(self, kind: str, name: str) -> Element:
        return next(one for one in self.objects.all(kind) if str(one.properties[1]).split("\x00")[0] == name)

    def sorts(self, kind: str, sort: str) -> list[Element]:
        return [one for one in self.objects.all(kind) if one.properties[2] == sort]

    def array(self, one: Element, *path: str) -> np.ndarray:
        """The numbers of a node below another, which may be changed."""
        for name in path:
            found = one.first(name)
            assert found is not None
            one = found
        one.properties = [np.array(one.properties[0])]
        return one.properties[0]  # type: ignore[no-any-return]

    def setting(self, name: str, value: Any) -> None:
        for one in self._all(self.top):
            if one.name == "P" and one.properties[0] == name:
                one.properties = [*one.properties[:4], value, *one.properties[5:]]

    def curves(self, slot: str) -> list[Element]:
        """The curves that hang on a property of a curve node."""
        keys = [c.properties[1] for c in self.connections.children if len(c.properties) > 3 and c.properties[3] == slot]
        return [one for one in self.objects.all("AnimationCurve") if one.properties[0] in keys]


def _typed(value: Any, name: str, place: int) -> Any:
    """Identifiers and times count in 64 bits; reading told them as plain numbers."""
    ids = {"C": (1, 2), "Node": (0,), "RootNode": (0,), "Document": (0,)}
    wide = (
        isinstance(value, int)
        and not isinstance(value, bool)
        and (abs(value) > 2**31 - 1 or place in ids.get(name, ()))
    )
    first = place == 0 and isinstance(value, int) and value >= 1_000_000
    return Int64(value) if wide or first else value


Damage = Callable[[Document], object]


def geometry(d: Document, *path: str, name: str = "prop") -> np.ndarray:
    return d.array(d.named("Geometry", name), *path)


def turn_over(d: Document) -> None:
    corners = geometry(d, "PolygonVertexIndex").reshape(-1, 3)
    corners[:] = np.stack([~corners[:, 2], corners[:, 1], ~corners[:, 0]], axis=1)


def hole(d: Document) -> None:
    one = d.named("Geometry", "prop").first("PolygonVertexIndex")
    assert one is not None
    one.properties = [np.array(one.properties[0])[:-3]]


def swap_links(d: Document) -> None:
    first, second = (one.first("RelativeFilename") for one in d.sorts("Video", "Clip")[:2])
    assert first is not None
    assert second is not None
    first.properties, second.properties = second.properties, first.properties


def rename(d: Document) -> None:
    joint = d.named("Model", "knee")
    joint.properties = [joint.properties[0], "elbow\x00\x01Model", *joint.properties[2:]]


def reparent(d: Document) -> None:
    knee, top, hip = (d.named("Model", name).properties[0] for name in ("knee", "top", "hip"))
    link = next(c for c in d.connections.children if list(c.properties[1:3]) == [knee, hip])
    link.properties = ["OO", knee, top]


def swap_joints(d: Document) -> None:
    clusters = [one.properties[0] for one in d.sorts("Deformer", "Cluster")]
    links = [c for c in d.connections.children if c.properties[2] in clusters]
    links[0].properties, links[1].properties = (
        ["OO", links[0].properties[1], links[1].properties[2]],
        ["OO", links[1].properties[1], links[0].properties[2]],
    )


def scaled(array: np.ndarray, factor: float) -> None:
    array *= factor


def longer(d: Document) -> None:
    for curve in d.curves("d|X") + d.curves("d|Y") + d.curves("d|Z"):
        d.array(curve, "KeyTime")[-1] += 4_618_615_800


def other_color(d: Document) -> None:
    for row in d.named("Material", "cloth").first("Properties70").children:  # type: ignore[union-attr]
        if row.properties[0] == "DiffuseColor":
            row.properties = [*row.properties[:4], 0.9, 0.2, 0.1]


DAMAGES: dict[str, tuple[Damage, set[str]]] = {
    "weights reversed": (
        lambda d: [np.copyto(w, w[::-1].copy()) for c in d.sorts("Deformer", "Cluster")[:1] for w in [d.array(c, "Weights")]],
        {"weights", VERTICES},
    ),
    "joints exchanged": (swap_joints, {"skeletons", "weights", VERTICES}),
    "a joint renamed": (rename, {"nodes below their parents", "where nodes stand", "joints", "skeletons"}),
    "a joint re-parented": (reparent, {"nodes below their parents", "where nodes stand", VERTICES}),
    "bound elsewhere": (
        lambda d: np.add(d.array(d.sorts("Deformer", "Cluster")[0], "TransformLink")[12:15], 10,
                         out=d.array(d.sorts("Deformer", "Cluster")[0], "TransformLink")[12:15]),
        {"skeletons", VERTICES},
    ),
    "a clip mirrored": (lambda d: scaled(d.array(d.curves("d|Z")[0], "KeyValueFloat"), -1), {VERTICES}),
    "one key wrong": (lambda d: scaled(d.array(d.curves("d|X")[1], "KeyValueFloat")[1:2], 3), {VERTICES}),
    "clips too long": (longer, {"lengths of clips", VERTICES}),
    "UVs mirrored": (lambda d: scaled(geometry(d, "LayerElementUV", "UV")[::2], -1), {"texture coordinates"}),
    "UVs shifted": (
        lambda d: np.add(geometry(d, "LayerElementUV", "UV"), 0.01, out=geometry(d, "LayerElementUV", "UV")),
        {"texture coordinates"},
    ),
    "normals turned": (lambda d: scaled(geometry(d, "LayerElementNormal", "Normals"), -1), {"normals"}),
    "a colour changed": (lambda d: scaled(geometry(d, "LayerElementColor", "Colors")[:3], 0.5), {"vertex colours"}),
    "pictures exchanged": (swap_links, {"pictures"}),
    "unit x100": (lambda d: d.setting("UnitScaleFactor", 100.0), {"unit of length"}),
    "a lamp dimmed": (lambda d: d.setting("Intensity", 10.0), {"cameras and lights"}),
    "a camera that looks wider": (
        lambda d: (d.setting("FieldOfView", 80.0), d.setting("FocalLength", 20.0)),
        {"cameras and lights"},
    ),
    "a lamp turned": (
        lambda d: d.named("Model", "lamp").children[1].children[3].__setattr__(
            "properties", ["Lcl Rotation", "Lcl Rotation", "", "A", 10.0, 0.0, 0.0]
        ),
        {"where nodes stand"},
    ),
    "Z for Y": (lambda d: d.setting("UpAxis", 2), {"axis that points up"}),
    "a part stretched": (lambda d: scaled(geometry(d, "Vertices"), 1.01), {"positions", VERTICES}),
    "a part inside out": (turn_over, {"which side of triangles shows"}),
    "material on the wrong triangles": (
        lambda d: np.subtract(1, geometry(d, "LayerElementMaterial", "Materials"),
                              out=geometry(d, "LayerElementMaterial", "Materials")),
        {"materials on the same triangles"},
    ),
    "a hole": (hole, {"triangles"}),
    "a material's colour changed": (other_color, {"materials"}),
    "a shape weakened": (lambda d: scaled(d.array(d.sorts("Geometry", "Shape")[0], "Vertices"), 0.5), {VERTICES}),
    "a shape's curve changed": (
        lambda d: scaled(d.array(d.curves("d|DeformPercent")[0], "KeyValueFloat")[1:2], 0.5), {VERTICES}
    ),
}  # fmt: skip


@pytest.fixture(scope="module")
def ready() -> Scene:
    return make_ready(scene(), CONTEXT).scene


@pytest.fixture(scope="module")
def folder(ready: Scene, tmp_path_factory: pytest.TempPathFactory) -> Path:
    home = tmp_path_factory.mktemp("fbx")
    spec = FORMATS.get("fbx")
    assert spec.write is not None
    write_files(home, spec.write(ready, "thing", spec.options(), CONTEXT), CONTEXT)
    return home


def test_taken_apart_and_written_again_it_passes(ready: Scene, folder: Path, tmp_path: Path) -> None:
    home = Path(shutil.copytree(folder, tmp_path / "f"))
    (home / "thing.fbx").write_bytes(Document((folder / "thing.fbx").read_bytes()).bytes())
    assert failed(home / "thing.fbx", ready, "fbx") == set()


@pytest.mark.parametrize("name", DAMAGES)
def test_each_check_refuses_its_damage_in_fbx(name: str, ready: Scene, folder: Path, tmp_path: Path) -> None:
    damage, wanted = DAMAGES[name]
    home = Path(shutil.copytree(folder, tmp_path / "f"))
    document = Document((folder / "thing.fbx").read_bytes())
    damage(document)
    (home / "thing.fbx").write_bytes(document.bytes())
    found = failed(home / "thing.fbx", ready, "fbx")
    assert wanted <= found <= wanted | FOLLOWING


def test_a_missing_picture_is_told(ready: Scene, folder: Path, tmp_path: Path) -> None:
    home = Path(shutil.copytree(folder, tmp_path / "f"))
    (home / "textures" / "second.png").unlink()
    assert failed(home / "thing.fbx", ready, "fbx") == {"texture files", "pictures"}
