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
from pruxel.core.steps.assemble.fill_slot import slot_of
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import STEPS, Library, StepResult
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


def filled(scene: Scene, guest: Scene, **params: object) -> StepResult:
    step = STEPS.get("fill_slot")
    return step.perform(scene, step.parse({"slot": "hat", "entry": "x"} | params), CONTEXT, Shelf(guest))


def taller(scene: Scene, by: float) -> Scene:
    """The same on a skeleton whose joints stand further apart; skins keep how joints rested."""
    joints = {joint for skin in scene.skins for joint in skin.joints}
    stretched = tuple(
        replace(n, translation=(n.translation[0], n.translation[1] + by, n.translation[2])) if i in joints else n
        for i, n in enumerate(scene.nodes)
    )
    return replace(scene, nodes=stretched)


def test_what_fills_a_slot_hangs_on_the_skeleton_that_is_there_and_goes_along() -> None:
    base = animated()
    guest = replace(base, name="guest", clips=())
    result = filled(taller(base, 0.4), guest)
    made = result.scene
    assert problems(made) == []
    assert result.measured[2].value == len(base.skins[0].joints)
    assert {j for skin in made.skins for j in skin.joints} == set(made.skins[0].joints)
    # Both parts hang on the same joints by the same weights: they are moved alike, at rest and in each clip.
    first, second = (node.name for _, node, _ in parts(made) if node.skin is not None)
    for clip in (None, 0):
        stood = places(made, clip, 0.3)
        np.testing.assert_allclose(stood[first], stood[second], atol=1e-5)
    # Shared as it rested, the guest would stay where the smaller one is.
    assert np.abs(places(made)[second] - places(guest)[first]).max() > 0.05


def test_a_slot_is_filled_anew_and_emptied_and_all_else_stays() -> None:
    base = animated()
    joint = base.nodes[base.skins[0].joints[-1]].name
    first = filled(base, two_boxes(), to=joint).scene
    tool = filled(first, replace(two_boxes(), name="tool"), slot="tool").scene
    again = filled(tool, replace(base, name="other"))
    assert problems(again.scene) == []
    assert "tool" in {node.name for node in again.scene.nodes}
    assert {slot_of(node) for node in again.scene.nodes} == {None, "hat", "tool"}
    assert len(again.removed) >= 3, "the first hat is gone"
    empty = filled(filled(again.scene, base, entry="").scene, base, slot="tool", entry="")
    assert empty.measured[0].value == 2
    assert digest(replace(empty.scene, name="")) == digest(replace(base, name=""))
    assert digest(filled(base, base, entry="").scene) == digest(base)


def test_a_stranger_in_a_slot_is_told_and_a_thing_that_hangs_on_it_stays() -> None:
    base = animated()
    stranger = replace(
        taller(base, 0.7),
        nodes=tuple(replace(n, name=f"q{i}", translation=(9.0, 9.0, float(i))) for i, n in enumerate(base.nodes)),
    )
    result = filled(base, stranger)
    assert result.notes[-1] == "no joint of 'animated' is one of “bones”: it moves by itself"
    assert "1 clip of 'animated' left out" in result.notes[0]
    held = filled(result.scene, two_boxes(), slot="tool", to=next(n.name for n in result.scene.nodes if n.name == "q1"))
    gone = filled(held.scene, base, entry="")
    assert {node.name for node in gone.scene.nodes} >= {node.name for node in two_boxes().nodes}
    assert problems(gone.scene) == []
    with pytest.raises(UsageError, match="the number must|at least 1|must"):
        STEPS.get("fill_slot").parse({"slot": ""})
