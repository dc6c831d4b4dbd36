"""Faces that are chosen on a scene: by hand, in a box, and from those what lies around them.

A face is a triangle, numbered through all primitives of a part's mesh.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.growing import flooded
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.pieces import pieces
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.surface import surface_of, triangles_of_places
from pruxel.core.scene.walk import parts

Grow = Literal["no farther", "what is level", "the whole piece", "their neighbours"]
_NEAR = 1e-6  # vertices no farther apart hang together, metres


@dataclass(frozen=True, eq=False)
class Window:
    """A rectangle of a picture: clip_from_world (4, 4) by rows, and its sides in clip space, -1 to 1, y upwards."""

    clip_from_world: DoubleArray
    left: float
    bottom: float
    right: float
    top: float


@dataclass(frozen=True, eq=False)
class Choice:
    """What is chosen next: a face of a part, or what lies in a window, or nothing but what was; how far it grows.

    `shown` are the parts that may be chosen from; `through`: also what looks away; `take_away`: chosen no longer.
    """

    at: tuple[str, int] | None = None
    window: Window | None = None
    shown: Collection[str] = ()
    through: bool = False
    grow: Grow = "no farther"
    angle_rad: float = 0.0
    take_away: bool = False


def chosen_after(scene: Scene, before: Mapping[str, AnyArray], choice: Choice) -> dict[str, AnyArray]:
    """What is chosen then, (m,) bool by part, only parts of which something is.

    Raises `UsageError` for parts and faces that are not there.
    """
    meshes = meshes_of(scene)
    if choice.at is not None:
        part, number = choice.at
        met: Mapping[str, AnyArray] = {part: mask_of(str(number), face_count(mesh_of(meshes, part)), part)}
    elif choice.window is not None:
        met = within(scene, choice.window, choice.shown, through=choice.through)
    else:
        met = before
    found = dict(before)
    for part, mask in met.items():
        far = grown(mesh_of(meshes, part), mask, choice.grow, choice.angle_rad)
        old = before.get(part, np.zeros(len(mask), bool))
        found[part] = old & ~far if choice.take_away else old | far
    return {part: mask for part, mask in found.items() if mask.any()}


def numbers_of(mask: AnyArray) -> str:
    """Faces (m,) bool as people write them: `0-11, 40`."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    runs = zip(edges[::2].tolist(), (edges[1::2] - 1).tolist(), strict=True)
    return ", ".join(str(a) if a == b else f"{a}-{b}" for a, b in runs)


def mask_of(numbers: str, count: int, part: str) -> AnyArray:
    """Faces by their numbers as (count,) bool; raises `UsageError` where the part has fewer."""
    mask = np.zeros(count, bool)
    for text in filter(None, (one.strip() for one in numbers.split(","))):
        first, last = (int(one) for one in (text.split("-") * 2)[:2])
        if not first <= last < count:
            raise UsageError(
                ErrorCode.USAGE, f"“{part}” has other faces than those that were chosen", field="faces",
                expected=f"numbers from 0 to {count - 1}", found=text,
                hint="An earlier step changed it: choose its faces anew.",
            )  # fmt: skip
        mask[first : last + 1] = True
    return mask


def meshes_of(scene: Scene) -> dict[str, Mesh]:
    """The mesh of each part by its name."""
    return {node.name: mesh for _, node, mesh in parts(scene)}


def mesh_of(meshes: Mapping[str, Mesh], part: str) -> Mesh:
    """The mesh of a part; raises `UsageError` for a name that is not there."""
    found = meshes.get(part)
    if found is None:
        raise UsageError(
            ErrorCode.USAGE, f"there is no part called '{part}'", field="faces", expected="a part of the model",
            found=part, hint="An earlier step may have dropped it.",
        )  # fmt: skip
    return found


def grown(mesh: Mesh, chosen: AnyArray, grow: Grow, angle_rad: float) -> AnyArray:
    """The chosen faces (m,) bool with what lies around them; what is level bends by no more than `angle_rad`."""
    if grow == "no farther" or not chosen.any():
        return chosen
    surface = surface_of(mesh)
    corners, count = triangles_of_places(surface, _NEAR)
    if grow == "their neighbours":
        near = np.zeros(count, bool)
        near[corners[chosen]] = True
        return np.asarray(near[corners].any(axis=1))
    if grow == "the whole piece":
        label, _ = pieces(corners, count)
        return np.isin(label, label[chosen])
    return flooded(twins(corners), area_vectors(surface.positions, surface.indices), chosen, angle_rad)


def within(scene: Scene, window: Window, shown: Collection[str], *, through: bool) -> Mapping[str, AnyArray]:
    """The faces of shown parts that lie wholly in a rectangle of a picture, (m,) bool by part, at rest.

    Without `through`, only those that look at the eye.
    """
    found = {}
    for _, node, mesh in standing(scene):
        if node.name not in shown or not mesh.primitives:
            continue
        surface = surface_of(mesh)
        points = np.c_[surface.positions.astype(np.float64), np.ones(len(surface.positions))]
        clip = points @ window.clip_from_world.T
        ahead = clip[:, 3] > 0
        flat = clip[:, :2] / np.where(ahead, clip[:, 3], 1.0)[:, None]
        inside = (
            ahead
            & (flat >= (window.left, window.bottom)).all(axis=1)
            & (flat <= (window.right, window.top)).all(axis=1)
        )
        faces = inside[surface.indices].all(axis=1)
        if not through:
            a, b, c = (flat[surface.indices[:, k]] for k in range(3))
            one, two = b - a, c - a
            faces &= one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0] > 0
        if faces.any():
            found[node.name] = faces
    return found
