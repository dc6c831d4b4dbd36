"""What a step is, and the list of all steps."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.registry import Registry
from pruxel.core.scene.model import Scene
from pruxel.core.steps.references import Reference, marks_of, references_in

# References that lead out of the scene: to what a step brings in.
_OUTSIDE = ("entry", "workpiece")


class Params(BaseModel):
    """Parameters of a step: frozen, unknown names refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")


P = TypeVar("P", bound=Params)


@dataclass(frozen=True)
class StepResult:
    """The new scene, and what was done: in a few words, in numbers, and what became of parts.

    `renamed` gives a part's new name by its old one, `removed` lists parts that are gone, so that later steps can
    follow.
    """

    scene: Scene
    summary: str
    measured: tuple[Evidence, ...] = ()
    renamed: Mapping[str, str] = field(default_factory=dict)
    removed: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


class Library:
    """Where steps find other entries and workpieces; this one has none."""

    def digest(self, reference: Reference) -> str:
        """What changes when the referenced thing does; raises `UsageError` or `InputError` when it is not there."""
        raise self._absent(reference)

    def scene(self, reference: Reference, context: Context) -> Scene:
        """The referenced thing as a scene; raises as `digest` does."""
        context.check()
        raise self._absent(reference)

    @staticmethod
    def _absent(reference: Reference) -> UsageError:
        return UsageError(
            ErrorCode.USAGE,
            f"there is no {reference.to} '{reference.name}' here",
            expected="a step that needs nothing beside the scene, or sources that hold it",
            found=reference.name,
        )


Others = Mapping[Reference, Scene]
Run = Callable[[Scene, P, Context], StepResult]
Join = Callable[[Scene, P, Context, Others], StepResult]


@dataclass(frozen=True)
class Step(Generic[P]):
    """One registered step. `version` changes when the same parameters give another result."""

    name: str
    title: str
    about: str
    version: int
    params: type[P]
    join: Join[P]

    @property
    def group(self) -> str:
        """What it is about: the room that its module lives in."""
        return self.params.__module__.rsplit(".", 2)[-2]

    @property
    def acts_on_parts(self) -> bool:
        """Whether it works on parts that may be chosen, or on all that there is."""
        return any(mark.to == "part" for mark in marks_of(self.params))

    def parse(self, values: dict[str, Any]) -> P:
        """Check parameters; raises `UsageError` that names the field."""
        try:
            return self.params.model_validate(values)
        except ValidationError as error:
            first = error.errors()[0]
            raise UsageError(
                ErrorCode.USAGE,
                f"'{self.title}' cannot run so: {_words(first)}",
                field=".".join(str(step) for step in first["loc"]) or None,
                found=repr(first.get("input"))[:120],
            ) from error

    @staticmethod
    def needs(params: P) -> Sequence[Reference]:
        """The entries and workpieces that parameters name, each once."""
        return list(dict.fromkeys(found for found in references_in(params) if found.to in _OUTSIDE))

    def perform(self, scene: Scene, params: P, context: Context, library: Library) -> StepResult:
        """Run on a scene, with the other scenes that the parameters name."""
        return self.join(
            scene, params, context, {wanted: library.scene(wanted, context) for wanted in self.needs(params)}
        )

    def run(self, scene: Scene, params: P, context: Context) -> StepResult:
        """Run on a scene alone."""
        return self.perform(scene, params, context, Library())


def _words(error: Any) -> str:  # noqa: ANN401 - a Pydantic error
    """What is wrong, in words without a library's turns of phrase."""
    kind, limits = str(error["type"]), error.get("ctx", {})
    bounds = {"greater_than": "gt", "greater_than_equal": "ge", "less_than": "lt", "less_than_equal": "le"}
    if kind in bounds:
        words = {"gt": "more than", "ge": "at least", "lt": "less than", "le": "at most"}[bounds[kind]]
        return f"the number must be {words} {limits[bounds[kind]]}"
    if kind == "missing":
        return "a value is missing"
    if kind == "extra_forbidden":
        return "there is no such parameter"
    if kind in {"too_short", "string_too_short"}:
        return f"at least {limits.get('min_length', 1)} must be chosen"
    if kind == "string_pattern_mismatch":
        return "it must be a colour, written #rrggbb"
    if kind == "value_error":
        return str(limits["error"])
    if kind == "literal_error":
        return f"it must be {limits['expected']}"
    return str(error["msg"])[:1].lower() + str(error["msg"])[1:]


STEPS: Registry[Step[Any]] = Registry("step")


def step(name: str, title: str, about: str, params: type[P], version: int = 1) -> Callable[[Run[P]], Run[P]]:
    """Register the decorated function as a step that works on one scene."""

    def add(run: Run[P]) -> Run[P]:
        STEPS.add(name, Step(name, title, about, version, params, lambda s, p, c, _others: run(s, p, c)))
        return run

    return add


def joining_step(name: str, title: str, about: str, params: type[P], version: int = 1) -> Callable[[Join[P]], Join[P]]:
    """Register the decorated function as a step that brings other scenes in."""

    def add(join: Join[P]) -> Join[P]:
        STEPS.add(name, Step(name, title, about, version, params, join))
        return join

    return add
