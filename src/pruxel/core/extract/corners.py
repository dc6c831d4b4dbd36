"""What a layout says of triangles → which corner of the file each of their three corners is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, get_args

import numpy as np
from pydantic import BeforeValidator, model_validator

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.elements import element
from pruxel.core.binary.functions import triangles as cut
from pruxel.core.binary.functions.arrays import elements_of
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import array_of, bytes_of, text_of, truth_of, value_of, whole_of, wholes_of
from pruxel.core.extract.elements import Run, bad

Shape = Literal["list", "strip", "fan", "quads", "polygons"]
_SHAPES = get_args(Shape)


def _as_corners(value: object) -> object:
    return {"corners": value} if isinstance(value, str | int) else value


class Triangles(Strict):
    """The corners of triangles: an array of vertex numbers, or `type` and `count` of those in a block of bytes.

    `shape` says how corners make triangles; `restart` ends a strip or fan, `sizes` are the corners of polygons. `base`
    is added to every number. `keep` says for each face whether it is taken, `group` a number or text by which faces
    are sorted into parts of one material each.
    """

    corners: ExpressionText | None = None
    """The numbers of vertices, an array."""
    data: ExpressionText | None = None
    """A block of bytes instead."""
    type: ExpressionText | None = None
    """Its element type."""
    count: ExpressionText | None = None
    """How many corners; without it, all that the block holds."""
    stride: ExpressionText | None = None
    """Bytes from one to the next."""
    offset: ExpressionText = "0"
    """The first byte."""
    shape: Shape | ExpressionText = "list"
    """`list` (three each), `strip`, `fan`, `quads` or `polygons`, or an expression that gives one."""
    restart: ExpressionText | None = None
    """The number that ends a strip or fan."""
    flipped: ExpressionText | None = None
    """1 when the first triangle of a strip is turned."""
    sizes: ExpressionText | None = None
    """Of polygons: how many corners each has."""
    base: ExpressionText | None = None
    """Added to every number."""
    keep: ExpressionText | None = None
    """A condition for each face, or one for the part: whether it is taken."""
    group: ExpressionText | None = None
    """A number or text for each face; faces of one are one piece with one material."""

    @model_validator(mode="after")
    def _one_way(self) -> Triangles:
        if (self.corners is None) == (self.data is None):
            message = "triangles have 'corners', an array, or 'data' with the 'type' of one corner"
            raise ValueError(message)
        if self.data is not None and self.type is None:
            message = "corners in a block of bytes need their 'type'"
            raise ValueError(message)
        if self.shape == "polygons" and self.sizes is None:
            message = "polygons need 'sizes', how many corners each has"
            raise ValueError(message)
        return self


TrianglesText = Annotated[Triangles, BeforeValidator(_as_corners)]


@dataclass(frozen=True, eq=False)
class Faces:
    """Triangles (m, 3) int64 of numbers of corners, the vertex (c,) int64 of each corner, and (m,) group or None."""

    triangles: AnyArray
    vertex_of_corner: AnyArray
    group: AnyArray | None = None


def soup(vertices: int) -> Faces:
    """Three vertices in a row a triangle."""
    return Faces(np.arange(vertices // 3 * 3).reshape(-1, 3), np.arange(vertices))


def read_triangles(part: Record, spec: Triangles, vertices: int, entry: str, endian: str) -> Faces:
    """Triangles of a part; raises `InputError` when a corner is beyond the vertices."""
    corners = _corners(part, spec, entry, endian)
    shape = (
        spec.shape if spec.shape in {"list", "strip", "fan", "quads", "polygons"} else text_of(spec.shape, part, entry)
    )
    restart = -1 if spec.restart is None else whole_of(spec.restart, part, entry)
    numbers = np.arange(len(corners), dtype=np.int64)
    try:
        triangles, faces = _cut(part, spec, shape, corners, numbers, restart, entry)
    except ValueError as error:
        raise bad(entry, part, f"the corners make no triangles: {error}") from None
    if spec.base is not None:
        corners = corners + base_of(part, spec, entry)
    triangles, group = _chosen(part, spec, triangles, faces, entry)
    used = corners[triangles]
    if used.size and not 0 <= int(used.min()) <= int(used.max()) < vertices:
        first = int(np.argmax((used < 0) | (used >= vertices)))
        raise bad(
            entry,
            part,
            f"index {int(triangles.reshape(-1)[first]):,} is out of range",
            expected=f"0 to {vertices - 1:,}" if vertices else "vertices",
            found=f"{int(used.reshape(-1)[first]):,}",
            hint="The index type or the vertex count may be read wrongly; check the layout.",
        )
    return Faces(triangles, corners, group)


def _corners(part: Record, spec: Triangles, entry: str, endian: str) -> AnyArray:
    """(c,) int64 numbers of vertices, as they stand in the file."""
    if spec.corners is not None:
        found = array_of(spec.corners, part, entry, *range(1, 17))
        if found.dtype.kind not in "iu":
            raise bad(entry, part, "corners should be whole numbers", found=str(found.dtype))
        return found.reshape(-1).astype(np.int64)
    run = corner_run(part, spec, entry)
    try:
        found = elements_of(run.data, run.kind, run.count, run.stride, run.offset, endian)
    except ValueError as error:
        raise bad(entry, part, f"the corners cannot be read: {error}") from None
    return found.reshape(-1).astype(np.int64)


def base_of(part: Record, spec: Triangles, entry: str) -> int:
    """What is added to every corner; raises `InputError`."""
    return 0 if spec.base is None else whole_of(spec.base, part, entry)


def corner_run(part: Record, spec: Triangles, entry: str) -> Run:
    """Where in a block of bytes the corners stand; raises `InputError`."""
    name = text_of(str(spec.type), part, entry)
    kind = element(name)
    if kind is None or not kind.whole:
        raise bad(entry, part, "not an index type", expected="u8, u16 or u32", found=name)
    data = bytes_of(str(spec.data), part, entry)
    count = None if spec.count is None else whole_of(spec.count, part, entry)
    stride = kind.size if spec.stride is None else whole_of(spec.stride, part, entry)
    return Run(data, kind, count, stride, whole_of(spec.offset, part, entry))


def _cut(
    part: Record, spec: Triangles, shape: str, corners: AnyArray, numbers: AnyArray, restart: int, entry: str
) -> tuple[AnyArray, AnyArray]:
    """Numbers of corners (m, 3), and the face that each triangle is of (m,)."""
    if shape in {"strip", "fan"}:
        if shape == "strip":
            flipped = 0 if spec.flipped is None else whole_of(spec.flipped, part, entry)
            found = _strip(corners, restart, flipped)
        else:
            marked = np.where(corners == restart, -2, numbers) if restart >= 0 else numbers
            found = cut.fan(np.where(marked == -2, len(numbers), marked), len(numbers) if restart >= 0 else -1)
        return found, np.arange(len(found))
    if shape == "quads":
        found = cut.quads(numbers)
        return found, np.arange(len(found)) // 2
    if shape == "polygons":
        sizes = wholes_of(str(spec.sizes), part, entry)
        return cut.polygons(numbers, sizes), cut.face_of(sizes)
    if shape != "list":
        raise ValueError(f"'{shape}' is no shape; list, strip, fan, quads and polygons are")
    if len(numbers) % 3:
        raise ValueError(f"{len(numbers):,} corners are no whole triangles")
    return numbers.reshape(-1, 3), np.arange(len(numbers) // 3)


def _strip(corners: AnyArray, restart: int, flipped: int) -> AnyArray:
    """A strip as numbers of corners: which triangles are there is told by the vertices."""
    numbers = np.arange(len(corners))
    cuts = corners == restart if restart >= 0 else np.zeros(len(corners), bool)
    found = cut.strip(np.where(cuts, len(corners), numbers), len(corners) if restart >= 0 else -1, flipped)
    of = corners[found]
    same = (of[:, 0] == of[:, 1]) | (of[:, 1] == of[:, 2]) | (of[:, 0] == of[:, 2])
    return found[~same]


def _chosen(
    part: Record, spec: Triangles, triangles: AnyArray, faces: AnyArray, entry: str
) -> tuple[AnyArray, AnyArray | None]:
    """The triangles that are taken, and the group of each."""
    if spec.keep is None and spec.group is None:
        return triangles, None
    keep = np.ones(len(triangles), bool)
    if spec.keep is not None:
        value = value_of(spec.keep, part, entry)
        if isinstance(value, np.ndarray) and value.ndim == 1:
            keep = _of_faces(part, value, faces, "keep", entry).astype(bool)
        else:
            keep &= truth_of(spec.keep, part, entry, otherwise=True)
    group = None
    if spec.group is not None:
        value = value_of(spec.group, part, entry)
        listed = np.asarray(value) if isinstance(value, np.ndarray | list | tuple) else None
        if listed is None or listed.ndim != 1 or listed.dtype.kind not in "iuU":
            raise bad(entry, part, "'group' should be a number or a text for each face")
        group = _of_faces(part, listed, faces, "group", entry)[keep]
    return triangles[keep], group


def _of_faces(part: Record, values: AnyArray, faces: AnyArray, what: str, entry: str) -> AnyArray:
    most = int(faces.max(initial=-1))
    if most >= len(values):
        raise bad(entry, part, f"'{what}' is too short", expected=f"{most + 1:,} faces", found=f"{len(values):,}")
    return values[faces]
