"""The walk that steps on weights share: the chosen parts that joints hold, their weights as tables by places."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import coo_array, csr_array, vstack

from pruxel.core.base.arrays import FloatArray, IndexArray, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.places import places
from pruxel.core.geometry.weights import gathered_rows, neighbours
from pruxel.core.scene.bound import held_parts, tables_of, with_weights
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.surface import Surface, surface_of
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts

_SAME = 1e-4
_USUAL = 4  # joints a vertex that every program takes


@dataclass(frozen=True, eq=False)
class Places:
    """Where the vertices of a part stand, each place once: points (n, 3), and the triangles (m, 3) of places."""

    points: FloatArray
    corners: IndexArray

    def beside(self) -> csr_array:
        """(n, n): the mean of what an edge away is."""
        return neighbours(self.corners, len(self.points))


# The weights of all places of a part (n, j) → other weights.
Change = Callable[[csr_array, Places], csr_array]


@dataclass(frozen=True)
class Reweighted:
    """The scene with other weights, how many vertices they changed for, and of how many parts."""

    scene: Scene
    vertices: int
    parts: int

    def words(self) -> str:
        """`42 vertices in 2 parts`."""
        return f"{counted(self.vertices, 'vertex', 'vertices')} in {of_parts(self.parts)}"

    def measured(self) -> tuple[Evidence, ...]:
        """The same as evidence."""
        return (Evidence("vertices with other weights", self.vertices), Evidence("parts", self.parts))


def held_and_chosen(scene: Scene, names: Sequence[str]) -> list[int]:
    """The nodes of the chosen parts that joints hold; raises `UsageError` where there are none."""
    held = {index for index, _, _ in held_parts(scene)}
    chosen = [index for index in chosen_parts(scene, names) if index in held]
    if not chosen:
        raise UsageError(
            ErrorCode.USAGE, "no joint holds anything here", expected="a part that joints hold",
            found=", ".join(names) or "none", hint="Bind it to a joint first, or take weights from another part.",
        )  # fmt: skip
    return chosen


def reweighted(
    scene: Scene, names: Sequence[str], change: Change, context: Context, most: int = 0, least: float = 0.0
) -> Reweighted:
    """Change the weights of chosen parts by places: across the borders of materials, and where corners part.

    `most` joints a vertex, 0: as many as there were, or as are usual; what pulls less than the share `least` goes.
    """
    made, changed, chosen = scene, 0, held_and_chosen(scene, names)
    for index, part in context.each(chosen, lambda k: scene.nodes[k].name):
        part.check()
        number = scene.nodes[index].mesh
        assert number is not None
        mesh, before = scene.meshes[number], tables_of(scene, index)
        surface = surface_of(mesh)
        after = _by_places(surface, csr_array(vstack(before)), change)
        apart = [
            csr_array(after[a:b]) for a, b in zip(surface.vertices_from[:-1], surface.vertices_from[1:], strict=True)
        ]
        pulled = tuple(
            p if p.joints is None else with_weights(p, table, most or max(p.joints.shape[1], _USUAL), least)
            for p, table in zip(mesh.primitives, apart, strict=True)
        )
        made = edit_meshes(made, {index}, lambda old, new=pulled: replace(old, primitives=new))  # type: ignore[misc]
        changed += sum(_changed(old, new) for old, new in zip(before, tables_of(made, index), strict=True))
    return Reweighted(made, changed, len(chosen))


def _by_places(surface: Surface, table: csr_array, change: Change) -> csr_array:
    """The table after a change that knows places alone; a place has the mean of its vertices."""
    first, place = places(surface.positions)
    count = len(first)
    shares = 1 / np.maximum(np.bincount(place, minlength=count), 1)[place]
    means = csr_array(coo_array((shares, (place, np.arange(len(place)))), shape=(count, len(place))))
    after = change(csr_array(means @ table), Places(surface.positions[first], as_indices(place[surface.indices])))
    return gathered_rows(after, place[:, None], np.ones((len(place), 1)))


def _changed(before: csr_array, after: csr_array) -> int:
    apart = abs(before - after).max(axis=1) if before.shape[0] and before.shape[1] else None
    return 0 if apart is None else int((apart.toarray() > _SAME).sum())


def most_pulling(mesh: Mesh) -> int:
    """How many joints pull one vertex of a mesh, at most."""
    counts = [
        int((p.weights > 0).sum(axis=1).max()) for p in mesh.primitives if p.weights is not None and p.weights.size
    ]
    return max(counts, default=0)
