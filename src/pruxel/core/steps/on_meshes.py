"""The walk that most steps on geometry share: the meshes of chosen parts, each changed once, and what it came to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.steps.choose_parts import chosen_parts

# A mesh after the change, and what was counted on the way, by name.
Changed = tuple[Mesh, dict[str, int]]


def on_meshes(
    scene: Scene, names: Sequence[str], change: Callable[[Mesh], Changed], context: Context
) -> tuple[Scene, Counter[str], int]:
    """The scene with the meshes of the named parts changed, the sums of what was counted, and of how many parts.

    A mesh that several chosen parts share is changed and counted once. Raises `UsageError` for a name that is not
    there.
    """
    nodes = chosen_parts(scene, names)
    counts: Counter[str] = Counter()
    done = 0

    def one(mesh: Mesh) -> Mesh:
        nonlocal done
        context.progress(done / max(len(nodes), 1), mesh.name)
        done += 1
        changed, counted = change(mesh)
        counts.update(counted)
        return changed

    context.check()
    return edit_meshes(scene, nodes, one), counts, len(nodes)


def measured(counts: Counter[str], names: Sequence[str]) -> tuple[Evidence, ...]:
    """What was counted, in this order, zeros too."""
    return tuple(Evidence(name, counts[name]) for name in names)


def of_parts(count: int) -> str:
    """`1 part`, `3 parts`."""
    return counted(count, "part")
