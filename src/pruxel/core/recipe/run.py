"""Run a recipe, step by step, through a cache by content.

The key of a result is made of the key before it, the step, its version and its parameters: between steps nothing is
measured and nothing is hashed.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, Fault, PruxelError
from pruxel.core.base.findings import Aside, none_aside
from pruxel.core.recipe.cache import StepCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.rules import parsed, perform
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import triangle_count
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import STEPS, Library


@dataclass(frozen=True)
class StepRun:
    """What became of one step: its summary or its fault, triangles before and after, and whether the cache had it."""

    use: StepUse
    summary: str = ""
    fault: Fault | None = None
    before: int = 0
    after: int = 0
    cached: bool = False


@dataclass(frozen=True)
class RecipeRun:
    """The scene after each step (scenes[0] is the input) with its key, and what each step did."""

    scenes: tuple[Scene, ...]
    keys: tuple[str, ...]
    runs: tuple[StepRun, ...]

    @property
    def scene(self) -> Scene:
        """The last scene."""
        return self.scenes[-1]


def step_key(before: str, use: StepUse, library: Library) -> str:
    """The key of a step's result: the key before it, name, version, parameters, and what else it looks at."""
    found = STEPS.get(use.step)
    params = parsed(use)
    others = [] if params is None else [library.digest(wanted) for wanted in found.needs(params)]
    wanted = use.params if params is None or use.rule is not None else params.model_dump(mode="json")
    rule = [] if use.rule is None else [use.rule.model_dump(exclude_defaults=True)]
    text = json.dumps([before, use.step, found.version, wanted, others, *rule], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def run_recipe(
    scene: Scene,
    uses: Sequence[StepUse],
    cache: StepCache,
    context: Context,
    *,
    key: str | None = None,
    library: Library | None = None,
    aside: Aside = none_aside,
) -> RecipeRun:
    """Run the steps that are on, in order. A step that fails is passed over with its fault; the rest goes on.

    `key` names the input, where the caller knows one that is cheaper than its content. `library` gives other entries
    and workpieces to the steps that ask for them. Steps that follow findings leave those that are put aside: what
    `aside` says of the scene must be said by `key`, or the cache serve this run alone.
    """
    shelf = library or Library()
    scenes, keys, runs = [scene], [key or digest(scene)], list[StepRun]()
    for use, part in context.each(uses, lambda u: u.step):
        before = triangle_count(scenes[-1])
        if not use.on:
            _passed_over(scenes, keys)
            runs.append(StepRun(use, "switched off", before=before, after=before))
            continue
        try:
            mine = step_key(keys[-1], use, shelf)
            known = cache.get(mine)
            result = known or perform(scenes[-1], use, part, shelf, aside)
        except CancelledError:
            raise
        except PruxelError as error:
            _passed_over(scenes, keys)
            runs.append(StepRun(use, fault=error.fault, before=before, after=before))
            continue
        if known is None:
            cache.put(mine, result)
        scenes.append(result.scene)
        keys.append(mine)
        runs.append(StepRun(use, result.summary, None, before, triangle_count(result.scene), known is not None))
    return RecipeRun(tuple(scenes), tuple(keys), tuple(runs))


def _passed_over(scenes: list[Scene], keys: list[str]) -> None:
    scenes.append(scenes[-1])
    keys.append(keys[-1])
