"""What a layout says of vertices → one array an attribute.

An attribute is an expression that gives an array, or a place in a block of bytes: where its data is, its type, stride,
offset and count, each an expression, most of them known from the attributes before it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import BeforeValidator, model_validator

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import Element, element
from pruxel.core.binary.functions.arrays import elements_of
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import array_of, as_whole, bytes_of, numbers_of, rows_of, text_of, truth_of, whole_of

Semantic = Literal[
    "position", "normal", "tangent", "uv0", "uv1", "uv2", "uv3", "color", "color1", "joints", "weights", "joints1",
    "weights1", "ignored",
]  # fmt: skip
# How many numbers an attribute may have; joints and weights as many as the file has.
WIDTHS: dict[str, tuple[int, ...]] = {
    "position": (2, 3, 4), "normal": (3, 4), "tangent": (3, 4),
    "uv0": (2, 3, 4), "uv1": (2, 3, 4), "uv2": (2, 3, 4), "uv3": (2, 3, 4),
    "color": (1, 3, 4), "color1": (1, 3, 4),
    "joints": tuple(range(1, 17)), "weights": tuple(range(1, 17)),
    "joints1": tuple(range(1, 17)), "weights1": tuple(range(1, 17)),
}  # fmt: skip


def _as_place(value: object) -> object:
    """An attribute written as one expression."""
    return {"value": value} if isinstance(value, str | int | float) else value


class ElementSpec(Strict):
    """One attribute: `value`, an array; or `type` and a place in a block.

    Without `data`, `stride` and `count` those of all vertices hold; without `offset` it stands behind the attribute
    before it in the same block. `scale` and `bias` undo quantisation: bias + scale * stored, a number or one a
    component. `index` picks a value for every corner of the triangles, `per: corner` has one for each anyhow.
    """

    value: ExpressionText | None = None
    """An array, in place of bytes."""
    type: ExpressionText | None = None
    """The element type of one value."""
    data: ExpressionText | None = None
    """The block of bytes, when it is not that of all vertices."""
    stride: ExpressionText | None = None
    """Bytes from one value to the next."""
    offset: ExpressionText | None = None
    """The first byte; without it, behind the attribute before it in the same block."""
    count: ExpressionText | None = None
    """How many, when not as many as vertices."""
    when: ExpressionText | None = None
    """Whether it is there; what is not there shifts those behind it."""
    scale: ExpressionText | None = None
    """Multiplied with the stored numbers: one, or one a component."""
    bias: ExpressionText | None = None
    """Added after that."""
    index: ExpressionText | None = None
    """For every corner of the triangles the number of its value: the file keeps its own list."""
    per: Literal["vertex", "corner"] = "vertex"
    """`corner` where there is a value for every corner."""

    @model_validator(mode="after")
    def _one_way(self) -> ElementSpec:
        if (self.value is None) == (self.type is None):
            message = "an attribute is either a 'value' or of a 'type' in a block of bytes"
            raise ValueError(message)
        return self


class DescribedElements(Strict):
    """Attributes that the file itself lists: records with three numbers each, and what those mean."""

    each: ExpressionText
    """The records, one an attribute."""
    semantic: str = "semantic"
    """Their field that says what the attribute means."""
    type: str = "type"
    """Their field that says of what type it is."""
    offset: str = "offset"
    """Their field with its offset in a vertex."""
    semantics: dict[int, Semantic]
    """What the numbers of `semantic` mean."""
    types: dict[int, str]
    """What the numbers of `type` mean."""


class Vertices(Strict):
    """All vertices of a part: `elements` by what they mean, or `described` by records of the file.

    `scale` and `bias` undo the quantisation of described ones.
    """

    count: ExpressionText | None = None
    """How many vertices; without it, as many as the block holds."""
    data: ExpressionText | None = None
    """The block of bytes of all attributes that do not say another."""
    stride: ExpressionText | None = None
    """Bytes of a vertex; without it, what its attributes take."""
    elements: dict[Semantic, Annotated[ElementSpec, BeforeValidator(_as_place)]] = {}
    """The attributes by what they mean: a place in a block, or an expression that gives an array."""
    described: DescribedElements | None = None
    """Attributes that the file itself lists."""
    scale: dict[Semantic, ExpressionText] = {}
    """Undoes quantisation of described attributes, by what they mean."""
    bias: dict[Semantic, ExpressionText] = {}
    """The same."""

    @model_validator(mode="after")
    def _some(self) -> Vertices:
        if not self.elements and self.described is None:
            message = "vertices have 'elements', or are 'described' by records"
            raise ValueError(message)
        return self


@dataclass(frozen=True, eq=False)
class Stream:
    """One attribute: values (n, width) or (n,).

    `index` (corners,) where corners pick among them, `per_corner` where there is one for each corner.
    """

    values: AnyArray
    index: AnyArray | None = None
    per_corner: bool = False


@dataclass(frozen=True)
class _Placed:
    """An attribute in a block of bytes."""

    semantic: str
    kind: Element
    data: str
    offset: int
    spec: ElementSpec


@dataclass(frozen=True, eq=False)
class Run:
    """Equal elements in a block of bytes: `count`, or all that fit, of a kind, `stride` bytes apart from `offset`."""

    data: memoryview
    kind: Element
    count: int | None
    stride: int
    offset: int

    def same(self, other: Run) -> bool:
        """Whether they are the same bytes, read in the same way."""
        mine = (self.kind, self.count, self.stride, self.offset)
        return self.data is other.data and mine == (other.kind, other.count, other.stride, other.offset)


# The last run of each attribute, and what it holds: parts in a row often share one pool of vertices.
Shared = dict[str, tuple[Run, AnyArray]]


def read_vertices(part: Record, spec: Vertices, entry: str, endian: str, shared: Shared) -> dict[str, Stream]:
    """Decode all attributes that are there; raises `InputError` when a block is too short."""
    found: dict[str, Stream] = {}
    for semantic, one in spec.elements.items():
        if one.value is not None and truth_of(one.when, part, entry, otherwise=True):
            found[semantic] = _finished(array_of(one.value, part, entry, *WIDTHS.get(semantic, (1,))), one, part, entry)
    for name, (run, how) in runs_of(part, spec, entry).items():
        known = shared.get(name)
        if known is None or not known[0].same(run):
            try:
                values = elements_of(run.data, run.kind, run.count, run.stride, run.offset, endian)
            except ValueError as error:
                raise bad(entry, part, f"'{name}' of the vertices cannot be read: {error}") from None
            known = shared[name] = run, frozen(values)
        found[name] = _finished(known[1], how, part, entry)
    return found


def runs_of(part: Record, spec: Vertices, entry: str) -> dict[str, tuple[Run, ElementSpec]]:
    """The attributes in blocks of bytes by what they mean; raises `InputError`."""
    placed = [*_placed(part, spec, entry), *_described(part, spec, entry)]
    strides = _strides(part, spec, placed, entry)
    found = {}
    for place in placed:
        if place.semantic == "ignored":
            continue
        _check_width(place, part, entry)
        count = place.spec.count or spec.count
        number = None if count is None else whole_of(count, part, entry)
        data = bytes_of(place.data, part, entry)
        run = Run(data, place.kind, number, strides[place.semantic], place.offset)
        found[place.semantic] = run, place.spec
    return found


def _check_width(place: _Placed, part: Record, entry: str) -> None:
    widths = WIDTHS[place.semantic]
    if place.kind.components not in widths:
        raise bad(
            entry,
            part,
            f"'{place.semantic}' of the vertices is of the wrong type",
            expected=f"{' or '.join(map(str, widths[:4]))} numbers",
            found=f"'{place.kind.name}', {place.kind.components} of them",
        )


def _finished(values: AnyArray, spec: ElementSpec, part: Record, entry: str) -> Stream:
    """Scale and bias done, with the corners' own numbers."""
    for text, work in ((spec.scale, np.multiply), (spec.bias, np.add)):
        if text is not None:
            width = 1 if values.ndim == 1 else values.shape[1]
            factor = np.asarray(numbers_of(text, part, entry, *{1, min(width, 3), width}), np.float32)
            # Three numbers for a vector of four mean the vector; the fourth fills its place in the file.
            values = work(values if len(factor) in {1, width} else values[:, : len(factor)], factor)
    index = None if spec.index is None else array_of(spec.index, part, entry, 1, 3)
    return Stream(values, None if index is None else index.reshape(-1), spec.per == "corner")


def _placed(part: Record, spec: Vertices, entry: str) -> list[_Placed]:
    """Attributes in blocks of bytes, each at its own offset or behind the one before it in the same block."""
    found: list[_Placed] = []
    behind: dict[str, int] = {}
    for semantic, one in spec.elements.items():
        if one.type is None or not truth_of(one.when, part, entry, otherwise=True):
            continue
        data = one.data or spec.data
        if data is None:
            raise bad(entry, part, f"'{semantic}' of the vertices has no 'data'", expected="a block of bytes")
        name = text_of(one.type, part, entry)
        kind = element(name)
        if kind is None:
            raise bad(entry, part, f"'{name}' is no element type")
        offset = behind.get(data, 0) if one.offset is None else whole_of(one.offset, part, entry)
        behind[data] = offset + kind.size
        found.append(_Placed(semantic, kind, data, offset, one))
    return found


def _described(part: Record, spec: Vertices, entry: str) -> list[_Placed]:
    """The same as records of the file list them."""
    if spec.described is None:
        return []
    if spec.data is None:
        raise bad(entry, part, "vertices that records describe need 'data'", expected="a block of bytes")
    told, found = spec.described, []
    for record in rows_of(told.each, part, entry):
        semantic = told.semantics.get(record.own(told.semantic), "ignored")
        code = record.own(told.type)
        if code not in told.types:
            raise bad(
                entry,
                part,
                "a vertex element has a type number that the layout does not list",
                expected=f"one of {', '.join(str(k) for k in told.types)}",
                found=str(code),
            )
        kind = element(told.types[code])
        if kind is None:
            raise bad(entry, part, f"'{told.types[code]}' is no element type")
        offset = as_whole(record.own(told.offset), told.offset, record, entry)
        how = ElementSpec(type=told.types[code], scale=spec.scale.get(semantic), bias=spec.bias.get(semantic))
        found.append(_Placed(semantic, kind, spec.data, offset, how))
    return found


def _strides(part: Record, spec: Vertices, placed: list[_Placed], entry: str) -> dict[str, int]:
    """How far apart the vertices of each attribute stand: as said, or what the attributes of its block take."""
    together: dict[str, int] = {}
    for one in placed:
        together[one.data] = max(together.get(one.data, 0), one.offset + one.kind.size)
    found = {}
    for one in placed:
        said = one.spec.stride or (spec.stride if one.spec.data in {None, spec.data} else None)
        stride = together[one.data] if said is None else whole_of(said, part, entry)
        if said is not None and one.offset + one.kind.size > max(stride, one.kind.size) and one.spec.offset is None:
            raise bad(
                entry,
                part,
                f"'{one.semantic}' lies outside the vertex",
                expected=f"an end within {stride} bytes",
                found=f"{one.offset + one.kind.size}",
            )
        found[one.semantic] = stride
    return found


def bad(
    entry: str,
    part: Record,
    message: str,
    *,
    expected: str | None = None,
    found: str | None = None,
    hint: str | None = None,
) -> InputError:
    """The error for a part that does not hold together."""
    return InputError(
        ErrorCode.MALFORMED,
        message,
        file=entry,
        offset=part.start,
        field=part.kind,
        expected=expected,
        found=found,
        hint=hint,
    )
