"""Controllers: skins → joints and weights of points, morphs → shapes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, as_floats, usable_rows
from pruxel.core.formats.collada.document import Document, inputs_of
from pruxel.core.formats.collada.geometry import Surface
from pruxel.core.formats.corners import Influences, Shape, influences_of
from pruxel.core.formats.xml import Tag

_MOST_JOINTS = 65_535
_SHARE = 1e4  # a shape's share beyond this is no number of a file in use


@dataclass(frozen=True, eq=False)
class LooseSkin:
    """Joints by name, their joint_from_geometry matrices (j, 4, 4), and who holds which point."""

    name: str
    joints: tuple[str, ...]
    inverse_bind: DoubleArray
    point: AnyArray
    joint: AnyArray
    weight: AnyArray

    def influences(self, new_of_joint: AnyArray, points: int) -> Influences:
        """With joints numbered anew, -1 for those that are not there."""
        return influences_of(self.point, new_of_joint[self.joint], self.weight, points)


def skin_of(document: Document, controller: Tag) -> LooseSkin | None:
    """The skin of a controller; None where it has no joints or no weights, which is told."""
    name = controller.get("name") or controller.get("id")
    skin = controller.first("skin")
    joints, weights = (None if skin is None else skin.first(kind) for kind in ("joints", "vertex_weights"))
    if skin is None or joints is None or weights is None:
        document.tell(f"controller '{name}' has no joints or no weights; its part stands still", controller)
        return None
    listed = inputs_of(document, joints)
    names = next((document.names(i.source) for i in listed if i.semantic == "JOINT"), [])[:_MOST_JOINTS]
    binds = next((document.values(i.source) for i in listed if i.semantic == "INV_BIND_MATRIX"), np.zeros((0, 16)))
    shape = document.numbers(skin.first("bind_shape_matrix"), tuple(np.eye(4).reshape(-1)))[:16].reshape(4, 4)
    whole = np.tile(np.eye(4), (len(names), 1, 1))
    if binds.shape[1] == 16:
        whole[: len(binds)] = binds[: len(names)].reshape(-1, 4, 4)
    strange = ~usable_rows(whole)
    whole[strange] = np.eye(4)
    whole = whole @ (shape if usable_rows(shape).all() else np.eye(4))
    strange |= ~usable_rows(whole)
    if strange.any():
        document.tell(f"{int(strange.sum()):,} bind matrices of '{name}' are no numbers", controller)
        whole[strange] = np.eye(4)
    whole[:, 3] = (0.0, 0.0, 0.0, 1.0)
    if not names:
        document.tell(f"controller '{name}' names no joints; its part stands still", controller)
        return None
    return LooseSkin(name, tuple(names), whole, *_pairs(document, weights, len(names)))


def _pairs(document: Document, tag: Tag, joints: int) -> tuple[AnyArray, AnyArray, AnyArray]:
    """Point, joint and weight (n,) of every pair that the file lists."""
    inputs = inputs_of(document, tag)
    width = max((i.offset for i in inputs), default=0) + 1
    counts, flat = (
        np.zeros(0, np.int64) if (found := tag.first(key)) is None else document.indices(found)
        for key in ("vcount", "v")
    )
    rows = flat[: len(flat) // width * width].reshape(-1, width)
    point = np.repeat(np.arange(len(counts)), np.where(np.cumsum(counts.clip(0)) <= len(rows), counts.clip(0), 0))
    rows = rows[: len(point)]
    place = {i.semantic: i for i in inputs}
    if "JOINT" not in place or "WEIGHT" not in place:
        return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0)
    listed = document.values(place["WEIGHT"].source)[:, 0]
    joint, row = rows[:, place["JOINT"].offset], rows[:, place["WEIGHT"].offset]
    fits = (joint >= 0) & (joint < joints) & (row >= 0) & (row < len(listed))
    weight = listed[row[fits]]
    sound = np.isfinite(weight)
    return point[fits][sound], joint[fits][sound], weight[sound]


@dataclass(frozen=True, eq=False)
class LooseShapes:
    """The shapes of a morph, how much each counts at rest, and the source that says so."""

    shapes: tuple[Shape, ...]
    weights: tuple[float, ...]
    source: Tag | None


def shapes_of(document: Document, morph: Tag, base: Surface, find: Callable[[Tag], Surface | None]) -> LooseShapes:
    """The shapes of a morph, as moves of the points of its base; those that do not fit are told."""
    inputs = {i.semantic: i.source for i in inputs_of(document, morph.first("targets") or morph)}
    shares = document.values(inputs.get("MORPH_WEIGHT"))[:, 0]
    shapes, weights = [], []
    for number, name in enumerate(document.names(inputs.get("MORPH_TARGET"))):
        tag = document.find(name)
        surface = None if tag is None else find(tag)
        if surface is None or len(surface.points) != len(base.points):
            document.tell(f"shape '{name}' of '{base.name}' is not there, or has another number of points", morph)
            continue
        moved = surface.points if morph.get("method") == "RELATIVE" else surface.points - base.points
        sound = usable_rows(surface.points) & usable_rows(base.points)
        shapes.append(Shape(surface.name, as_floats(np.where(sound[:, None], moved, 0.0), 3)))
        share = float(shares[number]) if number < len(shares) else 0.0
        weights.append(share if abs(share) < _SHARE else 0.0)
    return LooseShapes(tuple(shapes), tuple(weights), inputs.get("MORPH_WEIGHT"))
