"""Attributes and triangles → primitives: corners joined to vertices, groups parted, weights made whole."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray, all_finite, as_floats, frozen
from pruxel.core.base.errors import InputError
from pruxel.core.binary.records import Record
from pruxel.core.extract import conventions as turn
from pruxel.core.extract.corners import Faces
from pruxel.core.extract.elements import Stream, bad
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Dressing, MorphTarget, Primitive
from pruxel.core.scene.origin import Origin

_NO_WEIGHT = 1e-9
# What faces are grouped by; None where they are not.
Group = int | str | None


@dataclass(frozen=True)
class Worn:
    """The material of a piece by its number, and those of variants."""

    material: int | None = None
    dressings: tuple[Dressing, ...] = ()


@dataclass(frozen=True, eq=False)
class Frame:
    """Where all vertices are in one frame, in the file's axes: positions (n, 3), normals (n, 3) or None."""

    name: str
    positions: AnyArray
    normals: AnyArray | None = None


@dataclass(frozen=True, eq=False)
class Surface:
    """Vertices and triangles in our axes and metres, as a `Primitive` has them, without what moves them."""

    positions: FloatArray
    indices: IndexArray
    normals: FloatArray
    tangents: FloatArray | None
    uvs: tuple[FloatArray, ...]
    colors: tuple[FloatArray, ...]

    def primitive(
        self,
        worn: Worn,
        place: Origin,
        joints: AnyArray | None = None,
        weights: FloatArray | None = None,
        targets: tuple[MorphTarget, ...] = (),
    ) -> Primitive:
        """With what it wears, and what moves it: joints and weights (n, k)."""
        return Primitive(
            self.positions,
            self.indices,
            normals=self.normals,
            tangents=self.tangents,
            uvs=self.uvs,
            colors=self.colors,
            joints=None if joints is None else frozen(joints.astype(np.uint16)),
            weights=weights,
            material=worn.material,
            dressings=worn.dressings,
            targets=targets,
            origin=place,
        )

    def stretch(self, vertices: slice, indices: IndexArray) -> Surface:
        """Some of the vertices, with triangles that count among them."""
        return Surface(
            self.positions[vertices],
            indices,
            self.normals[vertices],
            None if self.tangents is None else self.tangents[vertices],
            tuple(one[vertices] for one in self.uvs),
            tuple(one[vertices] for one in self.colors),
        )


@dataclass(frozen=True, eq=False)
class PartArrays:
    """A part as its file has it: attributes by name, triangles of corners, frames of vertex animation."""

    streams: Mapping[str, Stream]
    faces: Faces
    frames: tuple[Frame, ...] = ()
    joints: AnyArray | None = None
    weights: FloatArray | None = None
    fills: Mapping[str, float] = field(default_factory=dict)


def joint_weights(
    streams: Mapping[str, Stream], palette: AnyArray | None, none: int | None, part: Record, entry: str
) -> tuple[AnyArray | None, FloatArray | None]:
    """Joints (n, k) int64 and weights (n, k) float32 that add up to 1 for each vertex, or (None, None).

    A joint alone has all the weight; one weight fewer than joints leaves the rest to the last. A number below zero, or
    `none`, is no joint; a vertex without any has weights of zero. Raises `InputError`.
    """
    joints = _beside(streams, ("joints", "joints1"))
    if joints is None:
        return None, None
    joints = np.rint(joints).astype(np.int64)
    weights = _beside(streams, ("weights", "weights1"))
    if weights is None:
        weights = np.zeros(joints.shape)
        weights[:, 0] = 1
    weights = weights.astype(np.float64)
    if weights.shape[1] == joints.shape[1] - 1:
        rest = np.maximum(_one(weights) - weights.sum(axis=1, keepdims=True), 0)
        weights = np.concatenate([weights, rest], axis=1)
    if weights.shape != joints.shape:
        raise bad(
            entry,
            part,
            "joints and weights of the vertices do not go together",
            expected=f"{joints.shape[1]} weights a vertex, or one fewer",
            found=f"{weights.shape[1]}",
        )
    if not np.isfinite(weights).all():
        raise bad(entry, part, "a weight is not a number", expected="finite numbers")
    gone = (joints < 0) | (joints == (-1 if none is None else none)) | (weights <= 0)
    joints, weights = np.where(gone, 0, joints), np.where(gone, 0.0, weights)
    if palette is not None:
        joints = _through(joints, gone, palette, part, entry)
    total = weights.sum(axis=1, keepdims=True)
    weights = np.where(total > _NO_WEIGHT, weights / np.maximum(total, _NO_WEIGHT), 0.0)
    return joints, as_floats(weights, weights.shape[1])


def _one(weights: AnyArray) -> float:
    """What whole weights add up to: 1, or the type's largest number where they are whole numbers (255, 65535)."""
    largest = float(weights.max(initial=0))
    return 1.0 if largest <= 1 else 100.0 if largest <= 100 else 255.0 if largest <= 255 else 65535.0


def _beside(streams: Mapping[str, Stream], names: tuple[str, ...]) -> AnyArray | None:
    found = [streams[name].values for name in names if name in streams]
    wide = [one[:, None] if one.ndim == 1 else one for one in found]
    return np.concatenate(wide, axis=1) if wide else None


def _through(joints: AnyArray, gone: AnyArray, palette: AnyArray, part: Record, entry: str) -> AnyArray:
    """Joints that count in the part's own list."""
    if joints.size and int(joints.max()) >= len(palette):
        raise bad(
            entry,
            part,
            "a vertex names a joint beyond its part's list",
            expected=f"a number below {len(palette)}",
            found=str(int(joints.max())),
        )
    found = palette.astype(np.int64)[joints] if len(palette) else joints
    if found.size and int(found[~gone].min(initial=0)) < 0:
        raise bad(entry, part, "a part's list of joints holds a number below zero")
    return np.where(gone, 0, found)


def primitives_of(
    arrays: PartArrays,
    how: turn.Turning,
    entry: str,
    part: Record,
    place: Origin,
    worn: Callable[[Group], Worn],
) -> list[Primitive]:
    """A primitive for each group of faces; raises `InputError`."""
    counts = {n: len(s.values) for n, s in arrays.streams.items() if s.index is None and not s.per_corner}
    if len(set(counts.values())) > 1:
        said = ", ".join(f"{name} {count:,}" for name, count in counts.items())
        raise bad(
            entry, part, "the attributes of the vertices differ in number", expected="as many of each", found=said
        )
    group = arrays.faces.group
    if group is None or not len(group):
        return [_primitive(arrays, arrays.faces.triangles, how, entry, part, place, worn(None))]
    keys, which = np.unique(group, return_inverse=True)
    order = np.argsort(which, kind="stable")
    stretches = np.split(order, np.cumsum(np.bincount(which, minlength=len(keys)))[:-1])
    return [
        _primitive(arrays, arrays.faces.triangles[mine], how, entry, part, place, worn(key))
        for key, mine in zip(keys.tolist(), stretches, strict=True)
    ]


def _primitive(
    arrays: PartArrays,
    triangles: AnyArray,
    how: turn.Turning,
    entry: str,
    part: Record,
    place: Origin,
    worn: Worn,
) -> Primitive:
    picks, indices = _joined(arrays, triangles, entry, part)
    own = {
        name: stream.values[picks[name]] if name in picks else stream.values for name, stream in arrays.streams.items()
    }
    taken = picks.get("position")
    surface = surface_of(own, indices, how)
    if not all_finite(surface.positions):
        raise _not_numbers(surface.positions, own["position"], part, entry)
    joints, weights = arrays.joints, arrays.weights
    if joints is not None and weights is not None and taken is not None:
        joints, weights = joints[taken], frozen(weights[taken])
    targets = tuple(_target(frame, own["position"], surface.normals, taken, how) for frame in arrays.frames)
    return surface.primitive(worn, place, joints, weights, targets)


def surface_of(own: Mapping[str, AnyArray], indices: AnyArray, how: turn.Turning) -> Surface:
    """The surface of vertices with these attributes, in the file's axes, and triangles (m, 3)."""
    positions = turn.turn_points(_three(own["position"]), how)
    corners = turn.turn_corners(indices, how)
    normal, tangent = own.get("normal"), own.get("tangent")
    return Surface(
        positions,
        corners,
        vertex_normals(positions, corners) if normal is None else turn.turn_directions(normal, how),
        None if tangent is None or tangent.shape[1] < 4 else turn.turn_tangents(tangent, how),
        tuple(turn.turn_uvs(own[k], how) for k in ("uv0", "uv1", "uv2", "uv3") if k in own),
        tuple(as_floats(_four(own[k]), 4) for k in ("color", "color1") if k in own),
    )


def _joined(arrays: PartArrays, triangles: AnyArray, entry: str, part: Record) -> tuple[dict[str, AnyArray], AnyArray]:
    """Which value of each attribute a vertex takes, and the vertices of each triangle.

    Attributes that corners pick among make a vertex of every combination that occurs. A pool of vertices of which a
    part uses few is cut down to those. Nothing is picked where all is used as it stands.
    """
    vertices = arrays.faces.vertex_of_corner[triangles]
    loose = {name: s for name, s in arrays.streams.items() if s.index is not None or s.per_corner}
    count = len(arrays.streams["position"].values)
    if not loose:
        if vertices.size * 2 >= count:
            return {}, vertices
        used, indices = np.unique(vertices, return_inverse=True)
        return dict.fromkeys(arrays.streams, used), indices.reshape(-1, 3)
    columns = [vertices.reshape(-1)]
    for name, stream in loose.items():
        chosen = triangles.reshape(-1)
        if stream.index is not None:
            if chosen.size and int(chosen.max()) >= len(stream.index):
                raise bad(entry, part, f"'{name}' has fewer numbers than there are corners")
            chosen = stream.index[chosen]
        if chosen.size and not 0 <= int(chosen.min()) <= int(chosen.max()) < len(stream.values):
            raise bad(
                entry,
                part,
                f"a corner asks for '{name}' {int(chosen.max()):,}",
                expected=f"a number below {len(stream.values):,}",
            )
        columns.append(chosen.astype(np.int64))
    kinds, indices = np.unique(np.stack(columns, axis=1), axis=0, return_inverse=True)
    picks = dict.fromkeys(arrays.streams, kinds[:, 0])
    for at, name in enumerate(loose, 1):
        picks[name] = kinds[:, at]
    return picks, indices.reshape(-1, 3)


def _target(
    frame: Frame, base: AnyArray, normals: FloatArray, taken: AnyArray | None, how: turn.Turning
) -> MorphTarget:
    """What a frame adds to the positions `base`, in the file's axes, and to the `normals`, in ours."""
    positions = frame.positions if taken is None else frame.positions[taken]
    moved = turn.turn_points(_three(positions) - _three(base), how)
    if frame.normals is None:
        return MorphTarget(frame.name, moved)
    turned = turn.turn_directions(frame.normals if taken is None else frame.normals[taken], how)
    return MorphTarget(frame.name, moved, normals=as_floats(turned - normals, 3))


def _not_numbers(turned: AnyArray, positions: AnyArray, part: Record, entry: str) -> InputError:
    broken = np.logical_not(np.isfinite(turned).all(axis=1))
    first = int(np.argmax(broken))
    return bad(
        entry,
        part,
        f"{int(broken.sum()):,} vertices have positions that are not numbers",
        expected="finite numbers",
        found=f"vertex {first:,} at {positions[first].tolist()}",
        hint="The element's type or offset may be wrong; the other parts are kept.",
    )


def _three(points: AnyArray) -> AnyArray:
    """(n, 3): flat points lie at a third coordinate of 0, a fourth number is left out."""
    if points.shape[1] >= 3:
        return points[:, :3]
    return np.concatenate([points, np.zeros((len(points), 1), points.dtype)], axis=1)


def _four(color: AnyArray) -> AnyArray:
    """Colours 0 to 1 with an alpha of 1 where the file has three channels; one channel is grey."""
    found = color[:, None] if color.ndim == 1 else color
    if found.dtype.kind in "iu":
        found = found.astype(np.float32) / float(np.iinfo(color.dtype).max if color.dtype.itemsize < 8 else 255)
    if found.shape[1] == 1:
        found = np.repeat(found, 3, axis=1)
    if found.shape[1] >= 4:
        return found[:, :4]
    return np.concatenate([found, np.ones((len(found), 4 - found.shape[1]), found.dtype)], axis=1)


def from_joints(
    positions: AnyArray, joints: AnyArray, weights: AnyArray, world_from_joint: DoubleArray, how: turn.Turning
) -> AnyArray:
    """Points given in the space of their joints, in the file's axes → the same in the model's space.

    positions (n, 3); joints, weights (n, k); world_from_joint (j, 4, 4) in our axes and metres. Each point is the
    weighted sum of where its joints take it; one without weight stays as it is.
    """
    to_ours = how.ours_from_file * how.unit_m
    ours = positions @ to_ours.T
    moved = np.zeros((len(positions), 3))
    for column in range(joints.shape[1]):
        matrix = world_from_joint[joints[:, column]]
        place = np.einsum("nij,nj->ni", matrix[:, :3, :3], ours) + matrix[:, :3, 3]
        moved += weights[:, column : column + 1] * place
    free = weights.sum(axis=1, keepdims=True) <= 0
    return np.where(free, positions, moved @ np.linalg.inv(to_ours).T)
