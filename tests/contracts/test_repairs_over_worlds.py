"""What steps that mend and place promise, over random worlds, at rest and through their clips."""

from __future__ import annotations

from math import cos, radians, sin
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.geometry.measure import area_vectors
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import standing
from tests.contracts.test_steps_over_worlds import UNHURRIED, chosen, performed
from tests.contracts.test_worlds import SEEDS, assert_same, moments, normal_weights, places, shown
from tests.contracts.test_worlds import made as made_loosely


def made(seed: int) -> Scene:
    """A world whose weights sum to one: else nothing moves as a whole."""
    return normal_weights(made_loosely(seed))


def triangles(scene: Scene, *, ordered: bool = True) -> np.ndarray:
    """(m, 3, 3) the corners of all triangles as they stand, sorted; without order, each triangle's corners too."""
    found = [p.positions[p.indices] for _, _, mesh in standing(scene) for p in mesh.primitives]
    rows = np.concatenate([np.zeros((0, 3, 3), np.float32), *found])
    if not ordered:
        within = np.lexsort((rows[..., 2], rows[..., 1], rows[..., 0]), axis=1)
        rows = np.take_along_axis(rows, within[..., None], axis=1)
    return rows[np.lexsort(rows.reshape(len(rows), 9).T)]


def assert_moved(before: Scene, after: Scene, matrix: np.ndarray) -> None:
    """Everything stands where the (4, 4) matrix puts it, at every moment."""
    for was, now in zip(moments(before), moments(after), strict=True):
        one, other = places(was), places(now)
        assert one.keys() == other.keys()
        for name, arrays in one.items():
            for a, b in zip(arrays, other[name], strict=True):
                wanted = a @ matrix[:3, :3].T + matrix[:3, 3]
                assert np.abs(wanted - b).max(initial=0) <= 1e-4 * (float(np.abs(wanted).max(initial=0)) + 1), name


def fronts(scene: Scene) -> list[np.ndarray]:
    return [area_vectors(p.positions, p.indices) for _, _, mesh in standing(scene) for p in mesh.primitives]


@UNHURRIED
@given(seed=SEEDS, angle=st.floats(-360, 360), axis=st.sampled_from("xyz"))
def test_a_placed_world_moves_as_one(seed: int, angle: float, axis: str) -> None:
    scene = made(seed)
    asked = {"turn": angle, "axis": axis, "shift": [1.0, -2.0, 0.5]}
    c, s, k = cos(radians(angle)), sin(radians(angle)), "xyz".index(axis)
    matrix = np.eye(4)
    others = [(k + 1) % 3, (k + 2) % 3]
    matrix[np.ix_(others, others)] = [[c, -s], [s, c]]
    matrix[:3, 3] = asked["shift"]
    assert_moved(scene, performed("place_model", scene, asked).scene, matrix)


@UNHURRIED
@given(seed=SEEDS)
def test_centred_and_set_down_is_in_the_middle_and_on_the_ground(seed: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    facts = measure(performed("place_model", scene, {"centre": True, "ground": True}).scene)
    reach = 1e-3 * (max(map(abs, (*facts.minimum, *facts.maximum))) + 1)
    assert abs(facts.minimum[1]) <= reach
    assert abs(facts.minimum[0] + facts.maximum[0]) <= reach
    assert abs(facts.minimum[2] + facts.maximum[2]) <= reach


@UNHURRIED
@given(seed=SEEDS, of=st.sampled_from(["height", "longest side"]), length=st.floats(0.01, 300))
def test_a_size_that_is_set_is_the_size(seed: int, of: str, length: float) -> None:
    scene = made(seed)
    size = measure(scene).size
    if not shown(scene) or size[1] <= 1e-3:
        return
    scaled = measure(performed("set_size", scene, {"of": of, "length": length}).scene).size
    assert (scaled[1] if of == "height" else max(scaled)) == pytest.approx(length, rel=1e-3)


@UNHURRIED
@given(seed=SEEDS, up=st.sampled_from(["+x", "-x", "+y", "-y", "+z", "-z"]), front=st.sampled_from("xyz"))
def test_a_world_stands_up_whole(seed: int, up: str, front: str) -> None:
    scene = made(seed)
    if up[1] == front:
        return
    rise, look = np.zeros(3), np.zeros(3)
    rise["xyz".index(up[1])] = 1 if up[0] == "+" else -1
    look["xyz".index(front)] = 1
    matrix = np.eye(4)
    matrix[:3, :3] = [np.cross(rise, look), rise, look]
    assert np.linalg.det(matrix) == pytest.approx(1)
    assert_moved(scene, performed("stand_up", scene, {"up": up, "front": f"+{front}"}).scene, matrix)


@UNHURRIED
@given(seed=SEEDS, axis=st.sampled_from("xyz"))
def test_a_mirrored_world_is_mirrored_and_mirrored_again_is_itself(seed: int, axis: str) -> None:
    scene = made(seed)
    matrix = np.eye(4)
    matrix["xyz".index(axis), "xyz".index(axis)] = -1
    mirrored = performed("mirror_model", scene, {"axis": axis}).scene
    assert_moved(scene, mirrored, matrix)
    for was, now in zip(fronts(scene), fronts(mirrored), strict=True):
        # Corners run the other way, so what was in front is in front.
        assert np.abs(was @ matrix[:3, :3] - now).max(initial=0) <= 1e-4 * (np.abs(was).max(initial=0) + 1)
    assert_same(scene, performed("mirror_model", mirrored, {"axis": axis}).scene, 1e-4)


@UNHURRIED
@given(seed=SEEDS, pick=SEEDS, by=st.sampled_from(["material", "piece", "texture tile", "joint"]))
def test_what_is_split_is_all_there_and_moves_as_before(seed: int, pick: int, by: str) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    split = performed("split_parts", scene, {"parts": chosen(scene, pick), "by": by, "most": 10_000}).scene
    for was, now in zip(moments(scene), moments(split), strict=True):
        assert np.array_equal(triangles(was), triangles(now))


ASKED: dict[str, dict[str, Any]] = {
    "agree_faces": {},
    "cut_to_triangles": {},
    "make_normals": {"angle": 50, "weight": "area"},
    "weld_vertices": {"distance": 0.0, "normals": 0.0, "uvs": 0.0},
}


@UNHURRIED
@given(seed=SEEDS, name=st.sampled_from(sorted(ASKED)))
def test_mending_leaves_every_triangle_where_it_is(seed: int, name: str) -> None:
    scene = made(seed)
    mended = performed(name, scene, ASKED[name]).scene
    for was, now in zip(moments(scene), moments(mended), strict=True):
        before, after = triangles(was, ordered=False), triangles(now, ordered=False)
        if name == "weld_vertices":
            # What was a line or a point may go.
            flat = (before[:, 0] == before[:, 1]).all(axis=1) | (before[:, 1] == before[:, 2]).all(axis=1)
            if len(before) != len(after):
                before = before[~flat]
        assert np.array_equal(before, after)
