"""Things put together: hung on joints, brought onto one skeleton, resting and moving as they should."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.walk import node_named, parents_of, parts, world_from_local
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import STEPS, Library
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()


class Shelf(Library):
    """One other entry."""

    def __init__(self, scene: Scene) -> None:
        self.held = scene

    def digest(self, reference: Reference) -> str:
        """Its content."""
        return digest(self.held)

    def scene(self, reference: Reference, context: Context) -> Scene:
        """The entry."""
        return self.held


def brought(scene: Scene, guest: Scene, **params: object) -> Scene:
    step = STEPS.get("bring_in")
    return step.perform(scene, step.parse({"entry": "x"} | params), CONTEXT, Shelf(guest)).scene


def places(scene: Scene, clip: int | None = None, seconds: float = 0.0) -> dict[str, np.ndarray]:
    """Where the vertices of each part stand in the world."""
    moved = scene if clip is None else posed(scene, scene.clips[clip], seconds)
    return {
        node.name: np.concatenate([p.positions for p in mesh.primitives] or [np.zeros((0, 3))])
        for _, node, mesh in standing(moved)
    }


@pytest.mark.parametrize("at", [(0.0, 0.0, 0.0), (0.3, -0.2, 0.1)])
def test_what_hangs_on_a_joint_goes_where_the_joint_goes(at: tuple[float, float, float]) -> None:
    scene = animated()
    joint = scene.skins[0].joints[-1]
    name = scene.nodes[joint].name
    assert name in measure(scene).points
    made = brought(scene, two_boxes(), to=name, at=at, turn=(0, 90, 0))
    assert problems(made) == []
    top = next(i for i, n in enumerate(made.nodes) if n.name.startswith(two_boxes().name))
    assert parents_of(made)[top] == joint
    local = np.linalg.inv(world_from_local(made)[joint]) @ world_from_local(made)[top]
    np.testing.assert_allclose(local[:3, 3], at, atol=1e-6)
    # A quarter about y takes z to x.
    np.testing.assert_allclose(local[:3, :3] @ [0, 0, 1], [1, 0, 0], atol=1e-6)
    with pytest.raises(UsageError, match="no joint or point called 'tail'"):
        brought(scene, two_boxes(), to="tail")


@pytest.mark.parametrize("shift", [0.0, 0.01])
@pytest.mark.parametrize("name", ["animated", "everything"])
def test_two_of_one_skeleton_become_one_and_nothing_moves_at_rest(name: str, shift: float) -> None:
    scene = {"animated": animated, "everything": everything}[name]()
    both = brought(scene, scene, at=(shift, 0, 0))
    assert len(both.skins) > len(scene.skins)
    step = STEPS.get("share_skeleton")
    result = step.run(both, step.parse({}), CONTEXT)
    made = result.scene
    assert problems(made) == []
    assert result.measured[1].value == 0
    joints = {joint for skin in made.skins for joint in skin.joints}
    assert joints == {joint for skin in made.skins[:1] for joint in skin.joints} or len(scene.skins) > 1
    assert len(made.nodes) < len(both.nodes)
    before, after = places(both), places(made)
    assert set(after) == set(before)
    for part, where in before.items():
        np.testing.assert_allclose(after[part], where, atol=1e-5)
    # A clip of the first moves both now, each from where it rests.
    held = [node.name for _, node, _ in parts(made) if node.skin is not None]
    if made.clips and shift == 0.0 and name == "animated":
        moved = places(made, 0, 0.4)
        first, second = (moved[part] for part in held[:2])
        np.testing.assert_allclose(first, second, atol=1e-5)


def test_joints_are_known_by_place_where_names_differ_and_others_stay() -> None:
    scene = animated()
    renamed = replace(
        scene,
        nodes=tuple(replace(n, name=f"q{i}") if n.mesh is None else n for i, n in enumerate(scene.nodes)),
    )
    both = brought(scene, renamed)
    step = STEPS.get("share_skeleton")
    near = step.run(both, step.parse({"near": 0.001}), CONTEXT)
    assert near.measured[0].value == len(scene.skins[0].joints)
    far = step.run(both, step.parse({"near": 0}), CONTEXT)
    assert far.measured[0].value == 0
    assert digest(far.scene.meshes) == digest(both.meshes)
    for made in (near.scene, far.scene):
        assert problems(made) == []
        before, after = places(both), places(made)
        for part, where in before.items():
            np.testing.assert_allclose(after[part], where, atol=1e-5)
    with pytest.raises(UsageError, match="one skeleton at the most"):
        step.run(scene, step.parse({}), CONTEXT)
    assert node_named(near.scene, "q0") is None or node_named(scene, "q0") is None
