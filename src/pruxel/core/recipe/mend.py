"""The steps that mend what findings notice in a scene, as a recipe that any other scene can follow."""

from __future__ import annotations

from collections import Counter

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, PruxelError
from pruxel.core.base.findings import Aside, none_aside
from pruxel.core.findings.registry import find
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.recipe.rules import perform
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import Library

# One mending may bring back what another mended: each is tried once more, and then left.
_MOST_TRIES = 2


def mending(scene: Scene, context: Context, aside: Aside = none_aside) -> tuple[StepUse, ...]:
    """Follow the worst finding that proposes a step, look again, and so on until nothing is proposed any more.

    What cannot be followed, was followed twice, or is put aside, is passed over.
    """
    followed = Counter[tuple[str, str]]()
    uses = list[StepUse]()
    while True:
        context.check()
        wanted = next(
            (
                (finding.rule, finding.suggestion.step)
                for finding in find(scene, context)
                if finding.suggestion
                and not aside(finding)
                and followed[finding.rule, finding.suggestion.step] < _MOST_TRIES
            ),
            None,
        )
        if wanted is None:
            return tuple(uses)
        followed[wanted] += 1
        use = StepUse(step=wanted[1], rule=Rule(finding=wanted[0]))
        try:
            scene = perform(scene, use, context, Library(), aside).scene
        except CancelledError:
            raise
        except PruxelError:
            followed[wanted] = _MOST_TRIES
            continue
        uses.append(use)
