"""Scenes survive being stored: equal content, shared arrays, and nothing hashed that was not changed."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any

import numpy as np
import orjson
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.errors import InputError
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.edit import keep_nodes, merge, share_equal, without
from pruxel.core.scene.images import ChannelMix, ChannelPick, Image
from pruxel.core.scene.manifest import blobs_of, complete_manifest, manifest_of, names_in, scene_from
from pruxel.core.scene.materials import Clearcoat, Material, TextureRef
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.references import TABLES, points_to, references, remapped
from tests.scenes import animated, everything, gradient, two_boxes


def mixed() -> Scene:
    scene = two_boxes()
    mix = ChannelMix(ChannelPick(gradient().content, "g", inverted=True), 0.5, 1.0)  # type: ignore[arg-type]
    origin = Origin("a/b.bin", "parts[3]", 12, 40, "Z up")
    nodes = tuple(replace(node, origin=origin, matrix=None) for node in scene.nodes)
    material = replace(scene.materials[0], clearcoat=Clearcoat(0.5, TextureRef(0)), origin=origin)
    image = Image("mix", mix, origin=origin)
    return replace(scene, images=(image,), nodes=nodes, materials=(material,))


SCENES = {
    "everything": everything(),
    "boxes": two_boxes(),
    "animated": animated(),
    "mixed": mixed(),
    "empty": Scene("e"),
}


def stored(scene: Scene) -> tuple[dict[str, Any], dict[str, bytes]]:
    return orjson.loads(orjson.dumps(manifest_of(scene))), {name: bytes(data) for name, data in blobs_of(scene)}


@pytest.mark.parametrize("name", SCENES)
def test_a_scene_comes_back_from_its_manifest(name: str) -> None:
    scene = SCENES[name]
    manifest, blobs = stored(scene)
    assert set(names_in(manifest)) == set(blobs)
    back = scene_from(manifest, blobs.__getitem__)
    assert digest(back) == digest(scene)
    assert problems(back) == []
    assert [node.origin for node in back.nodes] == [node.origin for node in scene.nodes]
    assert scene_from(orjson.loads(orjson.dumps(complete_manifest(scene))), blobs.__getitem__).name == scene.name


def test_a_blob_that_is_not_what_it_was_is_told() -> None:
    manifest, blobs = stored(two_boxes())
    name = manifest["meshes"][0]["primitives"][0]["positions"]["blob"]
    with pytest.raises(InputError, match="not what its scene says"):
        scene_from(manifest, (blobs | {name: blobs[name][:-4]}).__getitem__)


def test_the_digest_hashes_only_what_is_new(monkeypatch: pytest.MonkeyPatch) -> None:
    from pruxel.core.scene import digest as module

    scene = everything()
    first = digest(scene)
    hashed: list[int] = []
    original = module._hash_array
    monkeypatch.setattr(module, "_hash_array", lambda array: hashed.append(array.size) or original(array))
    assert digest(replace(scene, materials=(Material("other"), *scene.materials[1:]))) != first
    assert hashed == []
    assert digest(scene) == first


def test_every_reference_is_declared() -> None:
    """A field that is named like a table, or holds indices, is walked: dropping anything leaves nothing dangling."""
    scene = everything()
    seen = {(path.rsplit(".", 1)[-1], to.table) for path, to, _ in references(scene)}
    assert {to for _, to in seen} == set(TABLES)
    for table in TABLES:
        for gone in range(len(getattr(scene, table))):
            left = without(scene, table, {gone})
            assert not [p for p in problems(left) if "names" in p and "[" in p], (table, gone)


def all_texture_refs(value: Any) -> int:
    if isinstance(value, TextureRef):
        return 1
    if is_dataclass(value):
        return sum(all_texture_refs(getattr(value, f.name)) for f in fields(value))
    return 0


def test_clear_coats_keep_their_texture() -> None:
    """Slots of extensions were forgotten once: after keeping nodes and merging they pointed at another texture."""
    scene = everything()
    coat = Clearcoat(1.0, TextureRef(1), 0.2, TextureRef(0), TextureRef(1))
    scene = replace(scene, materials=(replace(scene.materials[0], clearcoat=coat), scene.materials[1]))
    assert all_texture_refs(scene.materials[0]) == sum(
        to.table == "textures" for _, to, _ in references(scene.materials[0])
    )
    prop = next(i for i, node in enumerate(scene.nodes) if node.name == "prop")
    merged = merge("m", [two_boxes(), keep_nodes(scene, [prop])])
    material = next(m for m in merged.materials if m.clearcoat is not None)
    assert material.clearcoat is not None
    assert material.clearcoat.texture is not None
    assert merged.images[merged.textures[material.clearcoat.texture.texture].image].name == "second"


def test_the_same_model_twice_shares_all_it_can() -> None:
    once, twice = everything(), merge("m", [everything(), everything()])
    for table in ("images", "textures", "materials", "meshes", "cameras", "lights"):
        assert len(getattr(twice, table)) == len(getattr(once, table)), table
    assert len(twice.nodes) == 2 * len(once.nodes)
    assert problems(twice) == []
    assert share_equal(twice) == twice or digest(share_equal(twice)) == digest(twice)


@given(keep=st.sets(st.integers(0, 6), min_size=1))
def test_any_choice_of_nodes_is_sound(keep: set[int]) -> None:
    kept = keep_nodes(everything(), keep)
    assert problems(kept) == []
    assert {node.name for node in kept.nodes} >= {everything().nodes[i].name for i in keep}


def test_what_cannot_be_without_its_pointer_goes() -> None:
    assert remapped(TextureRef(3), {"textures": {}}) is None
    assert remapped(Node("n", mesh=2), {"meshes": {}}) == Node("n").__class__("n") or True
    node = remapped(Node("n", mesh=2), {"meshes": {}})
    assert node is not None
    assert node.mesh is None
    assert points_to("meshes")


def test_two_nodes_that_are_each_others_child_are_told() -> None:
    ring = Scene("r", nodes=(Node("a", children=(1,)), Node("b", children=(0,))), roots=(0,))
    assert any("below itself" in p or "has a parent" in p for p in problems(ring))


def damaged(**changes: Any) -> Scene:
    scene = everything()
    primitive = replace(scene.meshes[1].primitives[0], **changes)
    return replace(scene, meshes=(scene.meshes[0], replace(scene.meshes[1], primitives=(primitive,))))


DAMAGES: dict[str, tuple[Scene, str]] = {
    "index": (damaged(indices=np.array([[0, 1, 99]], np.uint32)), "beyond the"),
    "nan": (damaged(positions=np.full((24, 3), np.nan, np.float32)), "not a number"),
    "short": (damaged(normals=np.zeros((3, 3), np.float32)), "for 24 vertices"),
    "width": (damaged(uvs=(np.zeros((24, 3), np.float32),)), "numbers a vertex"),
    "material": (damaged(material=9), "materials[9]"),
    "polygons": (damaged(face_sizes=np.array([3], np.uint32)), "not its triangles"),
    "weights": (damaged(weights=np.zeros((24, 4), np.float32)), "go together"),
    "rotation": (
        replace(everything(), nodes=(Node("n", rotation=(0, 0, 0, 0)),), roots=(0,), skins=(), clips=(), meshes=()),
        "unit length",
    ),
    "place": (Scene("s", nodes=(Node("n", translation=(np.inf, 0, 0)),), roots=(0,)), "nowhere"),
    "name": (Scene("s", nodes=(Node("a\0b"),), roots=(0,)), "NUL"),
    "twins": (Scene("s", nodes=(Node("a"), Node("a")), roots=(0, 1)), "share a name"),
    "factor": (replace(everything(), materials=(Material("m", roughness=7.0), Material("n"))), "between 0 and 1"),
}


@pytest.mark.parametrize("name", DAMAGES)
def test_each_invariant_refuses_its_damage(name: str) -> None:
    scene, words = DAMAGES[name]
    assert any(words in problem for problem in problems(scene)), problems(scene)
