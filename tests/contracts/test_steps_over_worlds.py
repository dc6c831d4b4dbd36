"""What each step promises, over random worlds: at rest and through their clips, for what it changes and what it leaves."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import RULES, find
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.pictures.render import View, render
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import MorphTarget, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.walk import parts
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import STEPS, Library, StepResult
from tests.contracts.test_worlds import SEEDS, assert_same, made, moments, normal_weights, places, shown
from tests.scenes import everything

CONTEXT = Context()
UNHURRIED = settings(deadline=None, max_examples=28, suppress_health_check=[HealthCheck.too_slow])


class Shelf(Library):
    """One other world."""

    def __init__(self, scene: Scene) -> None:
        self._scene = scene

    def digest(self, reference: Reference) -> str:
        return digest(self._scene)

    def scene(self, reference: Reference, context: Context) -> Scene:
        return self._scene


def performed(name: str, scene: Scene, params: dict[str, Any], shelf: Library | None = None) -> StepResult:
    step = STEPS.get(name)
    result = step.perform(scene, step.parse(params), CONTEXT, shelf or Shelf(scene))
    assert problems(result.scene) == []
    return result


def names(scene: Scene) -> list[str]:
    return [node.name for _, node, _ in parts(scene)]


def chosen(scene: Scene, seed: int) -> list[str]:
    """Some of the parts, at least one."""
    there = names(scene)
    rng = np.random.default_rng(seed)
    return [name for name in there if rng.random() < 0.5] or there[:1]


def only(scene: Scene, wanted: set[str]) -> dict[str, list[np.ndarray]]:
    return {name: arrays for name, arrays in places(scene).items() if name in wanted}


@UNHURRIED
@given(seed=SEEDS, factor=st.sampled_from([0.01, 0.0254, 2.0, 100.0]))
def test_setting_units_scales_every_place_at_every_moment(seed: int, factor: float) -> None:
    scene = made(seed)
    scaled = performed("set_units", scene, {"factor": factor}).scene
    for was, now in zip(moments(scene), moments(scaled), strict=True):
        one, other = places(was), places(now)
        assert one.keys() == other.keys()
        for name, arrays in one.items():
            for before, after in zip(arrays, other[name], strict=True):
                reach = (float(np.abs(before).max()) + 1) * factor
                assert np.abs(before * factor - after).max() <= 3e-5 * reach
    back = performed("set_units", scaled, {"factor": 1 / factor}).scene
    assert_same(scene, back, 1e-4)


@UNHURRIED
@given(seed=SEEDS, pick=SEEDS)
def test_flipping_turns_what_is_chosen_and_nothing_else(seed: int, pick: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    wanted = chosen(scene, pick)
    flipped = performed("flip_faces", scene, {"parts": wanted}).scene
    assert_same(scene, flipped)
    for (_, node, was), (_, other, now) in zip(standing(scene), standing(flipped), strict=True):
        assert node.name == other.name
        sign = -1 if node.name in wanted else 1
        for before, after in zip(was.primitives, now.primitives, strict=True):
            one, two = (area_vectors(p.positions, p.indices) for p in (before, after))
            # Triangles keep their order; a turned one begins at another corner, its area vector only changes sides.
            assert np.allclose(one * sign, two, atol=1e-5 * (np.abs(one).max() + 1e-9))
            if before.normals is not None and after.normals is not None:
                assert np.allclose(before.normals * sign, after.normals, atol=1e-5)
    again = performed("flip_faces", flipped, {"parts": wanted}).scene
    for (_, _, was), (_, _, now) in zip(standing(scene), standing(again), strict=True):
        for before, after in zip(was.primitives, now.primitives, strict=True):
            assert np.array_equal(before.indices, after.indices)


def test_flipping_turns_the_normals_of_shapes_too() -> None:
    scene = everything()
    body = scene.meshes[0]
    shape = MorphTarget(
        "frown", body.primitives[0].targets[0].positions, normals=as_floats(body.primitives[0].positions, 3)
    )
    first = replace(body.primitives[0], targets=(shape,))
    scene = replace(scene, meshes=(replace(body, primitives=(first, *body.primitives[1:])), *scene.meshes[1:]))
    flipped = performed("flip_faces", scene, {"parts": ["body"]}).scene
    turned = flipped.meshes[0].primitives[0].targets[0].normals
    assert turned is not None
    assert shape.normals is not None
    assert np.array_equal(turned, -shape.normals)
    kept = performed("flip_faces", scene, {"parts": ["body"], "normals": False}).scene
    assert kept.meshes[0].primitives[0].targets[0].normals is shape.normals


@UNHURRIED
@given(seed=SEEDS, what=st.sampled_from(["everything", "turn and scale", "scale"]))
def test_baking_moves_nothing_at_any_moment(seed: int, what: str) -> None:
    scene = made(seed)
    assert_same(scene, performed("bake_transforms", scene, {"what": what}).scene)


@UNHURRIED
@given(seed=SEEDS)
def test_pairing_draws_the_same(seed: int) -> None:
    scene = made(seed)
    paired = performed("pair_triangles", scene, {}).scene
    for (_, _, was), (_, _, now) in zip(parts(scene), parts(paired), strict=True):
        for before, after in zip(was.primitives, now.primitives, strict=True):
            one, two = ({tuple(np.roll(t, -int(np.argmin(t)))) for t in p.indices} for p in (before, after))
            assert one == two


@UNHURRIED
@given(seed=SEEDS, pick=SEEDS, drop=st.booleans())
def test_parts_that_stay_stand_where_they_stood(seed: int, pick: int, *, drop: bool) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    wanted = chosen(scene, pick)
    stay = set(names(scene)) - set(wanted) if drop else set(wanted)
    params = {"parts": wanted, "action": "drop" if drop else "keep"}
    if not stay:
        with pytest.raises(UsageError):
            performed("show_parts", scene, params)
        return
    result = performed("show_parts", scene, params)
    assert set(names(result.scene)) == stay
    there = {node.name for node in result.scene.nodes}
    assert set(result.removed) == set(names(scene)) - stay - there
    clips = {clip.name: clip for clip in result.scene.clips}
    before = [scene, *moments(scene)[1:]] if len(clips) == len(scene.clips) else [scene]
    after = moments(result.scene)[: len(before)]
    for was, now in zip(before, after, strict=True):
        one, other = only(was, stay), places(now)
        assert one.keys() == other.keys()
        for name, arrays in one.items():
            for a, b in zip(arrays, other[name], strict=True):
                assert np.allclose(a, b, atol=2e-5 * (float(np.abs(a).max()) + 1)), name


@UNHURRIED
@given(seed=SEEDS, other=SEEDS)
def test_what_is_brought_in_stands_where_it_is_put_and_moves_nothing(seed: int, other: int) -> None:
    scene, guest = replace(made(seed), clips=()), replace(normal_weights(made(other)), clips=(), name="guest")
    at = (3.0, -1.0, 0.5)
    result = performed("bring_in", scene, {"entry": "guest.glb", "at": at}, Shelf(guest))
    together = [a for arrays in places(result.scene).values() for a in arrays]
    wanted = [a for arrays in places(scene).values() for a in arrays]
    wanted += [a + np.array(at, np.float32) for arrays in places(guest).values() for a in arrays]
    assert len(together) == len(wanted)
    for array in wanted:
        tolerance = 1e-4 * (float(np.abs(array).max()) + 1)
        assert any(a.shape == array.shape and np.abs(a - array).max() <= tolerance for a in together)
    assert set(names(scene)) <= set(names(result.scene))


@UNHURRIED
@given(seed=SEEDS, pick=SEEDS)
def test_a_recipe_gives_the_same_however_often_and_from_any_memory(seed: int, pick: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    uses = [
        StepUse(step="set_units", params={"factor": 0.5}),
        StepUse(step="flip_faces", params={"parts": chosen(scene, pick)}),
        StepUse(step="show_parts", params={"parts": ["of no such name"], "action": "keep"}),
        StepUse(step="show_parts", params={"parts": chosen(scene, pick + 1), "action": "keep"}),
        StepUse(step="set_units", params={"factor": 3.0}, on=False),
    ]
    cache = MemoryCache()
    first = run_recipe(scene, uses, cache, CONTEXT)
    second = run_recipe(scene, uses, cache, CONTEXT)
    third = run_recipe(scene, uses, MemoryCache(), CONTEXT)
    assert digest(first.scene) == digest(second.scene) == digest(third.scene)
    assert [run.fault is None for run in first.runs] == [True, True, False, True, True]
    assert first.runs[2].fault is not None
    assert "of no such name" in first.runs[2].fault.line()


@UNHURRIED
@given(seed=SEEDS)
def test_findings_name_parts_that_are_there_and_their_steps_can_be_run(seed: int) -> None:
    scene = made(seed)
    for finding in find(scene, CONTEXT):
        assert set(finding.parts) <= {node.name for node in scene.nodes}
        assert finding.evidence
        if finding.suggestion is not None:
            assert RULES.get(finding.rule).proposes
            performed(finding.suggestion.step, scene, dict(finding.suggestion.params))


@UNHURRIED
@given(seed=SEEDS)
def test_facts_are_those_of_what_is_shown(seed: int) -> None:
    scene = made(seed)
    facts = measure(scene)
    arrays = [a for found in places(scene).values() for a in found]
    assert facts.triangles == sum(len(p.indices) for _, _, mesh in parts(scene) for p in mesh.primitives)
    if arrays:
        reach = max(float(np.abs(a).max()) for a in arrays) + 1
        assert np.allclose(facts.minimum, np.min([a.min(axis=0) for a in arrays], axis=0), atol=1e-4 * reach)
        assert np.allclose(facts.maximum, np.max([a.max(axis=0) for a in arrays], axis=0), atol=1e-4 * reach)


@settings(UNHURRIED, max_examples=12)
@given(seed=SEEDS)
def test_any_world_is_drawn(seed: int) -> None:
    drawn = render(made(seed), CONTEXT, View(width=40, height=30))
    assert drawn.shape == (30, 40, 4)
    assert bool(drawn[..., 3].any()) == shown(made(seed))
