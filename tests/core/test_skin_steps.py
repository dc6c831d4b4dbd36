"""Weights and joints changed on purpose: what moves is what should, and nothing else."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import find
from pruxel.core.geometry.weights import columns_of, weight_table
from pruxel.core.scene.checks import problems
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.surface_motion import apart_at_surface
from pruxel.core.steps.registry import STEPS, StepResult
from tests.figures import BODY, dance, fleshed, rolled, skeleton
from tests.scenes import two_boxes

MOMENTS = np.linspace(0, 2, 9)


def run(what: str, scene: Scene, /, **params: Any) -> StepResult:
    step = STEPS.get(what)
    done = step.run(scene, step.parse(params), Context())
    assert problems(done.scene) == []
    return done


def dancer(influences: int = 4, seed: int = 3) -> Scene:
    return dance(fleshed(skeleton(BODY, rolled(seed)), influences), seed)


def at(scene: Scene, seconds: float) -> np.ndarray:
    """All vertices of all parts where a moment of the first clip has them."""
    every = [p.positions for _, _, mesh in standing(posed(scene, scene.clips[0], seconds)) for p in mesh.primitives]
    return np.concatenate(every)


def rigid(seed: int = 3) -> Scene:
    """A dancer each of whose vertices follows one joint."""
    return run("limit_weights", dancer(seed=seed), most=1).scene


def flesh(scene: Scene) -> Primitive:
    return scene.meshes[0].primitives[0]


@given(data=st.data())
def test_weights_as_a_table_and_back_are_the_same_pull(data: st.DataObject) -> None:
    count, wide, joints = (data.draw(st.integers(1, 6)) for _ in range(3))
    rng = np.random.default_rng(data.draw(st.integers(0, 2**32 - 1)))
    named = rng.integers(0, joints, (count, wide)).astype(np.uint16)
    weights = rng.random((count, wide)).astype(np.float32) * (rng.random((count, wide)) < 0.7)
    table = weight_table(named, weights.astype(np.float32), count, joints)
    back, shares = columns_of(table, 64)
    wanted = np.zeros((count, joints))
    np.add.at(wanted, (np.arange(count)[:, None], named), weights)
    sums = wanted.sum(axis=1, keepdims=True)
    wanted = np.divide(wanted, sums, out=np.zeros_like(wanted), where=sums > 0)
    found = np.zeros((count, joints))
    np.add.at(found, (np.arange(count)[:, None], back), shares)
    np.testing.assert_allclose(found, wanted, atol=1e-6)
    assert (np.diff(shares, axis=1) <= 1e-7).all()


def test_the_strongest_stay_and_sum_to_one() -> None:
    scene = dancer(influences=8)
    assert any(one.rule == "crowded_weights" for one in find(scene, Context()))
    done = run("limit_weights", scene, most=3, least=5)
    before, after = flesh(scene), flesh(done.scene)
    assert after.weights is not None
    assert after.joints is not None
    assert after.weights.shape[1] == 3
    np.testing.assert_allclose(after.weights.sum(axis=1), 1, atol=1e-6)
    assert ((after.weights == 0) | (after.weights >= 0.05)).all()
    pulled = weight_table(before.joints, before.weights, len(after.joints), len(BODY)).toarray()
    strongest = pulled[np.arange(len(pulled)), after.joints[:, 0]]
    np.testing.assert_allclose(strongest, pulled.max(axis=1))
    assert not any(one.rule == "crowded_weights" for one in find(done.scene, Context()))


def test_smoothing_draws_neighbours_together_and_seams_stay_closed() -> None:
    scene = rigid()
    # A seam: each triangle has corners of its own.
    torn = flesh(scene)
    assert torn.joints is not None
    assert torn.weights is not None
    order = torn.indices.ravel()
    loose = Primitive(
        as_floats(torn.positions[order], 3), as_indices(np.arange(len(order))), joints=torn.joints[order],
        weights=torn.weights[order],
    )  # fmt: skip
    # Beside its hard border a ball is stretched over two joints.
    joints = loose.joints.copy()  # type: ignore[union-attr]
    joints[loose.positions[:, 0] > 0.15] = 3
    scene = replace(scene, meshes=(Mesh("flesh", (replace(loose, joints=joints),)),))
    done = flesh(run("smooth_weights", scene, strength=60, passes=4).scene)
    _, place = np.unique(done.positions, axis=0, return_inverse=True)
    table = weight_table(done.joints, done.weights, len(done.positions), len(BODY)).toarray()
    for k in range(place.max() + 1):
        assert np.ptp(table[place.ravel() == k], axis=0).max() < 1e-6
    np.testing.assert_allclose(table.sum(axis=1), 1, atol=1e-6)
    assert (np.count_nonzero(table, axis=1) > 1).any()


def test_holes_are_filled_from_around_them_and_loose_pieces_from_what_is_near() -> None:
    scene = dancer()
    p = flesh(scene)
    assert p.weights is not None
    weights = p.weights.copy()
    hole = np.zeros(len(weights), bool)
    hole[:42] = True  # the whole first ball: nothing of its own to go by
    hole[50:60] = True
    weights[hole] = 0
    broken = replace(scene, meshes=(Mesh("flesh", (replace(p, weights=weights),)),))
    [told] = [one for one in find(broken, Context()) if one.rule == "unheld_vertices"]
    assert told.suggestion is not None
    done = run(told.suggestion.step, broken, **told.suggestion.params)
    after = flesh(done.scene)
    assert after.weights is not None
    np.testing.assert_allclose(after.weights.sum(axis=1), 1, atol=1e-6)
    untouched = weight_table(after.joints, after.weights, len(hole), len(BODY)).toarray()[~hole]
    np.testing.assert_allclose(
        untouched, weight_table(p.joints, p.weights, len(hole), len(BODY)).toarray()[~hole], atol=1e-6
    )
    assert not any(one.rule == "unheld_vertices" for one in find(done.scene, Context()))
    assert done.measured[0].value == int(hole.sum())


def test_weights_that_are_no_whole_are_found_and_made_one() -> None:
    scene = dancer()
    p = flesh(scene)
    assert p.weights is not None
    broken = replace(scene, meshes=(Mesh("flesh", (replace(p, weights=p.weights * np.float32(1.2)),)),))
    [told] = [one for one in find(broken, Context()) if one.rule == "uneven_weights"]
    assert told.suggestion is not None
    done = run(told.suggestion.step, broken, **told.suggestion.params).scene
    assert apart_at_surface(scene, scene.clips[0], done, done.clips[0], MOMENTS) < 1e-5
    assert not any(one.rule == "uneven_weights" for one in find(done, Context()))


def test_a_suit_moves_like_the_body_that_it_lies_on() -> None:
    """The very surface, as a part without a skin, placed and turned somewhere in the tree."""
    scene = dancer()
    p = flesh(scene)
    bare = replace(p, joints=None, weights=None, positions=as_floats(p.positions * 2 + (1, 0, 0), 3))
    suit = Node("suit", mesh=1, scale=(0.5, 0.5, 0.5), translation=(-0.5, 0, 0))
    both = replace(
        scene, meshes=(*scene.meshes, Mesh("suit", (bare,))), nodes=(*scene.nodes, suit),
        roots=(*scene.roots, len(scene.nodes)),
    )  # fmt: skip
    done = run("take_weights", both, source="flesh", parts=["suit"]).scene
    half = len(p.positions)
    for seconds in (0.0, 0.7, 1.9):
        every = at(done, seconds)
        np.testing.assert_allclose(every[:half], every[half:], atol=2e-5)
    with pytest.raises(UsageError, match="no joint holds"):
        run("take_weights", both, source="suit", parts=["flesh"])


@pytest.mark.parametrize("facing", [True, False])
def test_a_thin_sheet_takes_nothing_from_its_far_side(facing: bool) -> None:
    """Two sheets 1 mm apart that face away from each other, held by different joints; a coat on either."""
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32) * 0.2
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    points = np.concatenate([square, square - (0, 0, 0.001)])
    both = np.concatenate([faces, faces[:, ::-1] + 4])
    joints = np.repeat([[1], [2]], 4, axis=0).astype(np.uint16)
    sheet = Primitive(as_floats(points, 3), as_indices(both), joints=joints, weights=np.ones((8, 1), np.float32))
    # The coat's inner layer lies nearer to the far side than to its own.
    coat = Primitive(as_floats(points * (1, 1, 0.1) - (0, 0, 0.0004), 3), as_indices(both))
    base = skeleton(BODY)
    nodes = (*base.nodes, Node("sheet", mesh=0, skin=0), Node("coat", mesh=1))
    scene = replace(
        base,
        nodes=nodes,
        roots=(0, len(nodes) - 2, len(nodes) - 1),
        meshes=(Mesh("sheet", (sheet,)), Mesh("coat", (coat,))),
    )
    done = run("take_weights", scene, source="sheet", parts=["coat"], facing=facing).scene
    made = done.meshes[1].primitives[0]
    assert made.joints is not None
    right = made.joints[:, 0] == joints[:, 0]
    assert right.all() if facing else not right.all()


def test_what_is_bound_to_a_joint_goes_stiffly_with_it() -> None:
    scene = dancer()
    lamp = two_boxes().meshes[1]
    node = Node("lamp", mesh=1, translation=(0.3, 1.0, 0.2), rotation=(0, 0.6, 0, 0.8), scale=(1, -1, 2))
    both = replace(
        scene, meshes=(*scene.meshes, lamp), nodes=(*scene.nodes, node), roots=(*scene.roots, len(scene.nodes)),
        materials=two_boxes().materials, textures=two_boxes().textures, images=two_boxes().images,
    )  # fmt: skip
    rest = dict(_standing(both))["lamp"]
    done = run("bind_to_joint", both, joint="left_hand", parts=["lamp"]).scene
    np.testing.assert_allclose(dict(_standing(done))["lamp"], rest, atol=1e-5)
    moved = dict(_standing(posed(done, done.clips[0], 0.9)))["lamp"]
    apart = np.linalg.norm(moved[:, None] - moved[None], axis=2)
    np.testing.assert_allclose(apart, np.linalg.norm(rest[:, None] - rest[None], axis=2), atol=1e-4)
    assert np.linalg.norm(moved - rest, axis=1).min() > 0.01
    with pytest.raises(UsageError, match="no joint called"):
        run("bind_to_joint", both, joint="tentacle")


def _standing(scene: Scene) -> list[tuple[str, np.ndarray]]:
    return [(node.name, np.concatenate([p.positions for p in mesh.primitives])) for _, node, mesh in standing(scene)]


@pytest.mark.parametrize("ends", [True, False])
def test_dropping_joints_moves_nothing(ends: bool) -> None:
    # Fingers and a tail that hold nothing, below joints that do.
    more = [
        ("tail_1", "hips", (0, 0.9, -0.2)),
        ("tail_2", "tail_1", (0, 0.9, -0.4)),
        ("finger", "left_hand", (0.2, 0.9, 0)),
    ]
    bare = skeleton([*BODY, *more])
    whole = fleshed(skeleton(BODY))
    scene = dance(replace(
        bare, nodes=(*bare.nodes, whole.nodes[-1]), roots=(0, len(bare.nodes)), meshes=whole.meshes,
    ))  # fmt: skip
    before = at(scene, 0.8)
    done = run("drop_joints", scene, ends=ends)
    gone = {"tail_1", "tail_2"} | (set() if ends else {"finger"})
    assert set(done.removed) == gone
    np.testing.assert_allclose(at(done.scene, 0.8), before, atol=1e-6)
    assert len(done.scene.skins[0].joints) == len(bare.nodes) - len(gone)


def test_joints_get_names_by_list_and_by_rule() -> None:
    scene = dancer()
    done = run("rename_joints", scene, names=["hips = pelvis"], find="left_", put="l_", pattern="rig_{name}")
    names = [node.name for node in done.scene.nodes]
    assert names[:2] == ["pelvis", "rig_spine"]
    assert "rig_l_hand" in names
    assert "flesh" in names
    assert done.renamed["left_hand"] == "rig_l_hand"
    np.testing.assert_array_equal(at(done.scene, 0.6), at(scene, 0.6))
    with pytest.raises(UsageError, match="names no joint"):
        run("rename_joints", scene, names=["tentacle = arm"])


def test_another_rest_leaves_clips_as_they_were() -> None:
    """Where each vertex follows one joint exactly so; else as far off as it says."""
    scene = rigid()
    done = run("set_rest", scene, clip="dance", at=0.5)
    np.testing.assert_allclose(at(scene, 0.5), np.concatenate([v for _, v in _standing(done.scene)]), atol=1e-5)
    for seconds in MOMENTS:
        np.testing.assert_allclose(at(done.scene, seconds), at(scene, seconds), atol=2e-5)
    blended = dancer()
    kept = run("set_rest", blended, clip="dance", at=0.5, surface="bound as it was").scene
    assert apart_at_surface(blended, blended.clips[0], kept, kept.clips[0], MOMENTS) < 1e-5
    anew = run("set_rest", blended, clip="dance", at=0.5)
    apart = apart_at_surface(blended, blended.clips[0], anew.scene, anew.scene.clips[0], MOMENTS)
    told = {one.label: one.value for one in anew.measured}["clips apart by"]
    assert float(told) == pytest.approx(1000 * apart, rel=0.2)
    assert apart > 1e-3


def test_a_clip_that_leaves_joints_at_rest_keeps_them_there() -> None:
    """A new rest must not shine through where a clip says nothing of a joint."""
    scene = rigid()
    few = replace(scene.clips[0], name="few", channels=scene.clips[0].channels[8:9])
    scene = replace(scene, clips=(scene.clips[0], few))
    done = run("set_rest", scene, clip="dance", at=0.5).scene
    assert apart_at_surface(scene, few, done, done.clips[1], MOMENTS) < 2e-5
