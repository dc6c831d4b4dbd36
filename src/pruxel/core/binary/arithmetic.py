"""What operators, indices and columns mean on the values of fields: numbers, texts, arrays, records.

Numbers stay within 64 bits. Arrays are worked on element by element, whole numbers as int64, others as they are; an
array that holds more elements than `MOST_ELEMENTS` is refused before it is made. All words are ours: what does not go
together raises `ValueError` that says so.
"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray

MOST_ELEMENTS = 1 << 25
_LARGEST = 1 << 66
_DEEPEST_SHIFT = 64
_LONGEST_TEXT = 4096
_AXES = {"x": 0, "y": 1, "z": 2, "w": 3}

_BINARY: dict[type[ast.AST], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.FloorDiv: operator.floordiv,
    ast.Div: operator.truediv,
    ast.Mod: operator.mod,
    ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.BitXor: operator.xor,
    ast.LShift: operator.lshift,
    ast.RShift: operator.rshift,
    ast.MatMult: operator.matmul,
}
_COMPARE: dict[type[ast.AST], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.In: lambda item, group: item in group,
}
_UNARY: dict[type[ast.AST], Callable[[Any], Any]] = {
    ast.USub: operator.neg,
    ast.Not: operator.not_,
    ast.Invert: operator.invert,
}
BINARY, COMPARE, UNARY = tuple(_BINARY), tuple(_COMPARE), tuple(_UNARY)
_ON_BITS = (ast.BitAnd, ast.BitOr, ast.BitXor, ast.LShift, ast.RShift)
_ON_ZERO = (ast.Div, ast.FloorDiv, ast.Mod)


def is_array(value: object) -> bool:
    """Whether a value holds several numbers."""
    return isinstance(value, np.ndarray) or (
        isinstance(value, tuple) and bool(value) and all(isinstance(one, int | float) for one in value)
    )


def as_array(value: Any) -> AnyArray:  # noqa: ANN401 - any value of a field
    """A number, tuple or array as an array to compute with: whole numbers int64, others float32 or float64."""
    if isinstance(value, np.ndarray):
        found = value
    elif isinstance(value, int | float) or is_array(value):
        found = np.asarray(value)
    else:
        raise ValueError(f"{kind_of(value)} cannot be computed with")
    if found.dtype.kind in "iub":
        if found.dtype == np.uint64 and found.size and int(found.max()) >= 1 << 63:
            raise ValueError("a number beyond 63 bits among many")
        return found.astype(np.int64, copy=False)
    if found.dtype.kind != "f":
        raise ValueError(f"{kind_of(value)} cannot be computed with")
    return found.astype(np.float32) if found.dtype.itemsize == 2 else found


def kind_of(value: object) -> str:
    """What a value is, in words."""
    if isinstance(value, np.ndarray):
        return f"an array of {' x '.join(map(str, value.shape))}"
    words: dict[type, str] = {
        str: "a text",
        memoryview: "a block of bytes",
        bytes: "a block of bytes",
        dict: "a field with parts",
    }
    words |= {list: "a list", tuple: "a list", bool: "a truth", int: "a number", float: "a number"}
    return words.get(type(value), f"a {type(value).__name__.lower()}")


def combined(op: type[ast.AST], left: Any, right: Any) -> Any:  # noqa: ANN401
    """`left op right`."""
    if op is ast.Add and {type(left), type(right)} == {str, list}:
        return [combined(op, *pair) for pair in _pairs(left, right)]
    if is_array(left) or is_array(right):
        return _arrays_combined(op, as_array(left), as_array(right))
    if isinstance(left, str) and isinstance(right, str) and op is ast.Add:
        if len(left) + len(right) > _LONGEST_TEXT:
            raise ValueError(f"a text longer than {_LONGEST_TEXT:,} characters")
        return left + right
    for value in (left, right):
        if not isinstance(value, int | float):
            raise ValueError(f"{kind_of(value)} cannot be computed with")
    if op is ast.MatMult:
        raise ValueError("'@' is for matrices and vectors")
    if issubclass(op, _ON_BITS) and not (isinstance(left, int) and isinstance(right, int)):
        raise ValueError("only whole numbers have bits")
    if op in {ast.LShift, ast.RShift} and not 0 <= right <= _DEEPEST_SHIFT:
        raise ValueError(f"a shift by {right} bits")
    if op in _ON_ZERO and right == 0:
        raise ValueError("a division by zero")
    value = _BINARY[op](left, right)
    if abs(value) > _LARGEST:
        raise ValueError("a number beyond 64 bits")
    return value


def _arrays_combined(op: type[ast.AST], left: AnyArray, right: AnyArray) -> AnyArray:
    if op is ast.MatMult:
        return _product(left, right)
    if issubclass(op, _ON_BITS) and (left.dtype.kind != "i" or right.dtype.kind != "i"):
        raise ValueError("only whole numbers have bits")
    if op in {ast.LShift, ast.RShift} and right.size and not 0 <= int(right.min()) <= int(right.max()) < 64:
        raise ValueError("a shift by fewer than 0 or more than 63 bits")
    if op in _ON_ZERO and left.dtype.kind == right.dtype.kind == "i" and not right.all():
        raise ValueError("a division by zero")
    check_size(*shape_together(left.shape, right.shape))
    with np.errstate(all="ignore"):
        found: AnyArray = _BINARY[op](left, right)
    return found


def _product(left: AnyArray, right: AnyArray) -> AnyArray:
    """Matrices times matrices or vectors: (…, 4, 4) @ (…, 4, 4), (…, 3 or 4) vectors; points get a 1 for (4, 4)."""
    a, b = left.astype(np.float64, copy=False), right.astype(np.float64, copy=False)
    if a.ndim < 2 or a.shape[-1] != a.shape[-2]:
        raise ValueError("'@' needs square matrices on its left")
    if b.ndim >= 2 and b.shape[-2:] == a.shape[-2:]:
        check_size(*shape_together(a.shape, b.shape))
        found: AnyArray = a @ b
        return found
    if b.shape[-1] not in {a.shape[-1], a.shape[-1] - 1}:
        raise ValueError(f"{kind_of(right)} does not go behind {kind_of(left)}")
    shape = shape_together(a.shape[:-2], b.shape[:-1])
    check_size(*shape, b.shape[-1])
    linear = np.einsum("...ij,...j->...i", a[..., : b.shape[-1], : b.shape[-1]], b)
    moved: AnyArray = linear if b.shape[-1] == a.shape[-1] else linear + a[..., : b.shape[-1], -1]
    return moved


def shape_together(*shapes: tuple[int, ...]) -> tuple[int, ...]:
    """The shape of element-by-element work; raises `ValueError` when lengths differ."""
    try:
        return np.broadcast_shapes(*shapes)
    except ValueError:
        said = " and ".join(" x ".join(map(str, shape)) or "1" for shape in shapes)
        raise ValueError(f"arrays of {said} do not go together") from None


def check_size(*lengths: int) -> None:
    """Raise before an array of so many elements is made."""
    total = 1
    for length in lengths:
        total *= int(length)
    if total > MOST_ELEMENTS:
        raise ValueError(f"{total:,} elements are more than the {MOST_ELEMENTS:,} that one value may hold")


def compared(op: type[ast.AST], left: Any, right: Any) -> Any:  # noqa: ANN401
    """One comparison: a truth, or one for each element."""
    if op is ast.In:
        if isinstance(right, np.ndarray):
            return bool((right == left).any())
        if not isinstance(right, str | tuple | list) or (isinstance(right, str) and not isinstance(left, str)):
            raise ValueError(f"{kind_of(right)} does not hold {kind_of(left)}")
        return left in right
    if op in {ast.Eq, ast.NotEq} and isinstance(left, list) != isinstance(right, list):
        # Texts of many records, each compared.
        return np.array([_COMPARE[op](*pair) for pair in _pairs(left, right)], bool)
    if isinstance(left, np.ndarray) or isinstance(right, np.ndarray):
        a, b = as_array(left), as_array(right)
        check_size(*shape_together(a.shape, b.shape))
        return _COMPARE[op](a, b)
    if op not in {ast.Eq, ast.NotEq} and (isinstance(left, str) != isinstance(right, str) or not _ordered(left, right)):
        raise ValueError(f"{kind_of(left)} and {kind_of(right)} have no order")
    return _COMPARE[op](left, right)


def _pairs(left: Any, right: Any) -> list[tuple[Any, Any]]:  # noqa: ANN401
    """Each item of the list on one side with the value on the other."""
    return [(one, right) for one in left] if isinstance(left, list) else [(left, one) for one in right]


def _ordered(*values: object) -> bool:
    return all(isinstance(value, int | float | str) for value in values)


def truth(value: Any) -> bool:  # noqa: ANN401
    """One value as a condition."""
    if isinstance(value, np.ndarray):
        if value.size != 1:
            raise ValueError("a condition is one value, not an array; 'where' chooses by element, '&' and '|' join")
        return bool(value.item())
    return bool(value)


def unary(op: type[ast.AST], value: Any) -> Any:  # noqa: ANN401
    """`-value`, `~value` or `not value`."""
    if op is ast.Not:
        return not truth(value)
    if is_array(value):
        found = value if isinstance(value, np.ndarray) and value.dtype.kind == "b" else as_array(value)
        if op is ast.Invert and found.dtype.kind == "f":
            raise ValueError("only whole numbers have bits")
        return ~found if op is ast.Invert else -as_array(found)
    if not isinstance(value, int | float) or (op is ast.Invert and not isinstance(value, int)):
        raise ValueError(f"{kind_of(value)} cannot be computed with")
    return _UNARY[op](value)


def item_of(value: Any, index: Any) -> Any:  # noqa: ANN401
    """`value[index]`: an item, a stretch, or the items that an array of whole numbers or truths picks."""
    if isinstance(index, tuple) and isinstance(value, np.ndarray):
        if len(index) > value.ndim:
            raise ValueError(f"{len(index)} indices for {kind_of(value)}")
        found = value
        for axis, one in reversed(list(enumerate(index))):
            found = _along(found, one, axis)
        return _plain(found)
    if isinstance(value, np.ndarray):
        return _plain(_along(value, index, 0))
    if isinstance(value, memoryview | bytes | str | list | tuple) or hasattr(value, "stretch"):
        return _item(value, index)
    raise ValueError(f"{kind_of(value)} has no items")


def _item(value: Any, index: Any) -> Any:  # noqa: ANN401
    if isinstance(index, slice):
        begin, end, step = _bounds(index, len(value))
        return value.stretch(begin, end, step) if hasattr(value, "stretch") else value[begin:end:step]
    if isinstance(index, np.ndarray):
        picked = [value[number] for number in _numbers(index, len(value)).tolist()]
        return stacked(picked)
    number = _number(index)
    if number >= len(value):
        raise IndexError(number)
    return value[number]


def _plain(found: AnyArray) -> Any:  # noqa: ANN401
    return found.item() if found.ndim == 0 else found


def _along(value: AnyArray, index: Any, axis: int) -> AnyArray:  # noqa: ANN401
    length = value.shape[axis]
    if isinstance(index, slice):
        begin, end, step = _bounds(index, length)
        return value[(slice(None),) * axis + (slice(begin, end, step),)]
    if isinstance(index, np.ndarray):
        chosen = _numbers(index, length)
        check_size(*value.shape[:axis], len(chosen), *value.shape[axis + 1 :])
        return np.take(value, chosen, axis)
    number = _number(index)
    if number >= length:
        raise IndexError(number)
    return value[(slice(None),) * axis + (number,)]


def _numbers(index: AnyArray, length: int) -> AnyArray:
    """An array of numbers or truths as numbers of items, all of them there."""
    if index.dtype.kind == "b" and index.shape == (length,):
        return np.flatnonzero(index)
    if index.dtype.kind not in "iu" or index.ndim != 1:
        raise ValueError(f"{kind_of(index)} picks no items")
    if index.size and not 0 <= int(index.min()) <= int(index.max()) < length:
        raise IndexError(int(index.min() if index.min() < 0 else index.max()))
    return index


def _number(index: Any) -> int:  # noqa: ANN401
    if isinstance(index, bool) or not isinstance(index, int) or index < 0:
        raise ValueError(f"{index if isinstance(index, int | float | str) else kind_of(index)} is not an index")
    return index


def _bounds(index: slice, length: int) -> tuple[int, int, int]:
    begin = 0 if index.start is None else _number(index.start)
    end = length if index.stop is None else _number(index.stop)
    step = 1 if index.step is None else _number(index.step)
    if not 0 <= begin <= end <= length or step < 1:
        raise ValueError(f"{begin}:{end}:{step} is no stretch of {length:,} items")
    return begin, end, step


def field_of(value: Any, name: str) -> Any:  # noqa: ANN401
    """`value.name`: a field of a record, the column of a field over many, a part of a vector; raises KeyError."""
    if isinstance(value, Mapping):
        return value[name]
    if is_array(value) and name in _AXES:
        array = as_array(value)
        if _AXES[name] >= array.shape[-1]:
            raise KeyError(name)
        return _plain(array[..., _AXES[name]])
    if isinstance(value, list):
        return stacked([field_of(one, name) for one in value])
    for way in ("column", "lookup"):
        if hasattr(value, way):
            return getattr(value, way)(name)
    raise KeyError(name)


def stacked(values: Sequence[Any]) -> Any:  # noqa: ANN401
    """Equal values of many records as one array where they are numbers, else as a list."""
    if not values or not all(isinstance(value, int | float | tuple | np.ndarray) for value in values):
        return list(values)
    shapes = {np.shape(value) for value in values}
    if len(shapes) > 1:
        return list(values)
    check_size(len(values), *shapes.pop())
    try:
        found = np.asarray(values)
    except OverflowError:
        return list(values)
    return found if found.dtype.kind in "iufb" else list(values)
