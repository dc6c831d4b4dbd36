"""How steps name materials: by name, all of them when none is named."""

from __future__ import annotations

from collections.abc import Sequence

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Scene


def chosen_materials(scene: Scene, names: Sequence[str]) -> list[int]:
    """The numbers of the named materials, each with all that share its name; raises `UsageError` for one not there."""
    available = [material.name for material in scene.materials]
    missing = [name for name in names if name not in available]
    if missing:
        raise UsageError(
            ErrorCode.USAGE,
            f"there is no material called '{missing[0]}'",
            expected=f"one of {', '.join(dict.fromkeys(available[:12]))}" if available else "a model with materials",
            found=missing[0],
            hint="An earlier step may have merged it.",
        )
    return [number for number, name in enumerate(available) if not names or name in names]
