"""How steps name parts: by node name, all of them when none is named."""

from __future__ import annotations

from collections.abc import Sequence

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts


def chosen_parts(scene: Scene, names: Sequence[str]) -> list[int]:
    """The nodes of the named parts, or of all parts; raises `UsageError` for a name that is not there."""
    available = {node.name: index for index, node, _ in parts(scene)}
    missing = [name for name in names if name not in available]
    if missing:
        raise UsageError(
            ErrorCode.USAGE,
            f"there is no part called '{missing[0]}'",
            expected=f"one of {', '.join(list(available)[:12])}",
            found=missing[0],
            hint="An earlier step may have dropped it.",
        )
    return [available[name] for name in names] if names else list(available.values())
