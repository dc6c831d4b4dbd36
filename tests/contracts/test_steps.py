"""Every registered step: leaves its input alone, gives the same twice, keeps the invariants, survives JSON."""

import json
from typing import Any

import numpy as np
import pytest

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, UsageError
from pruxel.core.recipe.document import Recipe, StepUse, load_recipe, recipe_text
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.steps.registry import STEPS
from tests.scenes import animated, two_boxes

EXAMPLES: dict[str, dict[str, Any]] = {
    "flip_faces": {"parts": ["small"]},
    "set_units": {"factor": 0.01},
    "show_parts": {"parts": ["large"], "action": "keep"},
}


def test_every_step_has_an_example() -> None:
    assert sorted(EXAMPLES) == STEPS.names()


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_contract(name: str) -> None:
    step, scene = STEPS.get(name), two_boxes()
    before = digest(scene)
    params = step.parse(json.loads(json.dumps(EXAMPLES[name])))
    first, second = step.run(scene, params, Context()), step.run(scene, params, Context())
    assert digest(scene) == before
    assert digest(first.scene) == digest(second.scene) != before
    assert problems(first.scene) == []
    assert first.summary
    assert step.params.model_json_schema()["properties"]
    with pytest.raises(CancelledError):
        step.run(scene, params, Context(cancelled=lambda: True))
    with pytest.raises(UsageError):
        step.parse(EXAMPLES[name] | {"no_such_option": 1})


def test_flipping_twice_is_nothing() -> None:
    use = StepUse(step="flip_faces")
    run = run_recipe(two_boxes(), [use, use], MemoryCache(), Context())
    assert digest(run.scene) == digest(two_boxes())
    assert digest(run.scenes[1]) != digest(two_boxes())


def test_units_scale_every_length() -> None:
    scene = two_boxes()
    run = run_recipe(scene, [StepUse(step="set_units", params={"factor": 0.25})], MemoryCache(), Context())
    np.testing.assert_allclose(measure(run.scene).size, np.array(measure(scene).size) * 0.25, rtol=1e-6)


def test_dropping_parts_drops_what_only_they_used() -> None:
    use = StepUse(step="show_parts", params={"parts": ["large", "small"], "action": "drop"})
    run = run_recipe(two_boxes(), [use], MemoryCache(), Context())
    assert run.runs[0].fault is not None
    assert "no part would be left" in run.runs[0].fault.message
    kept = run_recipe(animated(), [StepUse(step="show_parts", params={"parts": ["body"]})], MemoryCache(), Context())
    assert kept.scene.skins[0].joints
    assert problems(kept.scene) == []


def test_a_changed_step_recomputes_only_from_there() -> None:
    cache, scene = MemoryCache(), two_boxes()
    uses = [StepUse(step="flip_faces"), StepUse(step="set_units", params={"factor": 2.0})]
    assert [r.cached for r in run_recipe(scene, uses, cache, Context()).runs] == [False, False]
    uses[1] = StepUse(step="set_units", params={"factor": 3.0})
    assert [r.cached for r in run_recipe(scene, uses, cache, Context()).runs] == [True, False]


def test_a_failing_step_is_told_and_the_rest_goes_on() -> None:
    uses = [StepUse(step="flip_faces", params={"parts": ["nobody"]}), StepUse(step="set_units", params={"factor": 2.0})]
    run = run_recipe(two_boxes(), uses, MemoryCache(), Context())
    assert run.runs[0].fault is not None
    assert "nobody" in run.runs[0].fault.line()
    assert run.runs[1].fault is None


def test_recipes_survive_their_text() -> None:
    recipe = Recipe(name="tidy", steps=tuple(StepUse(step=n, params=p) for n, p in EXAMPLES.items()))
    assert load_recipe(recipe_text(recipe), "r.yaml").model_dump(mode="json") == recipe.model_dump(mode="json")
