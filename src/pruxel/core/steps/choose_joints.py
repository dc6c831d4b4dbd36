"""How steps name joints: by node name."""

from __future__ import annotations

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import node_named


def chosen_joint(scene: Scene, name: str, field: str) -> int:
    """The node of a joint; raises `UsageError`, for a parameter, for a name that is not there."""
    index = node_named(scene, name)
    if index is None:
        joints = dict.fromkeys(scene.nodes[j].name for skin in scene.skins for j in skin.joints)
        raise UsageError(
            ErrorCode.USAGE, f"there is no joint called '{name}'", field=field,
            expected=f"one of {', '.join(list(joints)[:12])}" if joints else "a model with joints", found=name,
        )  # fmt: skip
    return index
