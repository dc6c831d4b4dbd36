"""What goes into which files: pieces, clips, levels, textures, names; and every purpose, written and proven."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow
from scipy.spatial.transform import Rotation

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.deliver.deliver import Report, deliver
from pruxel.core.deliver.plan import Plan, cuts_for, cuts_of, plan_of, stem_of
from pruxel.core.deliver.proof import Outcome
from pruxel.core.deliver.purposes import PURPOSES, Purpose
from pruxel.core.formats.registry import FORMATS
from pruxel.core.scene.materials import Clearcoat, TextureRef
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.uvs import turn, with_v_up
from pruxel.core.scene.walk import in_order, parts, world_from_local
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()
STILL = np.eye(3)
FORMATS_WITH_TEXTURES = ["fbx", "glb", "gltf", "obj"]


def with_levels() -> Scene:
    """Everything, with a second clip, a coarser level of the prop and a shape for collisions."""
    scene = everything()
    nodes = list(scene.nodes)
    prop = next(k for k, n in enumerate(nodes) if n.name == "prop")
    nodes += [
        replace(nodes[prop], name="prop coarse", detail=1),
        replace(nodes[prop], name="prop hull", role="collision"),
    ]
    return replace(scene, nodes=tuple(nodes), roots=(*scene.roots, len(nodes) - 2, len(nodes) - 1))


def names(scene: Scene, **plan: Any) -> list[str]:
    return [cut.stem for cut in cuts_of([scene], "thing", Plan(**plan))]


def read_back(path: Path) -> Scene:
    spec = FORMATS.get(path.suffix[1:])
    assert spec.read is not None
    return spec.read(memoryview(path.read_bytes()), path.name, lambda _: None, CONTEXT).scene


def triangles(scene: Scene) -> int:
    return measure(scene).triangles


def test_one_file_holds_all() -> None:
    scene = with_levels()
    [cut] = cuts_of([scene], "a thing", Plan())
    assert cut.stem == "a_thing"
    assert triangles(cut.scene) == triangles(scene)
    assert cut.scene.clips == scene.clips


@pytest.mark.parametrize("files", ["per part", "per material"])
def test_pieces_together_are_the_whole(files: str) -> None:
    scene = with_levels()
    cuts = cuts_of([scene], "thing", Plan(files=files))  # type: ignore[arg-type]
    assert len(cuts) == (4 if files == "per part" else 2)
    assert sum(triangles(cut.scene) for cut in cuts) == triangles(scene)
    assert len({cut.stem for cut in cuts}) == len(cuts)
    if files == "per material":
        assert [len(cut.scene.materials) for cut in cuts] == [1, 1]
    else:
        [body] = [cut for cut in cuts if cut.stem == "thing_body"]
        assert [len(body.scene.skins), len(body.scene.clips)] == [1, 2], "a skinned part keeps its joints and clips"


def test_what_is_not_seen_and_coarser_levels_can_stay_out() -> None:
    scene = with_levels()
    left = {k: triangles(cuts_of([scene], "t", Plan(**p))[0].scene) for k, p in {  # type: ignore[arg-type]
        "all": {}, "seen": {"parts": "seen"}, "finest": {"detail": "finest"}, "both": {"parts": "seen", "detail": "finest"},
    }.items()}  # fmt: skip
    prop = triangles(scene) - triangles(everything())
    assert left == {
        "all": triangles(scene), "seen": triangles(scene) - prop // 2, "finest": triangles(scene) - prop // 2,
        "both": triangles(everything()),
    }  # fmt: skip


def test_parts_can_be_left_out_by_name() -> None:
    [cut] = cuts_of([with_levels()], "t", Plan(left_out=("prop", "prop hull", "nobody")))
    assert {cut.scene.nodes[k].name for k, _, _ in parts(cut.scene)} == {"body", "prop coarse"}


def test_clips_apart_get_files_where_a_format_has_clips() -> None:
    scene = with_levels()
    cuts = cuts_of([scene], "thing", Plan(clips="apart"))
    assert [cut.stem for cut in cuts] == ["thing_still", "thing_wave", "thing_breathe"]
    assert [[clip.name for clip in cut.scene.clips] for cut in cuts] == [[], ["wave"], ["breathe"]]
    assert len(cuts_for(cuts, FORMATS.get("fbx"))) == 3
    assert [cut.stem for cut in cuts_for(cuts, FORMATS.get("stl"))] == ["thing_still"]
    assert [c.name for c in cuts_of([scene], "t", Plan(only_clips=("breathe",)))[0].scene.clips] == ["breathe"]
    assert cuts_of([scene], "t", Plan(clips="none"))[0].scene.clips == ()


def test_names_follow_their_pattern_and_never_meet() -> None:
    scene = with_levels()
    assert names(scene, files="per part", names="{number}-{piece}-of-{name}") == [
        "1-prop-of-thing", "2-body-of-thing", "3-prop_coarse-of-thing", "4-prop_hull-of-thing",
    ]  # fmt: skip
    assert names(scene, files="per part", names="same {number}") == [f"same_{k}" for k in range(1, 5)]
    wicked = replace(two_boxes(), nodes=tuple(replace(n, name=f"../{n.name}/a:b") for n in two_boxes().nodes))
    for stem in names(wicked, files="per part"):
        assert not set(stem) & set("/\\: ")
    assert len(set(names(scene, files="per part", clips="apart", names="{name}"))) == 9


@pytest.mark.parametrize(
    ("values", "told"),
    [
        ({"names": "{nobody}"}, "nobody"),
        ({"names": "{name!r:>{piece}}"}, "name"),
        ({"names": "{name.__class__}"}, "stands for nothing"),
        ({"names": "{"}, "pattern"),
        ({"names": "  "}, "letter"),
        ({"files": "per whim"}, "per part"),
        ({"largest_side": 0}, "greater"),
        ({"wheels": 4}, "wheels"),
    ],
)
def test_a_wrong_plan_is_told(values: dict[str, Any], told: str) -> None:
    with pytest.raises(UsageError) as caught:
        plan_of(values)
    assert told in caught.value.fault.line()


def test_nothing_left_and_too_much_are_told() -> None:
    scene = replace(two_boxes(), nodes=tuple(replace(n, role="helper") for n in two_boxes().nodes))
    with pytest.raises(UsageError, match="nothing is left"):
        cuts_of([scene], "thing", Plan(files="per part", parts="seen"))
    clips = tuple(Clip(f"clip {k}", animated().clips[0].channels) for k in range(1200))
    with pytest.raises(UsageError, match="too many files"):
        cuts_of([replace(animated(), clips=clips)], "thing", Plan(clips="apart"))


def proven(report: Report) -> None:
    wrong = [
        (made.main, check.what, check.written, check.read)
        for made in report.formats for proof in made.proofs for check in proof.checks if not check.passed
    ]  # fmt: skip
    assert wrong == []
    assert report.outcome is Outcome.PROVEN


@pytest.mark.parametrize("textures", ["png", "jpeg", "tga", "webp", "dds", "dds-bc7", "none"])
def test_textures_are_written_as_asked_and_proven(textures: str, tmp_path: Path) -> None:
    plan = Plan(textures=textures, largest_side=8)  # type: ignore[arg-type]
    report = deliver([everything()], "thing", FORMATS_WITH_TEXTURES, tmp_path, CONTEXT, plan=plan)
    proven(report)
    pictures = [
        tmp_path / file.path for made in report.formats for file in made.files if "/textures/" in f"/{file.path}"
    ]
    assert bool(pictures) == (textures != "none")
    for path in pictures:
        with Pillow.open(path) as shown:
            assert max(shown.size) == 8
    endings = {path.suffix for path in pictures if path.parts[-3] in {"fbx", "obj"} and "opacity" not in path.name}
    wanted = {"png": ".png", "tga": ".tga", "webp": ".webp", "dds": ".dds", "dds-bc7": ".dds"}
    if textures in wanted:
        assert wanted[textures] in endings
    if textures in {"tga", "dds"}:
        assert "written as PNG" in " ".join(report.told), "glTF links neither"


def test_colours_of_textures_can_stand_in_vertices(tmp_path: Path) -> None:
    """What a format without textures shows is then what its vertices show, and proven."""
    plan = Plan(textures="in vertices", clips="none")
    report = deliver([two_boxes()], "thing", ["3mf", "ply", "glb"], tmp_path, CONTEXT, plan=plan)
    proven(report)
    with Pillow.open(tmp_path / report.formats[1].picture) as shown:
        drawn = np.asarray(shown.convert("RGBA")).astype(int)
    seen = drawn[drawn[..., 3] > 200][:, :3]
    assert np.ptp(seen, axis=1).max() > 40, "it is not grey"
    assert all("texture" not in Path(file.path).parts for made in report.formats for file in made.files)


@pytest.mark.parametrize("purpose", list(PURPOSES), ids=lambda one: one.name)
def test_every_purpose_is_written_and_proven(purpose: Purpose, tmp_path: Path) -> None:
    report = deliver(
        [with_levels()], "thing", purpose.formats, tmp_path, CONTEXT, options=purpose.options, plan=purpose.plan
    )
    proven(report)
    assert purpose.about
    kept = json.loads((tmp_path / "report.json").read_text())
    assert kept["outcome"] == "proven"
    for made in report.formats:
        assert (tmp_path / made.main).is_file()


@pytest.mark.parametrize(("files", "stems"), [("one", ["both"]), ("per workpiece", ["boxes", "walker"])])
def test_several_workpieces_go_together_or_apart(files: str, stems: list[str], tmp_path: Path) -> None:
    """Each apart is what it would be alone; together they are beside each other, with names of their own."""
    scenes = [replace(two_boxes(), name="boxes"), replace(animated(), name="walker")]
    plan = Plan(files=files, names="{piece}" if files != "one" else "{name}")  # type: ignore[arg-type]
    report = deliver(scenes, "both", ["glb", "fbx"], tmp_path, CONTEXT, plan=plan)
    proven(report)
    assert [Path(made.main).stem for made in report.formats] == [*stems, *stems]
    back = [read_back(tmp_path / made.main) for made in report.formats[: len(stems)]]
    assert sum(map(triangles, back)) == sum(map(triangles, scenes))
    assert [len(one.clips) for one in back] == ([1] if files == "one" else [0, 1])


@pytest.mark.parametrize(
    ("plan", "wanted"),
    [({}, "thing"), ({"files": "per part"}, "thing_claw"), ({"files": "per part", "names": "{number}"}, "1"),
     ({"files": "per workpiece"}, "claw"), ({"clips": "apart", "names": "{clip} of {name}"}, "walk_of_thing"),
     ({"clips": "apart"}, "thing_walk"), ({"names": "a/b: {name}"}, "a_b__thing")],
)  # fmt: skip
def test_names_are_told_before_anything_is_written(plan: dict[str, Any], wanted: str) -> None:
    made = plan_of(plan)
    several, clips = made.files != "one", made.clips == "apart"
    assert stem_of(made, "thing", "claw", "walk", several=several, clips=clips) == wanted


def test_a_report_shows_what_was_delivered(tmp_path: Path) -> None:
    """Drawn from the files: the same picture where a format holds the same, none where it holds nothing to see."""
    report = deliver([two_boxes()], "boxes", ["glb", "stl"], tmp_path, CONTEXT)
    drawn = []
    for path in (report.picture, *(made.picture for made in report.formats)):
        with Pillow.open(tmp_path / path) as shown:
            drawn.append(np.asarray(shown.convert("RGBA")).astype(int))
    assert np.abs(drawn[0] - drawn[1]).mean() < 1
    assert np.abs((drawn[0][..., 3] > 128).astype(int) - (drawn[2][..., 3] > 128)).mean() < 0.01
    assert np.abs(drawn[0] - drawn[2]).mean() > 1, "STL has no colours"


def world_directions(scene: Scene) -> dict[str, tuple[list[float], list[float]]]:
    """Where each camera and light stands and looks."""
    world = world_from_local(scene)
    found = {}
    for number in in_order(scene):
        node = scene.nodes[number]
        if node.camera is not None or node.light is not None:
            looks = world[number][:3, :3] @ [0, 0, -1]
            what = "camera" if node.camera is not None else "light"
            found[what] = (world[number][:3, 3].round(4).tolist(), (looks / np.linalg.norm(looks)).round(4).tolist())
    return found


@pytest.mark.parametrize("front", ["+x", "-z", "-x"])
def test_the_front_is_turned_with_all_that_moves_and_looks(front: str, tmp_path: Path) -> None:
    scene = everything()
    report = deliver([scene], "thing", ["glb", "fbx", "obj"], tmp_path, CONTEXT, plan=plan_of({"front": front}))
    proven(report)
    degrees = {"+x": 90, "-z": 180, "-x": 270}[front]
    turn = Rotation.from_euler("y", degrees, degrees=True).as_matrix()
    written = read_back(tmp_path / "glb" / "thing.glb")
    assert np.allclose(ends(written), ends(scene, turn), atol=1e-4)
    [clip], [turned_clip] = scene.clips[:1], written.clips[:1]
    half = max(float(c.times[-1]) for c in clip.channels) / 2
    assert np.allclose(ends(posed(written, turned_clip, half)), ends(posed(scene, clip, half), turn), atol=1e-3)
    looked = world_directions(scene)
    assert looked
    for what, (place, looks) in world_directions(written).items():
        assert np.allclose(place, turn @ looked[what][0], atol=1e-3)
        assert np.allclose(looks, turn @ looked[what][1], atol=1e-3)


def ends(scene: Scene, turn: Any = STILL) -> Any:
    """The corners of the box in which all stands, turned before it is measured."""
    points = np.concatenate([p.positions for _, _, mesh in standing(scene) for p in mesh.primitives]) @ turn.T
    return np.stack([points.min(axis=0), points.max(axis=0)])


@given(
    st.tuples(*[st.floats(-2, 2)] * 2),
    st.floats(-3, 3),
    st.tuples(*[st.floats(0.1, 3)] * 2),
    st.floats(0, 1),
    st.floats(0, 1),
)
def test_v_the_other_way_shows_the_same_texel_from_below(
    offset: tuple[float, float], angle: float, scale: tuple[float, float], u: float, v: float
) -> None:
    ref = TextureRef(0, offset=offset, rotation_rad=angle, scale=scale)
    scene = everything()
    coat = Clearcoat(texture=ref)
    scene = replace(scene, materials=(replace(scene.materials[0], base_color_texture=ref, clearcoat=coat),))
    other = with_v_up(scene)
    turned_ref = other.materials[0].base_color_texture
    assert turned_ref is not None
    assert other.materials[0].clearcoat == Clearcoat(texture=turned_ref)
    before = turn(ref) @ (u, v) + ref.offset
    after = turn(turned_ref) @ (u, 1 - v) + turned_ref.offset
    assert after == pytest.approx((before[0], 1 - before[1]), abs=1e-9)
    one, two = scene.meshes[0].primitives[0], other.meshes[0].primitives[0]
    assert np.allclose(two.uvs[0], one.uvs[0] * (1, -1) + (0, 1))


def test_flipped_textures_are_proven(tmp_path: Path) -> None:
    report = deliver([everything()], "thing", FORMATS_WITH_TEXTURES, tmp_path, CONTEXT, plan=plan_of({"flip_v": True}))
    proven(report)
