"""Clips carried over: joints that share turns, what a body cannot do, sizes that change, joints in an order."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import RULES
from pruxel.core.fit.both import both_at
from pruxel.core.fit.chains import shared_joints
from pruxel.core.fit.ends import head_apart
from pruxel.core.fit.limits import strain_of
from pruxel.core.fit.pairing import pair_joints, skeleton_of
from pruxel.core.fit.transfer import Fit, carried_over, fitted
from pruxel.core.geometry.euler import angles_between_deg, turns_of_axes, turns_of_euler
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.checks import problems
from pruxel.core.scene.keys import laid
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.pose import posed, standing
from pruxel.core.steps.registry import STEPS
from tests.figures import BODY, dance, fleshed, rolled, skeleton
from tests.scenes import everything

TIMES = np.array([0.0, 1.0])
IDENTITY = np.array([0.0, 0.0, 0.0, 1.0])


def fit_of(source: Scene, target: Scene) -> Fit:
    a, b = skeleton_of(source), skeleton_of(target)
    return fitted(source, target, a, b, pair_joints(a, b))


def node(scene: Scene, name: str) -> int:
    return next(n for n, one in enumerate(scene.nodes) if one.name == name)


def turning(scene: Scene, **degrees: tuple[float, float, float]) -> Clip:
    """From rest to turned by angles about the axes of joints, in a second."""
    channels = []
    for name, angles in degrees.items():
        joint = node(scene, name)
        rest = np.array(scene.nodes[joint].rotation)
        assert np.allclose(rest, IDENTITY), "these figures rest without turns"
        rows = np.stack([IDENTITY, turns_of_euler(np.array([angles]))[0]])
        channels.append(laid(joint, "rotation", TIMES, rows))
    return Clip("turn", tuple(channels))


def with_joint(
    name: str, above: str, place: tuple[float, float, float], below: str = ""
) -> list[tuple[str, str, tuple]]:
    """The body with a joint more, on which another hangs."""
    found = []
    for one, up, where in BODY:
        if one == below:
            found.append((name, above, place))
        found.append((one, name if one == below else up, where))
    return found if below else [*BODY, (name, above, place)]


def turn_from(scene: Scene, clip: Clip, joint: str, second: float) -> np.ndarray:
    """What a joint has turned in the world since it rests."""
    at = worlds(scene, clip, np.array([second]))[:, node(scene, joint)]
    return turns_of(at)[1]


def test_a_spine_of_more_joints_bends_along_all_of_them() -> None:
    source = skeleton(BODY)
    clip = turning(source, chest=(0, 0, 60))
    target = skeleton(with_joint("spine2", "spine", (0, 1.27, 0), below="chest"))
    fit = fit_of(source, target)
    assert [target.nodes[n].name for n in fit.between] == ["spine2"]
    made = carried_over(fit, clip)
    assert problems(replace(target, clips=(made,))) == []
    [spine, middle, chest] = [turn_from(target, made, name, 1.0) for name in ("spine", "spine2", "chest")]
    np.testing.assert_allclose(angles_between_deg(spine, IDENTITY[None]), 0, atol=1e-3)
    np.testing.assert_allclose(angles_between_deg(middle, IDENTITY[None]), 30, atol=1e-3)
    np.testing.assert_allclose(angles_between_deg(chest, IDENTITY[None]), 60, atol=1e-3)


@pytest.mark.parametrize("share", [0.25, 0.5])
def test_a_joint_that_only_twists_takes_its_share_of_the_hand_s_twist(share: float) -> None:
    source = skeleton(BODY)
    places = {name: np.array(place) for name, _, place in BODY}
    arm, hand = places["left_forearm"], places["left_hand"]
    where = tuple(arm + share * (hand - arm))
    target = skeleton(with_joint("left_forearm_twist", "left_forearm", where))
    bone = (hand - arm) / np.linalg.norm(hand - arm)
    across = np.cross(bone, (0.0, 0.0, 1.0))
    fit = fit_of(source, target)
    for axis, wanted in ((bone, 80 * share), (across / np.linalg.norm(across), 0.0)):
        rows = np.stack([IDENTITY, turns_of_axes(axis[None], np.radians([80.0]))[0]])
        clip = Clip("turn", (laid(node(source, "left_hand"), "rotation", TIMES, rows),))
        found = turn_from(target, carried_over(fit, clip), "left_forearm_twist", 1.0)
        np.testing.assert_allclose(angles_between_deg(found, IDENTITY[None]), wanted, atol=0.05)


def test_arms_and_what_nobody_knows_share_nothing() -> None:
    target = skeleton(with_joint("left_strap", "left_forearm", (0.3, 1.3, 0)))
    known = skeleton_of(target)
    paired = {
        n: 0 for n, name in zip(known.nodes, known.names, strict=True) if name not in {"left_strap", "left_shoulder"}
    }
    assert shared_joints(known, paired) == {}


def test_feet_below_the_ground_and_knees_bent_the_wrong_way_are_measured() -> None:
    body = skeleton(BODY)
    fit = fit_of(body, body)
    walk = dance(body).clips[0]
    same = strain_of(fit, both_at(fit, walk, walk))
    assert same.below_ground == pytest.approx(0.0, abs=1e-6)
    sunk = Clip("sunk", (laid(node(body, "hips"), "translation", TIMES, np.array([(0, 1.0, 0), (0, 0.7, 0)])),))
    rest = Clip("rest", (laid(node(body, "hips"), "translation", TIMES, np.array([(0, 1.0, 0), (0, 1.0, 0)])),))
    hips = body.nodes[node(body, "hips")].translation[1]
    assert strain_of(fit, both_at(fit, rest, sunk)).below_ground == pytest.approx(
        max(hips - 0.7, 0) - max(hips - 1.0, 0), abs=1e-6
    )
    assert strain_of(fit, both_at(fit, sunk, sunk)).below_ground == pytest.approx(0.0, abs=1e-6)
    # About X, a positive turn brings what hangs down forward: a thigh up, a shin the wrong way.
    right = turning(body, left_thigh=(-50, 0, 0), left_shin=(70, 0, 0))
    wrong = turning(body, left_thigh=(30, 0, 0), left_shin=(-70, 0, 0))
    bends = {
        one.name: strain_of(fit, both_at(fit, rest, one)).knees_deg
        for one in (replace(right, name="right"), replace(wrong, name="wrong"))
    }
    assert min(bends.values()) == 0
    assert max(bends.values()) == pytest.approx(70, abs=8)


def growing(sizes: list[list[float]], joint: str = "chest") -> Scene:
    body = fleshed(skeleton(BODY, rolled(3)))
    rest = np.array(body.nodes[node(body, joint)].scale)
    track = ClipChannel(node(body, joint), "scale", TIMES.astype(np.float32), as_floats(np.array(sizes) * rest, 3))
    return replace(body, clips=(Clip("puff", (track,)), Clip("still", dance(body).clips[0].channels)))


def test_sizes_that_change_are_found_and_settled() -> None:
    rule = RULES.get("growing_joints")
    assert not list(rule.look(dance(fleshed(skeleton(BODY))), Context()))
    [told] = rule.look(growing([[1, 1, 1], [1.3, 1.3, 1.3]]), Context())
    assert told.severity == "note"
    assert told.title == "“puff” changes the sizes of joints, by up to 30%"
    [sheared] = rule.look(growing([[1, 1, 1], [1.0, 1.5, 1.0]]), Context())
    assert sheared.severity == "warning"
    assert not list(rule.look(growing([[1, 1, 1], [1.0, 1.01, 1.0]]), Context()))
    for scene, finding in ((growing([[1, 1, 1], [1.3] * 3]), told), (growing([[1, 1, 1], [1, 1.5, 1]]), sheared)):
        assert finding.suggestion is not None
        step = STEPS.get(finding.suggestion.step)
        made = step.run(scene, step.parse(finding.suggestion.params), Context()).scene
        assert problems(made) == []
        assert not [one for one in rule.look(made, Context()) if one.severity == "warning"]
    step = STEPS.get("settle_sizes")
    even = step.run(growing([[1, 1, 1], [1, 8, 1]]), step.parse({"how": "even them out"}), Context()).scene
    np.testing.assert_allclose(even.clips[0].channels[-1].values[1], [2, 2, 2], atol=1e-5)
    gone = step.run(growing([[1, 1, 1], [1, 8, 1]]), step.parse({}), Context()).scene
    assert [clip.name for clip in gone.clips] == ["still"]


def stretched(ratio: float) -> Scene:
    """The body with a dance that a body so many times as large had: its turns, its way, and the lengths of its bones."""
    body = dance(fleshed(skeleton(BODY, rolled(5))))
    clip = body.clips[0]
    told = {channel.node for channel in clip.channels if channel.path == "translation"}
    lengths = [
        laid(joint, "translation", TIMES, np.tile(ratio * np.array(body.nodes[joint].translation), (2, 1)))
        for joint in body.skins[0].joints
        if joint not in told and body.nodes[joint].name != "hips"
    ]
    own = tuple(
        replace(one, values=as_floats(ratio * one.values, 3)) if one.path == "translation" else one
        for one in clip.channels
    )
    return replace(body, clips=(replace(clip, channels=(*own, *lengths)),))


@pytest.mark.parametrize("ratio", [0.7, 1.3])
def test_a_clip_of_another_build_is_found_and_plays_with_the_bones_that_are_here(ratio: float) -> None:
    rule = RULES.get("other_build")
    own = dance(fleshed(skeleton(BODY, rolled(5))))
    assert not list(rule.look(own, Context()))
    assert not list(rule.look(stretched(1.02), Context()))
    scene = stretched(ratio)
    [found] = rule.look(scene, Context())
    assert f"{ratio:.0%} as long" in found.title
    assert found.suggestion is not None
    step = STEPS.get(found.suggestion.step)
    made = step.run(scene, step.parse(found.suggestion.params), Context()).scene
    assert problems(made) == []
    assert not list(rule.look(made, Context()))
    seconds = np.linspace(0, 1, 5)
    np.testing.assert_allclose(
        worlds(made, made.clips[0], seconds)[..., :3, 3], worlds(own, own.clips[0], seconds)[..., :3, 3], atol=1e-5
    )


def test_the_head_s_way_is_measured() -> None:
    body = dance(skeleton(BODY))
    large = skeleton([(name, up, tuple(1.5 * value for value in place)) for name, up, place in BODY])
    long = skeleton([(n, up, (x, y + (0.2 if n == "head" else 0.0), z)) for n, up, (x, y, z) in BODY])
    for target, most in ((large, 1e-4), (long, 0.25)):
        fit = fit_of(body, target)
        apart = head_apart(fit, both_at(fit, body.clips[0], carried_over(fit, body.clips[0])))
        assert apart <= most
    assert apart > 0.1


def test_joints_in_another_order_hold_all_where_it_was() -> None:
    scene = everything()
    two = replace(scene, nodes=(*scene.nodes, replace(scene.nodes[4], name="twin")), roots=(*scene.roots, 7))
    step = STEPS.get("order_joints")
    done = step.run(two, step.parse({"names": ["knee", "nobody"]}), Context())
    made = done.scene
    assert problems(made) == []
    assert [made.nodes[joint].name for joint in made.skins[0].joints] == ["knee", "hip"]
    assert made.nodes[4].mesh == made.nodes[7].mesh
    assert {one.label: one.value for one in done.measured}["names that are no joint here"] == 1
    for clip, second in ((two.clips[0], 0.3), (two.clips[0], 1.1)):
        for (_, _, was), (_, _, now) in zip(
            standing(posed(two, clip, second)), standing(posed(made, clip, second)), strict=True
        ):
            for a, b in zip(was.primitives, now.primitives, strict=True):
                np.testing.assert_allclose(a.positions, b.positions, atol=1e-6)
    with pytest.raises(UsageError, match="none of these"):
        step.run(two, step.parse({"names": ["nobody"]}), Context())
