"""Two files side by side: what is the same in any format agrees, and each way of differing is seen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from pruxel.core.base.arrays import as_floats, as_indices, frozen
from pruxel.core.base.context import Context
from pruxel.core.deliver.agree import compare_scenes
from pruxel.core.deliver.package import write_files
from pruxel.core.deliver.proof import Tolerances
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, Primitive, Scene
from tests import zoo
from tests.collada_text import collada_text
from tests.scenes import everything

CONTEXT = Context()


def failed(one: Scene, other: Scene) -> set[str]:
    return {check.what for check in compare_scenes(one, other, Tolerances()) if not check.passed}


def through(scene: Scene, name: str, folder: Path) -> Scene:
    spec = FORMATS.get(name)
    assert spec.write is not None
    assert spec.read is not None
    files = spec.write(make_ready(scene, CONTEXT).scene, "thing", spec.options(), CONTEXT)
    write_files(folder, files, CONTEXT)
    main = folder / files[0].path

    def beside(link: str) -> bytes | None:
        return (folder / link).read_bytes() if (folder / link).is_file() else None

    return spec.read(memoryview(main.read_bytes()), main.name, beside, CONTEXT).scene


@pytest.mark.parametrize("name", ["fbx", "glb", "gltf", "obj", "stl", "ply", "3mf"])
def test_a_scene_agrees_with_itself_through_every_format(name: str, tmp_path: Path) -> None:
    assert failed(everything(), through(everything(), name, tmp_path)) == set()


def test_formats_agree_with_each_other(tmp_path: Path) -> None:
    collada = FORMATS.get("collada").read
    assert collada is not None
    dae = collada(memoryview(collada_text(everything()).encode()), "a.dae", lambda _: None, CONTEXT).scene
    fbx = through(everything(), "fbx", tmp_path)
    assert failed(fbx, dae) == set()
    whats = {check.what for check in compare_scenes(fbx, dae, Tolerances())}
    assert {"triangles during 'wave'", "length of 'breathe'", "middles of triangles in textures", "joints"} <= whats


def all_meshes(change: Callable[[Primitive], Primitive]) -> Callable[[Scene], Scene]:
    def changed(mesh: Mesh) -> Mesh:
        return replace(mesh, primitives=tuple(change(p) for p in mesh.primitives))

    return lambda scene: edit_meshes(scene, range(len(scene.nodes)), changed)


def later(scene: Scene) -> Scene:
    clips = tuple(
        replace(clip, channels=tuple(replace(c, times=frozen(c.times * np.float32(1.1))) for c in clip.channels))
        for clip in scene.clips
    )
    return replace(scene, clips=clips)


def mirrored(scene: Scene) -> Scene:
    first, *rest = scene.clips
    turned = tuple(
        replace(c, values=as_floats(c.values * [1, 1, -1, 1], 4)) if c.path == "rotation" else c for c in first.channels
    )
    return replace(scene, clips=(replace(first, channels=turned), *rest))


DAMAGES: dict[str, tuple[Callable[[Scene], Scene], set[str]]] = {
    "a hole": (all_meshes(lambda p: replace(p, indices=as_indices(p.indices[1:]))), {"triangles"}),
    "unit x100": (
        all_meshes(lambda p: replace(p, positions=as_floats(p.positions * 100, 3))),
        {"where triangles stand"},
    ),
    "inside out": (all_meshes(lambda p: replace(p, indices=as_indices(p.indices[:, ::-1]))), {"sides that show"}),
    "UVs mirrored": (
        all_meshes(lambda p: replace(p, uvs=tuple(as_floats(uv * [-1, 1], 2) for uv in p.uvs))),
        {"middles of triangles in textures"},
    ),
    "slower": (later, {"length of 'wave'", "length of 'breathe'", "triangles during 'wave'"}),
    "mirrored": (mirrored, {"triangles during 'wave'"}),
    "a clip gone": (lambda s: replace(s, clips=s.clips[:1]), {"clips", "clip 'breathe'"}),
    "weights swapped": (
        all_meshes(lambda p: p if p.weights is None else replace(p, weights=as_floats(p.weights[:, [1, 0, 2, 3]], 4))),
        {"triangles during 'wave'"},
    ),
}


@pytest.mark.parametrize(("change", "told"), DAMAGES.values(), ids=DAMAGES)
def test_each_way_of_differing_is_seen(change: Callable[[Scene], Scene], told: set[str]) -> None:
    assert told <= failed(everything(), change(everything()))


@pytest.mark.parametrize("name", ["duck.dae", "cube_UTF8BOM.dae", "sphere.dae"])
def test_strangers_agree_with_their_twins(name: str) -> None:
    read = FORMATS.get("collada").read
    assert read is not None
    scenes = [
        read(memoryview((zoo.FOLDER / "Collada" / n).read_bytes()), n, lambda _: None, CONTEXT).scene
        for n in (name, {"duck.dae": "duck.zae", "cube_UTF8BOM.dae": "cube_UTF16LE.dae"}.get(name, name))
    ]
    assert failed(*scenes) == set()
