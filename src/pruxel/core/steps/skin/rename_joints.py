"""Give joints other names, by a rule or by a list: as the next program, or another skeleton, calls them."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import joint_tree
from pruxel.core.steps.new_names import renumbered
from pruxel.core.steps.references import NameText
from pruxel.core.steps.registry import Params, StepResult, step


class RenameJoints(Params):
    """A list, or text to replace and a pattern for the rest."""

    names: tuple[NameText, ...] = Field(
        (), max_length=2_000, title="Names", description="`old = new`, one joint each; others go by the rule"
    )  # fmt: skip
    find: NameText = Field("", title="Find", description="text in the name; empty: none")
    put: NameText = Field("", title="Put instead", description="what stands in its place")
    pattern: NameText = Field(
        "{name}", min_length=1, title="Pattern", description="{name} the name, {number} its place in the tree"
    )


@step("rename_joints", "Rename joints", "Gives joints other names, by a list or by a rule; clips follow.", RenameJoints)
def rename_joints(scene: Scene, params: RenameJoints, context: Context) -> StepResult:
    """Rename the joints of all skins; names that two would have are told apart by a number.

    Raises `UsageError` for a line that names no joint.
    """
    context.check()
    joints = [name for name, _ in joint_tree(scene)]
    if not joints:
        raise UsageError(ErrorCode.USAGE, "there are no joints here", expected="a model with a skeleton", found="none")
    listed = _listed(params.names, joints)
    ruled = dict(zip(joints, renumbered(joints, params.find, params.put, params.pattern), strict=True))
    wanted = {name: listed.get(name) or ruled[name] for name in joints}
    nodes = unique_names([replace(node, name=wanted.get(node.name, node.name)) for node in scene.nodes])
    renamed = {old.name: new.name for old, new in zip(scene.nodes, nodes, strict=True) if old.name != new.name}
    return StepResult(
        replace(scene, nodes=nodes), f"{counted(len(renamed), 'joint')} renamed", (Evidence("renamed", len(renamed)),),
        renamed=renamed,
    )  # fmt: skip


def _listed(lines: tuple[str, ...], joints: list[str]) -> dict[str, str]:
    found = {}
    for line in lines:
        old, sign, new = (part.strip() for part in line.partition("="))
        if not sign or not new or old not in joints:
            raise UsageError(
                ErrorCode.USAGE, "this names no joint", field="names", found=line,
                expected=f"`old = new`, the old one of {', '.join(joints[:8])}",
            )  # fmt: skip
        found[old] = new
    return found
