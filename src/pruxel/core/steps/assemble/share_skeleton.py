"""Share a skeleton: parts that came with skeletons of their own hang on one."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.model import Scene
from pruxel.core.steps.hang import Near, Rest, hung_on_first, strange_joints
from pruxel.core.steps.registry import Params, StepResult, step


class ShareSkeleton(Params):
    """How joints of other skeletons are known, and what becomes of parts whose joints rest elsewhere."""

    near: Near = 0.02
    rest: Rest = Field(
        "where it was", title="Each part rests", description="where it was, or goes along to where the joints rest"
    )


@step(
    "share_skeleton",
    "Share one skeleton",
    "Hangs all parts on the first skeleton: joints are matched by name, else by where they rest; clips move all.",
    ShareSkeleton,
)
def share_skeleton(scene: Scene, params: ShareSkeleton, context: Context) -> StepResult:
    """Joints that match nothing stay, below the joint that theirs is matched with.

    Raises `UsageError` where there is no second skeleton.
    """
    context.check()
    others = range(1, len(scene.skins))
    strange = len(strange_joints(scene, others))
    if not strange:
        raise UsageError(
            ErrorCode.USAGE, "there is one skeleton at the most", expected="parts on two skeletons or more",
            found=f"{len(scene.skins)} skins", hint="Bring in what hangs on a skeleton of its own first.",
        )  # fmt: skip
    hung = hung_on_first(scene, others, params.near, params.rest)
    return StepResult(
        hung.scene, f"{hung.matched:,} of {strange:,} joints are joints of “{scene.skins[0].name}” now",
        (Evidence("joints matched", hung.matched), Evidence("joints of their own", len(hung.own))),
        removed=hung.removed,
    )  # fmt: skip
