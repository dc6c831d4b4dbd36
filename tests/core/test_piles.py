"""Levels of detail that a file piles up: found where there are some, and not where things only look alike."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.findings.registry import RULES
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene import piles as at
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.piles import piles
from pruxel.core.steps.registry import STEPS, StepResult
from tests.core.test_repairs import sphere
from tests.scenes import animated, box

CONTEXT = Context()


def scene_of(*parts: tuple[str, Primitive], materials: tuple[int, ...] = ()) -> Scene:
    """Parts one by one, of the first material where no other is said."""
    worn = materials or (0,) * len(parts)
    meshes = tuple(Mesh(n, (replace(p, material=m),)) for (n, p), m in zip(parts, worn, strict=True))
    nodes = tuple(Node(name, mesh=k) for k, (name, _) in enumerate(parts))
    return Scene(
        "s", nodes=nodes, roots=tuple(range(len(nodes))), meshes=meshes, materials=(Material("a"), Material("b"))
    )


def moved(primitive: Primitive, by: tuple[float, float, float], scale: float = 1.0) -> Primitive:
    return replace(primitive, positions=as_floats(primitive.positions * scale + np.array(by, np.float32), 3))


def performed(name: str, scene: Scene, **params: object) -> StepResult:
    step = STEPS.get(name)
    return step.run(scene, step.parse(params), CONTEXT)


def without_levels(scene: Scene) -> Scene:
    return replace(scene, nodes=tuple(replace(node, detail=0) for node in scene.nodes))


def levels(scene: Scene) -> dict[str, int]:
    return {node.name: node.detail for node in scene.nodes if node.mesh is not None}


def lumpy(seed: int) -> Primitive:
    """A ball with dents, so that thinning has something to lose."""
    ball = sphere(4)
    waves = np.random.default_rng(seed).uniform(1, 4, (3, 3))
    bumps = 1 + 0.15 * np.sin(ball.positions @ waves).sum(axis=1, keepdims=True)
    shape = replace(ball, positions=as_floats(ball.positions * bumps, 3))
    return replace(shape, normals=vertex_normals(shape.positions, shape.indices))


def test_levels_that_were_made_are_told_apart_again() -> None:
    stone, shell = lumpy(1), lumpy(2)
    scene = scene_of(("stone", stone), ("shell", moved(shell, (5, 0, 0), 0.01)), ("plate", box(0.3, (0, 0, 9))))
    made = performed("make_levels", scene, levels=3, share=45.0, parts=["stone", "shell"], ending=".{level}").scene
    told = performed("tell_levels", without_levels(made))
    assert levels(told.scene) == levels(made)
    assert told.measured[0].value == 6
    [finding] = RULES.get("piled_levels").look(without_levels(made), CONTEXT)
    assert set(finding.parts) == {name for name, level in levels(made).items() if level}
    assert finding.suggestion is not None
    mended = performed(finding.suggestion.step, without_levels(made), **finding.suggestion.params).scene
    assert not list(RULES.get("piled_levels").look(mended, CONTEXT))
    left = performed("choose_class", mended, keep="one level of detail").scene
    assert set(levels(left)) == {"stone", "shell", "plate"}


def test_what_joints_hold_is_told_apart_as_it_stands() -> None:
    scene, ball = animated(), sphere(3)
    [held] = [node for node in scene.nodes if node.skin is not None]
    assert held.mesh is not None
    [old] = scene.meshes[held.mesh].primitives
    assert old.joints is not None
    assert old.weights is not None
    rows = np.arange(len(ball.positions)) % len(old.joints)
    skinned = replace(ball, joints=old.joints[rows], weights=old.weights[rows])
    meshes = tuple(Mesh(m.name, (skinned,)) if k == held.mesh else m for k, m in enumerate(scene.meshes))
    made = performed(
        "make_levels", replace(scene, meshes=meshes, clips=()), levels=1, share=30.0, parts=[held.name]
    ).scene
    assert levels(performed("tell_levels", without_levels(made)).scene) == levels(made)


FINE, COARSE = sphere(4), sphere(2)
RIM = replace(
    FINE,
    positions=as_floats(
        [
            (x, y, 0)
            for a in np.linspace(0, 2 * np.pi, 41)[:-1]
            for r in (0.9, 1.0)
            for x, y in [(r * np.cos(a), r * np.sin(a))]
        ],
        3,
    ),
    indices=as_indices([(2 * k, (2 * k + 1), (2 * k + 2) % 80) for k in range(40)]),
)
PANE = Primitive(as_floats([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)], 3), as_indices([(0, 1, 2), (0, 2, 3)]))
ALIKE = {
    "elsewhere": scene_of(("a1", FINE), ("a2", moved(COARSE, (0.5, 0, 0)))),
    "another size": scene_of(("a1", FINE), ("a2", moved(COARSE, (0, 0, 0), 0.8))),
    "another thing of another material": scene_of(("head", FINE), ("cap", COARSE), materials=(0, 1)),
    "as many triangles": scene_of(("a1", FINE), ("a2", moved(FINE, (0, 0, 0), 1.01))),
    "a box around a ball": scene_of(("a1", FINE), ("a2", box(2.0))),
    "a pane in its rim": scene_of(("a1", RIM), ("a2", PANE)),
    "no area": scene_of(("a1", FINE), ("a2", replace(COARSE, indices=COARSE.indices[:, [0, 0, 1]]))),
    "no number": scene_of(("a1", FINE), ("a2", moved(COARSE, (np.nan, 0, 0)))),
    "nothing": scene_of(("a1", FINE), ("a2", replace(COARSE, indices=as_indices([])))),
}


@pytest.mark.parametrize("what", ALIKE)
def test_what_is_no_copy_is_left(what: str) -> None:
    assert piles(ALIKE[what], CONTEXT) == []
    told = performed("tell_levels", ALIKE[what])
    assert told.scene is ALIKE[what]
    assert told.summary == "no part is a coarser copy"


def test_the_same_two_are_a_pile_by_their_material_or_by_their_names() -> None:
    for scene in (
        scene_of(("head", FINE), ("cap", COARSE)),
        scene_of(("head_1", FINE), ("head_20", COARSE), materials=(0, 1)),
    ):
        [pile] = piles(scene, CONTEXT)
        assert pile.nodes == (0, 1)
        assert 0 < pile.apart < at.WITHIN
        assert piles(scene, CONTEXT, among={0}) == []
        assert piles(scene, CONTEXT, within=pile.apart / 2) == []


def test_a_heap_in_one_box_is_no_pile_and_costs_little(monkeypatch: pytest.MonkeyPatch) -> None:
    looked: list[int] = []
    monkeypatch.setattr(at, "_apart", lambda _one, _other: looked.append(1) or 0.0)
    heap = [(f"part{k}", replace(FINE, indices=FINE.indices[: 40 + 60 * k])) for k in range(60)]
    piles(scene_of(*heap), CONTEXT)
    assert len(looked) <= 60 * at._MOST_LEVELS
