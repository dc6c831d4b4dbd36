"""Run a recipe, step by step, through a cache by content."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, Fault, PruxelError
from pruxel.core.recipe.document import StepUse
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import STEPS, StepResult


class StepCache(Protocol):
    """Results by key."""

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None."""

    def put(self, key: str, result: StepResult) -> None:
        """Store a result."""


@dataclass
class MemoryCache:
    """The last results, at most `most` of them. Scenes share their arrays, so entries are cheap."""

    most: int = 64
    _kept: OrderedDict[str, StepResult] = field(default_factory=OrderedDict)

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None."""
        if key in self._kept:
            self._kept.move_to_end(key)
        return self._kept.get(key)

    def put(self, key: str, result: StepResult) -> None:
        """Store a result; the one unused longest goes."""
        self._kept[key] = result
        while len(self._kept) > self.most:
            self._kept.popitem(last=False)


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
    """The scene after each step (scenes[0] is the input) and what each step did."""

    scenes: tuple[Scene, ...]
    runs: tuple[StepRun, ...]

    @property
    def scene(self) -> Scene:
        """The last scene."""
        return self.scenes[-1]


def step_key(scene_digest: str, use: StepUse) -> str:
    """The cache key of a step on a scene: input, name, version, parameters."""
    found = STEPS.get(use.step)
    params = found.parse(use.params).model_dump(mode="json")
    text = json.dumps([scene_digest, use.step, found.version, params], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def run_recipe(scene: Scene, uses: Sequence[StepUse], cache: StepCache, context: Context) -> RecipeRun:
    """Run the steps that are on, in order. A step that fails is passed over with its fault; the rest goes on."""
    scenes, runs = [scene], []
    current = digest(scene)
    for use, part in context.each(uses, lambda u: u.step):
        before = sum(p.triangles for p in measure(scenes[-1]).parts)
        if not use.on:
            scenes.append(scenes[-1])
            runs.append(StepRun(use, "switched off", before=before, after=before))
            continue
        try:
            key = step_key(current, use)
            known = cache.get(key)
            result = known or _run(scenes[-1], use, part)
        except CancelledError:
            raise
        except PruxelError as error:
            scenes.append(scenes[-1])
            runs.append(StepRun(use, fault=error.fault, before=before, after=before))
            continue
        if known is None:
            cache.put(key, result)
        scenes.append(result.scene)
        current = digest(result.scene)
        after = sum(p.triangles for p in measure(result.scene).parts)
        runs.append(StepRun(use, result.summary, None, before, after, known is not None))
    return RecipeRun(tuple(scenes), tuple(runs))


def _run(scene: Scene, use: StepUse, context: Context) -> StepResult:
    found = STEPS.get(use.step)
    result: StepResult = found.run(scene, found.parse(use.params), context)
    return result
