"""Clusters → joints and weights of control points; shapes → by how much they move these."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, as_floats, usable_rows
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.formats.corners import Influences, Shape, influences_of
from pruxel.core.formats.fbx.objects import Key, Objects, Thing, array, whole


@dataclass(frozen=True, eq=False)
class LooseSkin:
    """Joints by the keys of their models, their joint_from_geometry matrices (j, 4, 4), and who holds which point."""

    name: str
    joints: tuple[Key, ...]
    inverse_bind: DoubleArray
    influences: Influences


def skin_of(
    objects: Objects, geometry: Thing, points: int, world_of: Callable[[], DoubleArray], file: str, faults: list[Fault]
) -> LooseSkin | None:
    """The skin of a geometry, None without any; `world_of` gives where its part stands at rest (4, 4).

    Clusters of several skins count together; those without a joint are told.
    """
    joints, binds, rows = list[Key](), list[DoubleArray](), list[tuple[AnyArray, AnyArray]]()
    name = ""
    for skin in objects.under(geometry, "Deformer", "Skin"):
        name = name or skin.name
        for cluster in objects.under(skin, "Deformer", "Cluster"):
            link = next(objects.under(cluster, "Model"), None)
            if link is None:
                faults.append(Fault(ErrorCode.REFERENCE, f"cluster '{cluster.name}' holds no joint", file=file))
                continue
            point, weight = whole(cluster.element, "Indexes"), array(cluster.element, "Weights").astype(np.float64)
            count = min(len(point), len(weight))
            joints.append(link.key)
            binds.append(_bind(cluster, world_of))
            rows.append((point[:count], weight[:count]))
    if not joints:
        return None
    return LooseSkin(name or geometry.name, tuple(joints), np.stack(binds), _influences(rows, points))


def _influences(rows: list[tuple[AnyArray, AnyArray]], points: int) -> Influences:
    joint = np.repeat(np.arange(len(rows)), [len(point) for point, _ in rows])
    return influences_of(np.concatenate([p for p, _ in rows]), joint, np.concatenate([w for _, w in rows]), points)


def _bind(cluster: Thing, world_of: Callable[[], DoubleArray]) -> DoubleArray:
    """joint_from_geometry: said outright, or from where the joint was when it was bound."""
    own, link = (_matrix(cluster, name) for name in ("Transform", "TransformLink"))
    if own is not None:
        return own
    if link is None or abs(np.linalg.det(link[:3, :3])) < 1e-18:
        return np.eye(4)
    found: DoubleArray = np.linalg.inv(link) @ world_of()
    return found


def _matrix(thing: Thing, name: str) -> DoubleArray | None:
    values = array(thing.element, name).astype(np.float64)
    if values.size != 16 or not np.isfinite(values).all():
        return None
    return values.reshape(4, 4).T


@dataclass(frozen=True, eq=False)
class LooseShape:
    """A shape of a geometry, how much it counts at rest, and the channel that weighs it."""

    shape: Shape
    weight: float
    channel: Key


def shapes_of(objects: Objects, geometry: Thing, points: int, notes: list[str]) -> list[LooseShape]:
    """All shapes of a geometry, in the order of the file."""
    found, between = [], 0
    for blend in objects.under(geometry, "Deformer", "BlendShape"):
        for channel in objects.under(blend, "Deformer", "BlendShapeChannel"):
            targets = list(objects.under(channel, "Geometry"))
            if not targets:
                continue
            between += len(targets) - 1
            percent = channel.number("DeformPercent", float(next(iter(array(channel.element, "DeformPercent")), 0.0)))
            weight = percent / 100 if abs(percent) < 1e4 else 0.0
            # Of shapes on the way to the last, only the last one has a place.
            found.append(LooseShape(_shape(targets[-1], channel.name, points), weight, channel.key))
    if between:
        notes.append(f"not taken over: {between:,} shapes of '{geometry.name}' that stand between others")
    return found


def _shape(target: Thing, name: str, points: int) -> Shape:
    point = whole(target.element, "Indexes")

    def spread(key: str) -> AnyArray | None:
        flat = array(target.element, key).astype(np.float64)
        values = flat[: len(flat) // 3 * 3].reshape(-1, 3)
        if not len(values):
            return None
        count = min(len(values), len(point))
        fits = (point[:count] >= 0) & (point[:count] < points) & usable_rows(values[:count])
        out = np.zeros((points, 3))
        out[point[:count][fits]] = values[:count][fits]
        return out

    moved, turned = spread("Vertices"), spread("Normals")
    flat = np.zeros((points, 3)) if moved is None else moved
    has = turned is not None and bool(turned.any())
    return Shape(name or target.name, as_floats(flat, 3), as_floats(turned, 3) if has else None)
