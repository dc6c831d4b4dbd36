"""Models → nodes: where each stands, worked out from pivots, offsets and turns before and after its own.

parent_from_local = T Roff Rp Rpre R Rpost^-1 Rp^-1 Soff Sp S Sp^-1, all but T, R and S fixed: so a node is a rotation
Rpre R Rpost^-1, a scale S, and a translation that those fixed ones take part in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.fbx.objects import Thing
from pruxel.core.geometry.euler import products, turns_about, turns_of_euler
from pruxel.core.geometry.transforms import compose, decompose, quaternion_matrix
from pruxel.core.scene.model import Vec3, Vec4

_ORDERS = ("xyz", "xzy", "yzx", "yxz", "zxy", "zyx")
_NONE = (0.0, 0.0, 0.0)
_ONE = (1.0, 1.0, 1.0)


@dataclass(frozen=True)
class Pivots:
    """What of a model stays the same while it moves; angles in degrees, lengths in the file's unit."""

    order: str
    before: DoubleArray  # (4,) the turn before the model's own
    after: DoubleArray  # (4,) the inverse of the turn behind it
    rotation_pivot: DoubleArray
    rotation_offset: DoubleArray
    scaling_pivot: DoubleArray
    scaling_offset: DoubleArray

    def turn(self, angles_deg: DoubleArray) -> DoubleArray:
        """(n, 4) rotations xyzw of a model whose own angles are (n, 3)."""
        columns = ["xyz".index(axis) for axis in self.order]
        own = turns_about(np.radians(angles_deg[:, columns]), self.order)
        return products(products(self.before[None], own), self.after[None])

    def place(self, translation: Sequence[float], turn: Sequence[float], scale: Sequence[float]) -> DoubleArray:
        """(3,) the translation of a node with this rotation and scale, pivots worked in."""
        rotation = quaternion_matrix(turn)
        behind = self.scaling_offset + self.scaling_pivot - np.asarray(scale) * self.scaling_pivot
        around = self.rotation_pivot + rotation @ (behind - self.rotation_pivot)
        found: DoubleArray = np.asarray(translation) + self.rotation_offset + around
        return found

    @property
    def still(self) -> bool:
        """Whether rotation and scale leave the translation alone."""
        fixed = (self.rotation_pivot, self.rotation_offset, self.scaling_pivot, self.scaling_offset)
        return not any(one.any() for one in fixed)


def pivots_of(model: Thing) -> Pivots:
    """The fixed part of a model's placement."""
    order = int(model.number("RotationOrder", 0))
    before, behind = (np.array([model.numbers(name, _NONE)]) for name in ("PreRotation", "PostRotation"))
    after = turns_of_euler(behind)[0] * np.array([-1.0, -1.0, -1.0, 1.0])
    fixed = (
        np.array(model.numbers(name, _NONE))
        for name in ("RotationPivot", "RotationOffset", "ScalingPivot", "ScalingOffset")
    )
    return Pivots(_ORDERS[order] if 0 <= order < len(_ORDERS) else "xyz", turns_of_euler(before)[0], after, *fixed)


@dataclass(frozen=True, eq=False)
class Placement:
    """A model at rest: its own translation, angles and scale, and where that puts it as a node."""

    pivots: Pivots
    translation: tuple[float, ...]
    angles_deg: tuple[float, ...]
    scale: tuple[float, ...]
    inherit: int

    @property
    def turn(self) -> Vec4:
        """The node's rotation xyzw."""
        x, y, z, w = self.pivots.turn(np.array([self.angles_deg]))[0].tolist()
        return x, y, z, w

    @property
    def place(self) -> Vec3:
        """The node's translation."""
        x, y, z = self.pivots.place(self.translation, self.turn, self.scale).tolist()
        return x, y, z


def placement_of(model: Thing) -> Placement:
    """How a model stands."""
    return Placement(
        pivots_of(model),
        model.numbers("Lcl Translation", _NONE),
        model.numbers("Lcl Rotation", _NONE),
        model.numbers("Lcl Scaling", _ONE),
        int(model.number("InheritType", 0)),
    )


def geometric_of(model: Thing) -> DoubleArray:
    """(4, 4) what a model does to its geometry alone, not to the models below it."""
    angles = np.array([model.numbers("GeometricRotation", _NONE)])
    turn = turns_of_euler(angles)[0]
    return compose(model.numbers("GeometricTranslation", _NONE), turn, model.numbers("GeometricScaling", _ONE))


def local_by_inheritance(own: Placement, above: Placement | None, parent: DoubleArray) -> DoubleArray | None:
    """(4, 4) parent_from_local of a model that takes its parent's scale in another way than nodes do; else None.

    Of type 0 the parent's scale acts behind the model's turn, of type 2 the parent's own scale does not act at all.
    """
    if above is None or own.inherit == 1:
        return None
    even = np.allclose(np.abs(above.scale), abs(above.scale[0])) and min(above.scale) > 0
    if own.inherit == 0 and even and _evenly_scaled(parent):
        return None
    if own.inherit == 2 and np.allclose(above.scale, 1):
        return None
    _, turn, _ = decompose(parent)
    rotation = quaternion_matrix(turn)
    stretch = np.linalg.inv(rotation) @ parent[:3, :3]
    if own.inherit == 2:
        stretch = stretch @ np.diag([1 / s if s else 0.0 for s in above.scale])
    world = np.eye(4)
    world[:3, :3] = rotation @ quaternion_matrix(own.turn) @ stretch @ np.diag(own.scale)
    world[:3, 3] = parent[:3, :3] @ own.place + parent[:3, 3]
    if abs(np.linalg.det(parent[:3, :3])) < 1e-12:
        return None
    local: DoubleArray = np.linalg.inv(parent) @ world
    return local


def _evenly_scaled(matrix: DoubleArray) -> bool:
    gram = matrix[:3, :3].T @ matrix[:3, :3]
    return bool(np.allclose(gram, np.eye(3) * gram[0, 0], atol=1e-6 * max(abs(gram[0, 0]), 1e-12)))
