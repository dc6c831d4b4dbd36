"""Rules find what is wrong, and nothing where nothing is."""

from dataclasses import replace

import numpy as np
import pytest

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.findings.registry import find
from pruxel.core.geometry.outside import openness
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.sample.shapes import Shape, ball, box, revolved, ring
from tests.conftest import CRAB

CONTEXT = Context()


def scene_of(shape: Shape) -> Scene:
    primitive = Primitive(as_floats(shape.vertices, 3), as_indices(shape.faces))
    return Scene("s", nodes=(Node("s", mesh=0),), roots=(0,), meshes=(Mesh("s", (primitive,)),))


def hemisphere() -> Shape:
    """An open bowl: no volume tells which side is out."""
    whole = ball(1.0, 32, 16)
    keep = whole.vertices[whole.faces][:, :, 1].min(axis=1) > -0.05
    return Shape(whole.vertices, whole.faces[keep])


SHAPES = {
    "ball": ball(1.0),
    "box": box((1, 2, 0.2)),
    "ring": ring(1.0, 0.3),
    "bowl": hemisphere(),
    "vase": revolved([(0.3, 0.0), (0.5, 0.4), (0.2, 0.9), (0.3, 1.0)], 24),
}


@pytest.mark.parametrize("name", sorted(SHAPES))
@pytest.mark.parametrize("size", [0.01, 1.0, 4000.0])
def test_inward_faces_are_told_from_outward_ones(name: str, size: float) -> None:
    shape = SHAPES[name].scaled(size)
    for scene, wrong in ((scene_of(shape), False), (scene_of(shape.flipped()), True)):
        rules = [f.rule for f in find(scene, CONTEXT)]
        assert ("inward_faces" in rules) is wrong


def test_a_lone_sheet_decides_nothing() -> None:
    seen = openness(as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], 3), as_indices([[0, 1, 2], [0, 2, 3]]))
    assert seen.decided == 0
    assert seen.front == pytest.approx(1.0)


def test_a_mirrored_node_is_judged_as_it_stands() -> None:
    scene = scene_of(SHAPES["box"])
    mirrored = replace(scene, nodes=(replace(scene.nodes[0], scale=(-1.0, 1.0, 1.0)),))
    assert [f.rule for f in find(mirrored, CONTEXT)] == []


def test_the_crab_has_one_problem_and_its_step_mends_it(opener: Opener) -> None:
    scene = opener.scene([CRAB], CONTEXT)
    [finding] = find(scene, CONTEXT)
    assert (finding.rule, finding.parts) == ("inward_faces", ("claw_r",))
    assert finding.evidence[0].value > 95
    suggestion = finding.suggestion
    assert suggestion is not None
    run = run_recipe(scene, [StepUse(step=suggestion.step, params=suggestion.params)], MemoryCache(), CONTEXT)
    assert find(run.scene, CONTEXT) == []


@pytest.mark.parametrize(
    ("path", "rules"),
    [
        ("props/p0077/p0077.brm", {"implausible_size"}),
        ("props/p0113/p0113.brm", {"extra_parts"}),
        ("levels/reef/rk_b02.brm", {"extra_parts", "loose_vertices", "useless_faces"}),
        ("props/p0021/p0021.brm", {"extra_parts"}),
        ("flora/f009/f009.brm", set()),
        ("dev/starfish.obj", set()),
        ("vehicles/vx02/vx02_hull.brm", set()),
        ("vehicles/vx07/vx07.brm", {"piled_levels", "useless_faces", "loose_vertices"}),
        ("actors/jelly_moon/jelly_moon.brm", set()),
    ],
)
def test_the_quirks_of_the_game_are_found_and_mended(opener: Opener, path: str, rules: set[str]) -> None:
    scene = opener.scene([path], CONTEXT)
    assert {f.rule for f in find(scene, CONTEXT)} == rules
    for _ in range(6):
        if not (found := find(scene, CONTEXT)):
            return
        uses = [StepUse(step=f.suggestion.step, params=f.suggestion.params) for f in found[:1] if f.suggestion]
        scene = run_recipe(scene, uses, MemoryCache(), CONTEXT).scene
    assert found == []


def test_the_anchor_ends_at_its_true_height(opener: Opener) -> None:
    scene = opener.scene(["props/p0077/p0077.brm"], CONTEXT)
    [finding] = find(scene, CONTEXT)
    assert finding.suggestion is not None
    assert finding.suggestion.params == {"factor": 0.001}
    assert finding.evidence[0].value == pytest.approx(1800, rel=0.02)


def test_empty_and_degenerate_scenes_are_quiet() -> None:
    assert find(Scene("nothing"), CONTEXT) == []
    point = Shape(np.zeros((3, 3)), np.array([[0, 1, 2]]))
    assert [f for f in find(scene_of(point), CONTEXT) if f.rule == "inward_faces"] == []
