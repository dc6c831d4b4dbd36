"""What a model is put together from is told with how it was found, and each of it can be another by a step."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from pruxel.cli.workspace import Given, opener_of
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.images import png
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.recipe.asked import Asked
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.links import Link, links_of
from pruxel.core.scene.materials import Unresolved
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.sources.references import Shelf as Paths
from pruxel.core.sources.stack import Stack
from pruxel.core.steps.registry import STEPS
from tests.core.test_assembling import Shelf
from tests.scenes import everything, two_boxes

ACTOR = "actors/act_0107/act_0107.brm"
CONTEXT = Context()


def linked(scene: Scene, step: str, guest: Scene, **params: object) -> Scene:
    kind = STEPS.get(step)
    done = kind.perform(scene, kind.parse({"entry": "x"} | params), CONTEXT, Shelf(guest)).scene
    assert problems(done) == []
    return done


def of_kind(scene: Scene, kind: str) -> list[Link]:
    return [link for link in links_of(scene) if link.kind == kind]


@pytest.mark.parametrize(
    ("name", "how", "path"),
    [
        ("a/one.brt", "by its path", "a/one.brt"),
        ("A\\ONE.BRT", "by its path", "a/one.brt"),
        ("one.brt", "beside what names it", "a/one.brt"),
        ("far/lone.brt", "by its name alone", "b/lone.brt"),
        ("two.brt", "", None),
    ],
)
def test_how_a_name_was_found(name: str, how: str, path: str | None) -> None:
    found = Paths(["a/one.brt", "b/lone.brt", "b/two.brt", "c/two.brt"]).resolve(name, "a/model.brm")
    assert (found.how, found.path) == (how, path)


def test_a_model_says_what_it_is_put_together_from(opener: Opener, stack: Stack) -> None:
    scene = opener.scene([ACTOR], CONTEXT)
    [skeleton] = of_kind(scene, "skeleton")
    assert stack.kind_of(skeleton.entry) is Kind.SKELETON
    assert skeleton.found in {"by its path", "beside what names it"}
    materials = of_kind(scene, "material")
    assert {link.name for link in materials} == {material.name for material in scene.materials}
    assert all(stack.kind_of(link.entry) is Kind.MATERIAL for link in materials)
    maps = of_kind(scene, "texture")
    assert {link.slot for link in maps} >= {"base colour", "normals"}
    assert all(stack.kind_of(link.entry) is Kind.TEXTURE and link.found for link in maps)
    assert {link.material for link in maps} <= {link.name for link in materials}


def test_what_is_missing_is_told_where_it_would_stand() -> None:
    gaps = (Unresolved("base_color", "lost_c.dds", "No such entry."), Unresolved("material", "lost.brt", "None."))
    scene = two_boxes()
    scene = replace(scene, materials=(replace(scene.materials[0], unresolved=gaps), *scene.materials[1:]))
    found = [link for link in links_of(scene) if not link.found]
    assert [(link.kind, link.slot, link.why) for link in found if link.name.startswith("lost")] == [
        ("texture", "base color", "No such entry."),
        ("material", "material", "None."),
    ]


def test_another_material_is_worn_with_its_textures_and_says_so(opener: Opener, stack: Stack) -> None:
    actor = opener.scene([ACTOR], CONTEXT)
    other = next(p for p, e in stack.entries.items() if e.kind == "material" and "suit" not in p)
    sheet = opener.scene([other], CONTEXT)
    assert len(sheet.materials) == 1, "a material opens as a square of it"
    worn = actor.materials[0].name
    done = linked(actor, "link_material", sheet, materials=[worn])
    assert worn not in {material.name for material in done.materials}
    [link] = [link for link in of_kind(done, "material") if link.found == "by hand"]
    assert (link.name, link.entry) == (sheet.materials[0].name, "x")
    mine = next(m for m in done.materials if m.origin.found == "by hand")
    for slot in ("base_color_texture", "normal_texture"):
        ref, theirs = getattr(mine, slot), getattr(sheet.materials[0], slot)
        assert (ref is None) == (theirs is None)
        if ref is not None:
            image = done.images[done.textures[ref.texture].image]
            assert digest(image) == digest(sheet.images[sheet.textures[theirs.texture].image])
    assert sum(len(m.primitives) for m in done.meshes) == sum(len(m.primitives) for m in actor.meshes)


def test_a_material_of_its_own_content_is_stored_once() -> None:
    scene = two_boxes()
    alone = replace(scene, materials=scene.materials[:1])
    assert digest(linked(scene, "link_material", alone, materials=[scene.materials[0].name])) == digest(scene)
    with pytest.raises(UsageError, match="nothing to link"):
        linked(scene, "link_material", replace(scene, materials=()))


def stood(scene: Scene) -> np.ndarray:
    """Where all vertices stand at rest, and half a second into the first clip."""
    moments = [scene, *([posed(scene, scene.clips[0], 0.5)] if scene.clips else [])]
    return np.concatenate([p.positions for one in moments for _, _, mesh in standing(one) for p in mesh.primitives])


def without_skeleton(scene: Scene, opener: Opener) -> Scene:
    """The model as it is read where its skeleton is not to be found."""

    class Lacking(Opener):
        def _skeleton(self, *_: object) -> tuple[None, list[object]]:  # type: ignore[override]
            return None, []

    return Lacking(opener.stack).scene([ACTOR], CONTEXT)


def test_a_model_without_its_skeleton_is_bound_to_it_by_hand(opener: Opener) -> None:
    whole = opener.scene([ACTOR], CONTEXT)
    bare = without_skeleton(whole, opener)
    assert not bare.skins
    assert [link.found for link in of_kind(bare, "skeleton")] == [""]
    skeleton = opener.scene([of_kind(whole, "skeleton")[0].entry], CONTEXT)
    done = linked(bare, "link_skeleton", skeleton)
    assert [link.found for link in of_kind(done, "skeleton")] == ["by hand"]
    assert [done.nodes[j].name for j in done.skins[0].joints] == [whole.nodes[j].name for j in whole.skins[0].joints]
    assert np.allclose(stood(done), stood(replace(whole, clips=())), atol=1e-5)


def test_the_same_skeleton_again_moves_nothing_and_another_rest_moves_what_it_holds(opener: Opener) -> None:
    whole = opener.scene([ACTOR], CONTEXT)
    skeleton = opener.scene([of_kind(whole, "skeleton")[0].entry], CONTEXT)
    again = linked(whole, "link_skeleton", skeleton)
    assert np.allclose(stood(again), stood(whole), atol=1e-5)
    first = skeleton.skins[0].joints[0]
    moved = list(skeleton.nodes)
    moved[first] = replace(moved[first], translation=(5.0, 0.0, 0.0))
    shifted = linked(whole, "link_skeleton", replace(skeleton, nodes=tuple(moved)))
    assert not np.allclose(stood(shifted), stood(whole), atol=0.1), "rest moved, what binds did not"


def test_a_skeleton_that_does_not_fit_is_refused_with_what_lacks(opener: Opener) -> None:
    whole = opener.scene([ACTOR], CONTEXT)
    strange = everything()
    assert strange.skins
    with pytest.raises(UsageError, match="joints are not in it"):
        linked(whole, "link_skeleton", strange)
    with pytest.raises(UsageError, match="has no skeleton"):
        linked(whole, "link_skeleton", two_boxes())
    # One whose nodes hold cameras and lights, too, has no more to give than its joints.
    for guest in (whole, strange):
        with pytest.raises(UsageError, match="no part can be bound"):
            linked(two_boxes(), "link_skeleton", guest)


def _picture(shade: int) -> bytes:
    return png.encode(np.full((4, 4, 3), shade, np.uint8))


def _opened(folder: Path, files: dict[str, bytes]) -> Opener:
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    return opener_of((str(folder),), Given())


def test_what_an_obj_names_is_told_through_its_material_file(tmp_path: Path) -> None:
    opener = _opened(tmp_path, {
        "props/pot.obj": b"mtllib pot.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl clay\nf 1/1 2/2 3/3\n",
        "props/pot.mtl": b"newmtl clay\nmap_Kd ../maps/clay.png\nmap_Ke glow.png\nnewmtl spare\nmap_Kd gone/away.png\n",
        "maps/clay.png": _picture(90),
        "other/glow.png": _picture(200),
    })  # fmt: skip
    assert opener.mentions("props/pot.obj", Context()) == ["pot.mtl", "../maps/clay.png", "glow.png"]
    found = links_of(opener.scene(["props/pot.obj"], Context()))
    assert [(one.kind, one.name, one.entry, one.found) for one in found] == [
        ("material", "clay", "props/pot.mtl", "beside what names it"),
        ("texture", "clay", "maps/clay.png", "by its path"),
        ("texture", "glow", "other/glow.png", "by its name alone"),
    ]


def test_what_a_gltf_names_is_told_even_where_it_lacks_some(tmp_path: Path) -> None:
    document = {
        "asset": {"version": "2.0"},
        "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "textures": [{"source": 0}], "images": [{"uri": "skin%20one.png"}],
        "buffers": [{"uri": "body.bin", "byteLength": 36}], "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]}],
    }  # fmt: skip
    files = {"a/body.gltf": json.dumps(document).encode(), "a/skin one.png": _picture(40)}
    lacking = _opened(tmp_path, files)
    assert lacking.mentions("a/body.gltf", Context()) == ["skin one.png", "body.bin"]
    places = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    opener = _opened(tmp_path, {"a/body.bin": places})
    [texture] = [one for one in links_of(opener.scene(["a/body.gltf"], Context())) if one.kind == "texture"]
    assert (texture.entry, texture.found) == ("a/skin one.png", "beside what names it")


def test_what_lies_in_one_of_several_folders_is_no_gap(tmp_path: Path) -> None:
    """Readers that look in several folders do not say that it is missing in the others."""
    files = {"m/x.png": _picture(3), "m/deep/y.png": _picture(4)}
    asked = Asked(_opened(tmp_path, files).stack, "m/model.dae", Context())
    assert asked("textures/z.png") is None
    assert asked("z.png") is None
    assert asked("gone/x.png") == files["m/x.png"]
    assert asked("x.png") == files["m/x.png"]
    assert asked("nowhere/y.png") == files["m/deep/y.png"]
    assert asked.names() == ["textures/z.png", "gone/x.png", "nowhere/y.png"]
