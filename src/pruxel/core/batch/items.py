"""What became of one item of a batch, in words and numbers that another run can be held against."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, fields
from typing import Any, Literal

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.findings import Aside, none_aside
from pruxel.core.findings.registry import find
from pruxel.core.recipe.run import RecipeRun
from pruxel.core.recipe.touched import touched
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.steps.registry import STEPS

State = Literal["done", "failed"]
_MOST_NAMES = 24


@dataclass(frozen=True)
class StepTold:
    """What one step did to the item; `fault` says why it was passed over, lists name parts and materials."""

    step: str
    title: str
    summary: str = ""
    fault: str = ""
    before: int = 0
    after: int = 0
    changed: tuple[str, ...] = ()
    added: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()

    @property
    def idle(self) -> bool:
        """Whether it found nothing to do, or could not."""
        return not (self.changed or self.added or self.removed or self.materials)


@dataclass(frozen=True)
class ItemTold:
    """One item. `size` in metres along x, y, z; `findings` are the titles of what is left; `digest` is of the scene.

    `delivered` is what the delivery came to, empty where none was made; `fault` why the item itself failed.
    """

    name: str
    entries: tuple[str, ...]
    state: State = "done"
    fault: str = ""
    steps: tuple[StepTold, ...] = ()
    triangles: int = 0
    size: tuple[float, ...] = ()
    materials: int = 0
    findings: tuple[str, ...] = ()
    digest: str = ""
    delivered: str = ""
    notes: tuple[str, ...] = field(default=())

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready."""
        return asdict(self)


def item_told(
    name: str,
    entries: Sequence[str],
    run: RecipeRun,
    context: Context,
    aside: Aside = none_aside,
) -> ItemTold:
    """Tell what a recipe did to an item and what is left to be found in it, but findings that are put aside."""
    facts = measure(run.scene)
    left = [finding.title for finding in find(run.scene, context) if not aside(finding)]
    steps = []
    for number, one in enumerate(run.runs):
        became = touched(run.scenes[number], run.scenes[number + 1])
        steps.append(
            StepTold(
                one.use.step,
                STEPS.get(one.use.step).title,
                one.summary,
                "" if one.fault is None else one.fault.line(),
                one.before,
                one.after,
                *(names[:_MOST_NAMES] for names in (became.changed, became.added, became.removed, became.materials)),
            )
        )
    return ItemTold(
        name,
        tuple(entries),
        steps=tuple(steps),
        triangles=facts.triangles,
        size=tuple(round(side, 6) for side in facts.size),
        materials=len(run.scene.materials),
        findings=tuple(left),
        digest=digest(run.scene),
        notes=run.scene.notes[:_MOST_NAMES],
    )


def item_failed(name: str, entries: Sequence[str], fault: Fault) -> ItemTold:
    """An item that could not be worked on."""
    return ItemTold(name, tuple(entries), "failed", fault.line())


def item_of(found: Any, file: str) -> ItemTold:  # noqa: ANN401 - JSON
    """An item from a report; what a later version added is passed over. Raises `InputError` for what is none."""
    try:
        return _typed(ItemTold, found | {"steps": [_typed(StepTold, step) for step in found.get("steps", ())]})
    except (TypeError, AttributeError) as error:
        raise no_report(file) from error


def no_report(file: str) -> InputError:
    """The error for what is no report of a batch."""
    return InputError(
        ErrorCode.MALFORMED, "this is no report of a batch", file=file, expected="a report that a batch wrote"
    )


def _typed(kind: type[Any], values: dict[str, Any]) -> Any:  # noqa: ANN401 - a dataclass
    known = {one.name for one in fields(kind)}
    return kind(**{key: tuple(v) if isinstance(v, list) else v for key, v in values.items() if key in known})
