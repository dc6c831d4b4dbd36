"""What a step is, and the list of all steps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.registry import Registry
from pruxel.core.scene.model import Scene


class Params(BaseModel):
    """Parameters of a step: frozen, unknown names refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")


P = TypeVar("P", bound=Params)


@dataclass(frozen=True)
class StepResult:
    """The new scene, and what was done in a few words with numbers."""

    scene: Scene
    summary: str
    notes: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class Step(Generic[P]):
    """One registered step. `version` changes when the same parameters give another result."""

    name: str
    title: str
    about: str
    version: int
    params: type[P]
    run: Callable[[Scene, P, Context], StepResult]

    def parse(self, values: dict[str, Any]) -> P:
        """Check parameters; raises `UsageError` that names the field."""
        try:
            return self.params.model_validate(values)
        except ValidationError as error:
            first = error.errors()[0]
            raise UsageError(
                ErrorCode.USAGE,
                f"step '{self.name}': {first['msg']}",
                field=".".join(str(step) for step in first["loc"]) or None,
                found=repr(first.get("input"))[:120],
            ) from error


STEPS: Registry[Step[Any]] = Registry("step")


def step(
    name: str, title: str, about: str, params: type[P], version: int = 1
) -> Callable[[Callable[[Scene, P, Context], StepResult]], Callable[[Scene, P, Context], StepResult]]:
    """Register the decorated function as a step."""

    def add(run: Callable[[Scene, P, Context], StepResult]) -> Callable[[Scene, P, Context], StepResult]:
        STEPS.add(name, Step(name, title, about, version, params, run))
        return run

    return add
