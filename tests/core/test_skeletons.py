"""Skeletons and clips: joints, weights and keys against a pose worked out here by hand."""

from __future__ import annotations

import json
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.clips import LooseClip, read_clips
from pruxel.core.extract.clips_on_scene import with_clips
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.skeleton import on_skeleton, read_skeleton
from pruxel.core.formats.gltf import write_glb
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.geometry.skinning import value_at
from pruxel.core.geometry.transforms import compose
from pruxel.core.pictures.bones import with_bones
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.checks import problems
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed as moment
from pruxel.core.scene.pose import stiff
from pruxel.core.scene.walk import joint_tree, parts, world_from_local, world_positions
from pruxel.core.sources.stack import Stack
from pruxel.sample.models.moves import DIVER_MOVES, FISH_RIG, diver_rig
from pruxel.sample.rig import clips_bytes, skeleton_bytes

LAYOUTS = Path(__file__).resolve().parents[2] / "src/pruxel/sample/data/layouts"
SKELETON = load_layout((LAYOUTS / "skeleton.yaml").read_text(), "skeleton.yaml")
CLIPS = load_layout((LAYOUTS / "clips.yaml").read_text(), "clips.yaml")
GAME = Conventions(axes=("x", "z", "-y"), unit_m=0.01, winding="clockwise", uv_origin="bottom_left")


def skeleton(data: bytes) -> Scene:
    return read_skeleton(parse_file(memoryview(data), SKELETON, "a/fish.bsk", GAME, Context()), Context())


def loose_clips(data: bytes, how: Conventions = GAME) -> tuple[LooseClip, ...]:
    return read_clips(parse_file(memoryview(data), CLIPS, "c.bcl", how, Context()), Context())


def posed(scene: Scene, clip: str, time: float) -> dict[str, np.ndarray]:
    """Positions of all skinned parts at a time, worked out the plain way: interpolate, walk down, blend."""
    nodes = list(scene.nodes)
    for channel in next(c for c in scene.clips if c.name == clip).channels:
        key = min(int(np.searchsorted(channel.times, time, "right")) - 1, len(channel.times) - 2)
        share = (time - channel.times[key]) / (channel.times[key + 1] - channel.times[key])
        a, b = channel.values[key].astype(float), channel.values[key + 1].astype(float)
        value = a * (1 - share) + (b if channel.path != "rotation" or a @ b >= 0 else -b) * share
        value = value / np.linalg.norm(value) if channel.path == "rotation" else value
        nodes[channel.node] = replace(nodes[channel.node], **{channel.path: tuple(value)})
    moved = world_from_local(replace(scene, nodes=tuple(nodes)))
    skin = scene.skins[0]
    pull = np.stack([moved[joint] @ bind for joint, bind in zip(skin.joints, skin.inverse_bind, strict=True)])
    out = {}
    for node in scene.nodes:
        if node.skin is not None and node.mesh is not None:
            primitive = scene.meshes[node.mesh].primitives[0]
            points = np.c_[primitive.positions, np.ones(len(primitive.positions))]
            each = np.einsum("nkij,nj->nki", pull[primitive.joints], points)[..., :3]
            out[node.name] = (each * primitive.weights[..., None]).sum(axis=1)
    return out


def test_joints_stand_where_the_rig_says() -> None:
    rig = diver_rig("0107", 1.1)
    scene = skeleton(skeleton_bytes(rig))
    places = world_from_local(scene)[:, :3, 3]
    assert np.allclose(places, [joint.place for joint in rig.joints], atol=1e-5)
    assert [n.name for n in scene.nodes] == [j.name for j in rig.joints]
    assert dict(joint_tree(scene))["left_foot"] == 3
    assert np.allclose(world_from_local(scene) @ scene.skins[0].inverse_bind, np.eye(4), atol=1e-9)
    drawn = with_bones(scene)
    assert problems(drawn) == []
    ends = [p.positions.max(axis=0) for m in drawn.meshes for p in m.primitives]
    assert len(drawn.meshes) == 15
    assert np.isfinite(ends).all()


def test_the_fish_of_the_game_swims(stack: Stack) -> None:
    """Through the sources: the model finds its skeleton by itself; clips come with it when both are opened."""
    opener = Opener(stack)
    model = "actors/fish_lantern/fish_lantern.brm"
    assert "actors/fish_lantern/fish_lantern.bsk" in opener.mentions(model, Context())
    scene = opener.scene([model, "actors/fish_lantern/fish_lantern.bcl"], Context())
    assert problems(scene) == []
    assert [c.name for c in scene.clips] == ["swim", "startle", "hover"]
    assert scene.notes == ()
    still, bent = posed(scene, "hover", 0.0), posed(scene, "startle", 0.2)
    rest = {n.name: scene.meshes[n.mesh].primitives[0].positions for n in scene.nodes if n.mesh is not None}
    assert {"body", "fins", "eyes", "lure"} <= still.keys()
    for name, positions in still.items():
        assert np.allclose(positions, rest[name], atol=2e-4), name
    shift = np.linalg.norm(bent["body"] - rest["body"], axis=1)
    tail, belly = rest["body"][:, 2] < -0.45, np.linalg.norm(rest["body"] - (0, 0.3, 0), axis=1) < 0.3
    assert shift[tail].mean() > 1.5 * shift[belly].mean()
    assert {node.mesh for node in scene.nodes if node.mesh is not None} == set(range(len(scene.meshes)))


@given(seconds=st.floats(0.01, 0.7), clip=st.sampled_from(["swim", "startle", "hover"]))
@settings(max_examples=12, deadline=None)
def test_a_pose_is_what_the_plain_way_gives(stack: Stack, seconds: float, clip: str) -> None:
    paths = ["actors/fish_lantern/fish_lantern.brm", "actors/fish_lantern/fish_lantern.bcl"]
    scene = Opener(stack).scene(paths, Context())
    plain = posed(scene, clip, seconds)
    found = stiff(moment(scene, next(c for c in scene.clips if c.name == clip), seconds))
    assert problems(found) == []
    matrices = world_from_local(found)
    for index, node, mesh in parts(found):
        ours = world_positions(mesh.primitives[0], matrices[index])
        assert np.allclose(ours, plain[node.name], atol=5e-4), node.name


def test_keys_are_held_outside_and_met_as_they_say() -> None:
    times = np.array([1, 2], np.float32)
    values = np.array([[0, 0, 0], [2, 4, 8]], np.float32)
    for seconds, how, wanted in ((0, "LINEAR", 0), (1.25, "LINEAR", 0.5), (1.9, "STEP", 0), (5, "STEP", 2)):
        assert value_at(times, values, seconds, how, turn=False)[0] == pytest.approx(wanted)
    # Without tangents a cubic spline is a smooth step: 3 s^2 - 2 s^3.
    spline = np.insert(np.zeros((4, 3), np.float32), [1, 3], values, axis=0)
    assert value_at(times, spline, 1.25, "CUBICSPLINE", turn=False) == pytest.approx([0.3125, 0.625, 1.25])
    quarter = np.array([[0, 0, 0, 1], [0, 0.70710678, 0, 0.70710678]], np.float32)
    assert value_at(times, quarter, 1.5, "LINEAR", turn=True) == pytest.approx(
        [0, np.sin(np.pi / 8), 0, np.cos(np.pi / 8)], abs=1e-6
    )


def test_clips_go_on_any_model_with_their_joints_and_into_gltf(stack: Stack) -> None:
    opener = Opener(stack)
    clips = opener.clips("actors/moves/diver_moves.bcl", Context())
    assert [(c.name, c.frames, round(c.seconds, 2)) for c in clips] == [
        ("walk", 39, 1.58), ("greet", 49, 2.0), ("wait", 97, 4.0),
    ]  # fmt: skip
    for code in ("0107", "0233"):
        scene, share = with_clips(opener.scene([f"actors/act_{code}/act_{code}.brm"], Context()), clips)
        assert share == 1.0
    fish, share = with_clips(opener.scene(["actors/fish_lantern/fish_lantern.brm"], Context()), clips)
    assert share == 0.0
    assert fish.clips == ()
    [file] = write_glb(scene, "diver", GltfOptions(), Context())
    data = b"".join(bytes(piece) for piece in file.pieces)
    written = json.loads(data[20 : 20 + struct.unpack_from("<I", data, 12)[0]])
    names = [node["name"] for node in written["nodes"]]
    assert len(written["skins"][0]["joints"]) == 15
    walk = next(a for a in written["animations"] if a["name"] == "walk")
    assert {names[c["target"]["node"]] for c in walk["channels"]} == {t.joint for t in clips[0].tracks}
    accessor = written["accessors"][walk["samplers"][0]["input"]]
    assert accessor["max"] == [pytest.approx(38 / 24)]
    vertices = written["accessors"][written["meshes"][0]["primitives"][0]["attributes"]["JOINTS_0"]]
    assert (vertices["type"], vertices["componentType"]) == ("VEC4", 5123)


@settings(max_examples=40, deadline=None)
@given(
    angle=st.floats(-3, 3),
    axis=st.integers(0, 2),
    axes=st.sampled_from([("x", "z", "-y"), ("x", "y", "z"), ("-x", "y", "z"), ("z", "y", "x")]),
)
def test_a_turn_in_the_games_axes_is_the_same_turn_in_ours(angle: float, axis: int, axes: tuple[str, ...]) -> None:
    """Moving a point in the file's axes and converting it equals converting first, also for mirrored axes."""
    turn = np.zeros(4)
    turn[axis], turn[3] = np.sin(angle / 2), np.cos(angle / 2)
    data = struct.pack("<4sHHB4sfHH", b"BCLP", 1, 1, 4, b"turn", 24.0, 1, 1) + struct.pack("<B4sB", 4, b"root", 1)
    data += np.round(turn * 32767).astype("<i2").tobytes()
    how = Conventions(axes=axes, unit_m=1.0)  # type: ignore[arg-type]
    [clip] = loose_clips(data, how)
    basis = np.zeros((3, 3))
    for row, name in enumerate(axes):
        basis[row, "xyz".index(name[-1])] = -1.0 if name.startswith("-") else 1.0
    theirs = compose((0, 0, 0), tuple(turn), (1, 1, 1))[:3, :3]
    ours = compose((0, 0, 0), tuple(clip.tracks[0].values[0].astype(float)), (1, 1, 1))[:3, :3]
    point = np.array([0.3, -1.2, 0.7])
    assert np.allclose(basis @ theirs @ point, ours @ basis @ point, atol=3e-4)


def test_bad_skeletons_and_clips_say_where() -> None:
    good = skeleton_bytes(FISH_RIG)
    first_parent = 8 + 1 + len("middle")
    for data, code in (
        (good[:first_parent] + struct.pack("<h", 3) + good[first_parent + 2 :], ErrorCode.REFERENCE),
        (good[: first_parent + 2] + struct.pack("<f", float("nan")) + good[first_parent + 6 :], ErrorCode.MALFORMED),
        (good[:6] + b"\0\0", ErrorCode.MALFORMED),
        (good[:-3], ErrorCode.TRUNCATED),
    ):
        with pytest.raises(InputError) as raised:
            skeleton(data)
        assert raised.value.fault.code is code
        assert raised.value.fault.file == "a/fish.bsk"
    clips = clips_bytes(DIVER_MOVES)
    for data in (clips[:200], clips.replace(struct.pack("<f", 24.0), struct.pack("<f", -1.0), 1)):
        with pytest.raises(InputError) as raised:
            loose_clips(data)
        assert raised.value.fault.offset is not None


@settings(max_examples=120, deadline=None)
@given(at=st.integers(0, 340), value=st.integers(0, 255))
def test_one_wrong_byte_never_breaks_more_than_the_entry(at: int, value: int) -> None:
    data = bytearray(skeleton_bytes(FISH_RIG))
    data[at % len(data)] = value
    try:
        scene = skeleton(bytes(data))
    except InputError:
        return
    assert problems(with_bones(scene)) == []


def test_a_part_with_joints_beyond_the_skeleton_stays_rigid(stack: Stack) -> None:
    scene = Opener(stack).scene(["actors/act_0107/act_0107.brm"], Context())
    fish = skeleton(skeleton_bytes(FISH_RIG))
    joints = set(scene.skins[0].joints)
    parts = [i for i, n in enumerate(scene.nodes) if n.mesh is not None]
    assert joints.isdisjoint(parts)
    bare = keep_nodes(scene, parts)
    bound, faults = on_skeleton(bare, fish)
    assert faults
    assert all("not bound" in fault.message for fault in faults)
    assert problems(bound) == []
