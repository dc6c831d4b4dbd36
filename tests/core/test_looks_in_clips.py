"""Clips that show and hide parts and change materials: by layouts, through steps, in files, and frozen."""

from __future__ import annotations

import struct
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.limits import Limits
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.clips import LooseClip, LooseTrack, read_clips
from pruxel.core.extract.clips_on_scene import lacking, with_clips
from pruxel.core.extract.file import parse_file
from pruxel.core.fit.pairing import pair_joints, skeleton_of
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.formats.fbx.binary import read_binary
from pruxel.core.formats.fbx.document import TICKS
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, lost
from pruxel.core.scene.checks import entered, problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.edit import keep_nodes, merge, without
from pruxel.core.scene.keys import at_times, end_of
from pruxel.core.scene.looking import at_moment, hidden_nodes, looking
from pruxel.core.scene.manifest import blobs_of, manifest_of, scene_from
from pruxel.core.scene.model import Clip, LookChannel, Scene, ShownChannel
from pruxel.core.scene.motion import facts_of
from pruxel.core.scene.origin import Origin
from pruxel.core.steps.registry import STEPS
from tests.core.test_fbx_read import as_text
from tests.glb import files_of_glb
from tests.scenes import everything, two_boxes


def breathing(scene: Scene) -> Clip:
    return next(clip for clip in scene.clips if clip.name == "breathe")


def done(scene: Scene, step: str, **params: Any) -> Scene:
    spec = STEPS.get(step)
    made = spec.run(scene, spec.params.model_validate({"clips": ["breathe"], **params}), Context()).scene
    assert problems(made) == []
    return made


def seen(scene: Scene, clip: Clip, second: float) -> tuple[set[int], list[Any]]:
    found = looking(scene, clip, second)
    values = [(m.base_color, m.emissive, m.roughness, m.base_color_texture) for m in found.materials]
    return hidden_nodes(scene, clip, second), values


def alike(one: tuple[set[int], list[Any]], other: tuple[set[int], list[Any]], atol: float = 1e-5) -> None:
    assert one[0] == other[0]
    for a, b in zip(one[1], other[1], strict=True):
        np.testing.assert_allclose((*a[0], *a[1], a[2], *a[3].offset), (*b[0], *b[1], b[2], *b[3].offset), atol=atol)


def test_it_is_as_the_keys_say() -> None:
    scene = everything()
    clip = breathing(scene)
    assert problems(scene) == []
    hidden, (paint, cloth) = seen(scene, clip, 0.2)
    assert hidden == set()
    assert cloth[0] == pytest.approx((0.5, 0.5, 0.0, 1.0))
    assert paint[2] == pytest.approx(0.5)
    assert paint[3].offset == pytest.approx((0.25, 0.0))
    assert seen(scene, clip, 0.5)[0] == {1}
    assert at_moment(scene, clip, 0.5).nodes[1].mesh is None
    assert looking(scene, scene.clips[0], 0.5).materials is scene.materials
    assert facts_of(clip).moves == ("base_color", "emissive", "offset", "roughness", "visible", "weights")
    assert facts_of(clip).keys == 18


def test_what_is_below_a_hidden_part_is_hidden_too() -> None:
    scene = everything()
    clip = Clip("gone", (), shown=(ShownChannel(0, as_floats([[0]], 1)[:, 0], as_floats([[0]], 1)),))
    assert hidden_nodes(scene, clip, 0.0) == {0, 1, 2, 3, 4}


@settings(max_examples=25)
@given(share=st.floats(0, 1), start=st.floats(0.05, 0.5), speed=st.floats(0.2, 4.0))
def test_steps_on_time_take_it_along(share: float, start: float, speed: float) -> None:
    scene = everything()
    clip = breathing(scene)
    end = end_of(clip)
    cut = done(scene, "trim_clips", start=start, end=1.2)
    moment = start + share * (1.2 - start)
    # A jump may lie just on the other side of a rounded time.
    if min(abs(moment - key) for key in (0.0, 0.4, 1.25)) > 1e-3:
        alike(seen(cut, breathing(cut), moment - start), seen(scene, clip, moment))
    slow = done(scene, "retime_clips", speed=speed)
    back = done(scene, "reverse_clips")
    at = share * end
    if min(abs(at - key) for key in (0.0, 0.4, 1.25)) > 1e-3:
        alike(seen(slow, breathing(slow), at / speed), seen(scene, clip, at))
        alike(seen(back, breathing(back), end - at), seen(scene, clip, at))


def test_it_is_laid_out_closed_cut_and_joined() -> None:
    scene = everything()
    clip = breathing(scene)
    even = breathing(done(scene, "resample_clips", rate=60.0))
    assert {len(track.times) for track in even.tracks} == {76}
    closed = breathing(done(scene, "close_loop", over=0.3))
    for track in (*closed.shown, *closed.looks):
        first, last = at_times(track, np.array([0.0, end_of(closed)]))
        np.testing.assert_allclose(first, last, atol=1e-6)
    pieces = done(scene, "cut_clips", at=[0.5], pattern="{name} {number}")
    [one, other] = [c for c in pieces.clips if c.name.startswith("breathe")]
    alike(seen(pieces, one, 0.45), seen(scene, clip, 0.45))
    alike(seen(pieces, other, 0.3), seen(scene, clip, 0.8))
    joined = done(pieces, "join_clips", clips=[one.name, other.name], name="whole", over=0.0)
    whole = next(c for c in joined.clips if c.name == "whole")
    for moment in (0.2, 0.45, 0.9, 1.2):
        # A spline is laid out anew at 30 keys a second.
        alike(seen(joined, whole, moment), seen(scene, clip, moment), atol=2e-3)


def test_frozen_it_is_as_it_looked() -> None:
    scene = everything()
    spec = STEPS.get("freeze_pose")
    made = spec.run(scene, spec.params.model_validate({"clip": "breathe", "at": 0.5}), Context()).scene
    assert "prop" not in {node.name for node in made.nodes if node.mesh is not None}
    assert made.materials[1].base_color == pytest.approx(looking(scene, breathing(scene), 0.5).materials[1].base_color)


def test_glb_brings_it_back_and_others_say_that_they_cannot() -> None:
    scene = everything()
    [file] = files_of_glb(scene)
    read = FORMATS.get("glb").read
    assert read is not None
    back = read(memoryview(b"".join(bytes(p) for p in file.pieces)), "a.glb", lambda _: None, Context())
    assert back.faults == ()
    was, now = breathing(scene), breathing(back.scene)
    assert [(s.node, s.values.tolist()) for s in now.shown] == [(s.node, s.values.tolist()) for s in was.shown]
    for one, other in zip(now.looks, was.looks, strict=True):
        assert (one.material, one.path, one.interpolation) == (other.material, other.path, other.interpolation)
        np.testing.assert_array_equal(one.values, other.values)
    assert any("materials change" in words for words in lost(scene, FORMATS.get("fbx")))
    assert not any("materials change" in words for words in lost(scene, FORMATS.get("glb")))


@pytest.mark.parametrize("options", [{}, {"version": "7.5", "up": "z"}])
def test_fbx_brings_back_what_is_to_be_seen(options: dict[str, Any]) -> None:
    scene = make_ready(everything(), Context()).scene
    spec = FORMATS.get("fbx")
    assert spec.write is not None
    assert spec.read is not None
    data = b"".join(bytes(p) for p in spec.write(scene, "thing", spec.chosen(options), Context())[0].pieces)
    back = spec.read(memoryview(data), "thing.fbx", lambda _: None, Context()).scene
    assert problems(back) == []
    was, now = breathing(scene), breathing(back)
    for second in (0.0, 0.39, 0.41, 0.8, 1.24, 1.26, 3.0):
        hidden = {scene.nodes[n].name for n in hidden_nodes(scene, was, second)}
        found = {back.nodes[n].name for n in hidden_nodes(back, now, second)}
        assert found & {node.name for node in scene.nodes} == hidden, second


def with_material_curves(
    curves: dict[str, dict[str, list[tuple[float, float]]]], rest: dict[str, list[float]]
) -> Scene:
    """The character through FBX, with curves on the properties of its first material: by axis, seconds and values."""
    spec = FORMATS.get("fbx")
    assert spec.write is not None
    assert spec.read is not None
    scene = make_ready(everything(), Context()).scene
    data = b"".join(bytes(p) for p in spec.write(scene, "thing", spec.options(), Context())[0].pieces)
    top, _ = read_binary(memoryview(data), "thing.fbx", Limits())
    objects, joins = (next(one for one in top if one.name == name) for name in ("Objects", "Connections"))
    layer, material = (
        next(one for one in objects.children if one.name == name) for name in ("AnimationLayer", "Material")
    )
    table = material.first("Properties70")
    assert table is not None
    others = {*rest, "Shininess", "Roughness", "Metallic", "Opacity"}
    table.children[:] = [row for row in table.children if row.properties[0] not in others]
    for name, values in rest.items():
        table.add("P", name, "", "", "A", *values)
    number = 77_000_000
    for name, axes in curves.items():
        node = number = number + 1
        objects.add("AnimationCurveNode", node, f"{name}\x00\x01AnimCurveNode", "")
        joins.add("C", "OO", node, layer.properties[0])
        joins.add("C", "OP", node, material.properties[0], name)
        for axis, keys in axes.items():
            number += 1
            curve = objects.add("AnimationCurve", number, "\x00\x01AnimCurve", "")
            curve.add("KeyTime", np.array([round(t * TICKS) for t, _ in keys], np.int64))
            curve.add("KeyValueFloat", np.array([value for _, value in keys], np.float32))
            joins.add("C", "OP", number, node, f"d|{axis}")
    text = "; FBX 7.4.0 project file\n" + "".join(as_text(one) for one in top)
    back = spec.read(memoryview(text.encode()), "thing.fbx", lambda _: None, Context()).scene
    assert problems(back) == []
    return back


REST = {
    "DiffuseColor": [0.2, 0.6, 0.4],
    "DiffuseFactor": [1.0],
    "EmissiveColor": [0.5, 1.0, 0.25],
    "EmissiveFactor": [2.0],
    "TransparencyFactor": [0.0],
    "ShininessExponent": [25.0],
    "Maker|metallic": [0.0],
}
LINES = {
    "DiffuseColor": {"X": [(0.0, 0.2), (2.0, 1.0)], "Z": [(0.5, 0.0), (1.0, 1.0)]},
    "DiffuseFactor": {"DiffuseFactor": [(0.0, 1.0), (2.0, 0.5)]},
    "EmissiveFactor": {"EmissiveFactor": [(0.0, 0.0), (1.0, 2.0)]},
    "TransparencyFactor": {"TransparencyFactor": [(1.0, 0.0), (2.0, 0.75)]},
    "ShininessExponent": {"ShininessExponent": [(0.0, 0.0), (2.0, 100.0)]},
    "Maker|metallic": {"metallic": [(0.0, 0.0), (1.5, 1.0)]},
}


def test_fbx_materials_look_at_each_time_as_one_that_stands_so() -> None:
    moving = with_material_curves(LINES, REST)
    clip = next(one for one in moving.clips if one.looks)
    assert {look.path for look in clip.looks} == {"base_color", "emissive", "roughness", "metallic"}
    number = clip.looks[0].material
    assert moving.materials[number].alpha_mode == "BLEND", "it is seen through at some time"
    # The clip counts from its first key.
    begin = min(float(look.times[0]) for look in clip.looks)
    assert begin == 0
    for second in np.linspace(0, 2.2, 23):
        still = dict(REST)
        for name, axes in LINES.items():
            for axis, keys in axes.items():
                value = float(np.interp(second, *zip(*keys, strict=True)))
                place = "XYZ".index(axis) if axis in "XYZ" else 0
                still[name] = [value if k == place else v for k, v in enumerate(still[name])]
        expected = with_material_curves({}, still).materials[number]
        found = looking(moving, clip, float(second)).materials[number]
        np.testing.assert_allclose(found.base_color, expected.base_color, atol=2e-3)
        np.testing.assert_allclose(
            [found.roughness, found.metallic], [expected.roughness, expected.metallic], atol=2e-2
        )
        glow = np.array(found.emissive) * found.emissive_strength
        np.testing.assert_allclose(glow, np.array(expected.emissive) * expected.emissive_strength, atol=2e-3)


def test_fbx_curves_that_change_nothing_of_a_material_are_no_track() -> None:
    same = {"DiffuseColor": {"X": [(0.0, 0.2), (1.0, 0.2)]}, "ReflectionFactor": {"ReflectionFactor": [(0.0, 1.0)]}}
    for curves in (same, {"DiffuseColor": {"X": [(0.0, float("nan"))]}}, {"EmissiveFactor": {"X": [], "Q": []}}):
        assert not any(clip.looks for clip in with_material_curves(curves, REST).clips)
    one_more = {"DiffuseColor": {"X": [(0.0, 1e30), (1.0, -1e14)], "W": [(0.0, 3.0)]}}
    with_material_curves(one_more, REST)


def test_a_slope_of_visibility_is_seen_from_its_half_on() -> None:
    scene = make_ready(everything(), Context()).scene
    spec = FORMATS.get("fbx")
    assert spec.write is not None
    assert spec.read is not None
    data = b"".join(bytes(p) for p in spec.write(scene, "thing", spec.options(), Context())[0].pieces)
    top, _ = read_binary(memoryview(data), "thing.fbx", Limits())
    node = next(one for one in top if one.name == "Objects")
    curves = [one for one in node.children if one.name == "AnimationCurve"]
    told = next(one for one in curves if set(np.unique(one.first("KeyValueFloat").properties[0])) == {0.0, 1.0})  # type: ignore[union-attr]
    flags = told.first("KeyAttrFlags")
    times = told.first("KeyTime")
    values = told.first("KeyValueFloat")
    assert flags is not None
    assert times is not None
    assert values is not None
    flags.properties = [np.full_like(flags.properties[0], 0x4)]
    times.properties = [np.array([0, TICKS], np.int64)]
    values.properties = [np.array([1, 0], np.float32)]
    told.first("KeyAttrRefCount").properties = [np.array([2], np.int32)]  # type: ignore[union-attr]
    again = "; FBX 7.4.0 project file\n" + "".join(as_text(one) for one in top)
    back = spec.read(memoryview(again.encode()), "thing.fbx", lambda _: None, Context()).scene
    clip = breathing(back)
    prop = next(n for n, one in enumerate(back.nodes) if one.name == "prop")
    assert [prop in hidden_nodes(back, clip, second) for second in (0.0, 0.49, 0.51, 1.0)] == [False, False, True, True]


def test_it_is_stored_merged_and_goes_with_what_it_changes() -> None:
    scene = everything()
    manifest = manifest_of(scene)
    blobs = {name: bytes(data) for name, data in blobs_of(scene)}
    assert digest(scene_from(manifest, blobs.__getitem__)) == digest(scene)
    both = merge("both", [two_boxes(), scene])
    assert problems(both) == []
    for one, other in zip(breathing(both).looks, breathing(scene).looks, strict=True):
        assert both.materials[one.material].name == scene.materials[other.material].name
    assert both.nodes[breathing(both).shown[0].node].name.startswith("prop")
    assert {one.material for one in breathing(without(scene, "materials", {1})).looks} == {0}
    assert breathing(keep_nodes(scene, {4})).shown == ()


def test_keys_that_are_none_cost_no_more_than_themselves() -> None:
    scene = everything()
    clip = breathing(scene)
    bad = as_floats([[0.1, 0, 0, 1], [np.nan, 0, 0, 1], [0.9, 0, 0, 1]], 4)
    look = LookChannel(1, "base_color", clip.looks[0].times, bad)
    again = replace(clip, looks=(look, look), shown=(replace(clip.shown[0], times=clip.shown[0].times[::-1].copy()),))
    broken = replace(scene, clips=(again,))
    assert len(problems(broken)) >= 2
    made = entered(broken, "x")
    assert problems(made) == []
    assert [len(one.times) for one in made.clips[0].looks] == [2]
    assert "paint" not in made.notes[-1]
    assert "cloth" in made.notes[-1]


def test_what_leaves_those_above_it_is_seen_while_they_were() -> None:
    """A skinned part hangs on a node that a clip hides; written, it stands at the top, and is hidden all the same."""
    scene = everything()
    times = as_floats([[0], [0.5], [1]], 1)[:, 0]
    later = as_floats([[0.2], [0.7]], 1)[:, 0]
    gone = (ShownChannel(0, times, as_floats([[1], [0], [1]], 1)), ShownChannel(4, later, as_floats([[1], [0]], 1)))
    clip = replace(breathing(scene), shown=gone)
    fit = make_ready(replace(scene, clips=(clip,)), Context()).scene
    assert problems(fit) == []
    [made] = fit.clips
    body = next(n for n, node in enumerate(fit.nodes) if node.name == "body")
    prop = next(n for n, node in enumerate(fit.nodes) if node.name == "prop")
    assert body in fit.roots
    for second, body_gone, prop_gone in ((0.1, False, False), (0.6, True, True), (0.9, True, True), (1.0, True, False)):
        hidden = hidden_nodes(fit, made, second)
        assert (body in hidden, prop in hidden) == (body_gone, prop_gone), second


def test_joints_that_are_not_there_are_named() -> None:
    scene = everything()
    tracks = tuple(
        LooseTrack(joint, "rotation", as_floats([[0]], 1)[:, 0], as_floats([[0, 0, 0, 1]], 4))
        for joint in ("hip", "paw", 9)
    )
    clip = LooseClip("walk", 30.0, tracks, Origin())
    assert lacking(scene, (clip, clip)) == ["paw", "9"]
    made, share = with_clips(scene, (clip,))
    assert share == pytest.approx(1 / 3)
    assert len(made.clips) == len(scene.clips) + 1


def test_it_goes_over_to_parts_and_materials_of_the_same_names() -> None:
    scene = everything()
    target = replace(
        scene, materials=(replace(scene.materials[1]), replace(scene.materials[0], name="other")), clips=()
    )
    a, b = skeleton_of(scene), skeleton_of(replace(target, clips=()))
    fit = fitted(scene, target, a, b, pair_joints(a, b))
    made = carried_over(fit, breathing(scene))
    assert [target.nodes[one.node].name for one in made.shown] == ["prop"]
    assert {(target.materials[one.material].name, one.path) for one in made.looks} == {
        ("cloth", "emissive"), ("cloth", "base_color"),
    }  # fmt: skip


LAYOUT = """
layout: glow
records:
  file:
    - {name: count, type: u16}
    - {name: tracks, type: track, count: count}
  track:
    - {name: node, type: u8}
    - {name: paint, type: u8}
    - {name: keys, type: u16}
    - {name: seen, type: f32, count: "keys if paint == 255 else 0"}
    - {name: colors, type: f32, count: "0 if paint == 255 else 3 * keys"}
yields:
  clips:
    rate: 10
    tracks: tracks
    joint: node
    visible: seen
    material: '"" if paint == 255 else paint'
    base_color: rows(colors, 3)
"""


def test_a_layout_says_where_such_keys_are() -> None:
    data = struct.pack("<HBBH3fBBH6f", 2, 0, 255, 3, 1, 0, 1, 0, 1, 2, 1, 0, 0, 0, 1, 0)
    file = parse_file(memoryview(data), load_layout(LAYOUT, "glow.yaml"), "glow.bin", Conventions(), Context())
    scene = everything()
    joints = replace(scene, skins=(replace(scene.skins[0], joints=(1, 3)),), clips=())
    made, share = with_clips(joints, read_clips(file, Context()))
    assert problems(made) == []
    assert share == 1.0
    [clip] = made.clips
    assert [(one.node, one.values[:, 0].tolist()) for one in clip.shown] == [(1, [1, 0, 1])]
    [look] = clip.looks
    assert (look.material, look.path) == (1, "base_color")
    np.testing.assert_allclose(look.values, [[1, 0, 0, 1], [0, 1, 0, 1]])
    np.testing.assert_allclose(look.times, [0, 0.1], atol=1e-6)
