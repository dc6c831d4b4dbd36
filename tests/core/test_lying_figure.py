"""Figures that lie: found by their joints, stood up by what is proposed, and no other taken for one."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Finding
from pruxel.core.findings.lying_figure import lying_figure
from pruxel.core.fit.stance import stance_of
from pruxel.core.geometry.euler import turns_of_euler
from pruxel.core.geometry.transforms import compose
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import local_matrix, placed_by
from pruxel.core.steps.registry import STEPS
from tests.figures import BODY, rolled, skeleton

AXES = ("+x", "-x", "+y", "-y", "+z", "-z")


def found(scene: Scene) -> list[Finding]:
    return list(lying_figure(scene, Context()))


def lying(up: str, front: str) -> Scene:
    """The body, whatever way its joints are rolled, whose data has these axes."""
    rise, look = np.zeros(3), np.zeros(3)
    rise["xyz".index(up[1])] = 1 if up[0] == "+" else -1
    look["xyz".index(front[1])] = 1 if front[0] == "+" else -1
    to_data = np.eye(4)
    to_data[:3, :3] = np.stack([np.cross(rise, look), rise, look], axis=1)
    scene = skeleton(BODY, rolled(5))
    return replace(scene, nodes=(placed_by(scene.nodes[0], to_data @ local_matrix(scene.nodes[0])), *scene.nodes[1:]))


@pytest.mark.parametrize(("up", "front"), [pair for pair in product(AXES, AXES) if pair[0][1] != pair[1][1]])
def test_a_lying_figure_is_stood_up_by_what_is_proposed(up: str, front: str) -> None:
    scene = lying(up, front)
    told = found(scene)
    if up == "+y":
        assert not told
        return
    [one] = told
    assert ("head" in one.title) == (up == "-y")
    assert one.suggestion is not None
    assert one.suggestion.params == {"up": up, "front": front}
    mends = STEPS.get(one.suggestion.step)
    stood = mends.run(scene, mends.parse(one.suggestion.params), Context()).scene
    stance = stance_of(stood)
    assert stance is not None
    assert stance.front is not None
    np.testing.assert_allclose([stance.up, stance.front], [[0, 1, 0], [0, 0, 1]], atol=0.05)
    assert not found(stood)


def test_the_front_is_told_by_sides_or_toes_and_where_they_disagree_by_neither() -> None:
    few = stance_of(skeleton([one for one in BODY if "toe" not in one[0]]))
    assert few is not None
    assert few.front is not None
    np.testing.assert_allclose(few.front, [0, 0, 1], atol=0.05)
    crossed = skeleton([(name, above, (-x, y, z)) for name, above, (x, y, z) in BODY])
    told = stance_of(crossed)
    assert told is not None
    assert told.front is None
    # Then the shortest turn is proposed.
    for degrees, wanted in ((90, {"up": "+z", "front": "-y"}), (-90, {"up": "-z", "front": "+y"})):
        [one] = found(turned(crossed, degrees))
        assert one.suggestion is not None
        assert one.suggestion.params == wanted


def test_who_goes_on_all_fours_leans_or_has_no_legs_is_left_alone() -> None:
    crawling = [
        (name, above, (x, 0.5 if y > 0.9 else y, y - 1) if name in {"spine", "chest", "neck", "head"} else (x, min(y, 0.5), z))
        for name, above, (x, y, z) in BODY
    ]  # fmt: skip
    assert not found(skeleton(crawling))
    scene = skeleton(BODY)
    assert not found(turned(scene, 30))
    assert not found(turned(scene, 55))
    assert not found(skeleton([one for one in BODY if "foot" not in one[0] and "toe" not in one[0]]))
    broken = replace(scene.nodes[4], translation=(float("nan"), 0.0, 0.0))
    assert stance_of(replace(scene, nodes=(*scene.nodes[:4], broken, *scene.nodes[5:]))) is None


def turned(scene: Scene, degrees: float) -> Scene:
    """The scene turned about x."""
    turn = compose((0, 0, 0), tuple(turns_of_euler(np.array([[degrees, 0, 0]]))[0]), (1, 1, 1))
    return replace(scene, nodes=(placed_by(scene.nodes[0], turn @ local_matrix(scene.nodes[0])), *scene.nodes[1:]))
