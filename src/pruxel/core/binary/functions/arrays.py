"""Arrays from blocks of bytes, and from other arrays."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, places_within, starts_of
from pruxel.core.binary.arithmetic import as_array, check_size, is_array, kind_of, shape_together, stacked
from pruxel.core.binary.elements import Element, decode_floats, decode_plain, element
from pruxel.core.binary.functions.registry import function

_GROUP = "Arrays"


def whole(value: Any, what: str) -> int:  # noqa: ANN401 - any value of a field
    """A count, size or offset; raises `ValueError`."""
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        said = value if isinstance(value, int | float | str) else kind_of(value)
        raise ValueError(f"{what} should be a whole number from 0, not {said}")
    return value


def wholes(value: Any, what: str) -> AnyArray:  # noqa: ANN401
    """(n,) int64; raises `ValueError`."""
    found = as_array(value)
    if found.dtype.kind != "i" or found.ndim != 1:
        raise ValueError(f"{what} should be whole numbers in a row, not {kind_of(value)}")
    return found


@function(_GROUP)
def array(
    data: Any,  # noqa: ANN401
    type: str,  # noqa: A002 - the word that fields use
    count: int | None = None,
    stride: int | None = None,
    offset: int = 0,
    endian: str = "little",
) -> AnyArray:
    """`count` elements of an element type from a block of bytes, `stride` bytes apart; all that fit without a count."""
    kind = element(type) if isinstance(type, str) else None
    if kind is None:
        raise ValueError(f"'{type}' is no element type")
    if not isinstance(data, bytes | memoryview):
        raise ValueError(f"{kind_of(data)} is no block of bytes")
    return elements_of(memoryview(data), kind, count, stride, whole(offset, "'offset'"), endian)


def elements_of(
    data: memoryview, kind: Element, count: int | None, stride: int | None, offset: int, endian: str
) -> AnyArray:
    """(n,) or (n, width): float32 for types that are not whole numbers, else their own type; raises `ValueError`."""
    step = kind.size if stride is None else whole(stride, "'stride'")
    if step < 1:
        raise ValueError("a stride of 0")
    most = how_many_fit(data, kind, step, offset)
    number = most if count is None else whole(count, "'count'")
    if number > most:
        raise ValueError(
            f"{number:,} elements of {kind.size} bytes every {step} from byte {offset:,} need "
            f"{offset + (number - 1) * step + kind.size:,} bytes, the block has {len(data):,}"
        )
    check_size(number, kind.components)
    order = ">" if endian == "big" else "<"
    if number and step == kind.size and (kind.whole or kind.scalar == "f32"):
        plain = np.frombuffer(data, kind.dtype(order), number * kind.width, offset)
        own = plain.astype(plain.dtype.newbyteorder("=") if kind.whole else np.float32)
        return own if kind.components == 1 else own.reshape(number, kind.width)
    rows = _rows(data, number, step, offset, kind.size)
    decode = decode_plain if kind.whole else decode_floats
    found = decode(rows, kind, 0, order)
    return found[:, 0] if kind.components == 1 else found


def how_many_fit(data: memoryview, kind: Element, step: int, offset: int) -> int:
    """How many elements, `step` bytes apart from `offset`, a block of bytes holds; none without a step."""
    room = len(data) - offset - kind.size
    return room // step + 1 if room >= 0 and step > 0 else 0


def _rows(data: memoryview, count: int, step: int, offset: int, size: int) -> AnyArray:
    """(count, max(step, size)) bytes; the last row may reach beyond the block, where zeros stand."""
    if step < size:
        view = np.frombuffer(data, np.uint8)[offset:]
        return np.ascontiguousarray(np.lib.stride_tricks.sliding_window_view(view, size)[::step][:count])
    block = data[offset : offset + count * step]
    if len(block) < count * step:
        block = memoryview(bytes(block) + bytes(count * step - len(block)))
    return np.frombuffer(block, np.uint8, count * step).reshape(count, step)


@function(_GROUP)
def vec(*parts: Any) -> AnyArray:  # noqa: ANN401
    """A vector of numbers; of arrays, one vector a row."""
    if not parts:
        raise ValueError("a vector needs numbers")
    found = [as_array(part) for part in parts]
    shape = shape_together(*(part.shape for part in found))
    check_size(*shape, len(found))
    return np.stack([np.broadcast_to(part, shape) for part in found], axis=-1)


@function(_GROUP)
def rows(values: Any, width: int) -> AnyArray:  # noqa: ANN401
    """A row of numbers cut into rows of `width`."""
    found, size = as_array(values), whole(width, "'width'")
    if size < 1 or found.size % size:
        raise ValueError(f"{found.size:,} numbers are no whole rows of {width}")
    return found.reshape(-1, size)


@function(_GROUP)
def grid(values: Any, *lengths: int) -> AnyArray:  # noqa: ANN401
    """The same numbers with lengths along each axis, the last running fastest: `grid(keys, frames, joints, 7)`."""
    found, shape = as_array(values), tuple(whole(length, "a length") for length in lengths)
    if found.size != int(np.prod(shape, dtype=np.float64)):
        raise ValueError(f"{found.size:,} numbers do not fill {' x '.join(map(str, shape))}")
    return found.reshape(shape)


@function(_GROUP)
def flat(values: Any) -> AnyArray:  # noqa: ANN401
    """All numbers in one row."""
    return as_array(values).reshape(-1)


@function(_GROUP)
def join(*parts: Any) -> Any:  # noqa: ANN401
    """Arrays or lists one behind the other."""
    if any(isinstance(part, list) for part in parts):
        return [one for part in parts for one in part]
    found = [as_array(part) for part in parts]
    if not found or len({part.shape[1:] for part in found}) > 1 or any(not part.ndim for part in found):
        raise ValueError("arrays of different width cannot be joined")
    check_size(sum(len(part) for part in found), *found[0].shape[1:])
    return np.concatenate(found)


@function(_GROUP, "range")
def range_(count: int, start: int = 0, step: int = 1) -> AnyArray:
    """`count` whole numbers from `start` on."""
    check_size(whole(count, "'count'"))
    return np.arange(count, dtype=np.int64) * step + start


@function(_GROUP)
def full(value: Any, count: int) -> AnyArray:  # noqa: ANN401
    """The same number or vector `count` times."""
    found = as_array(value)
    check_size(whole(count, "'count'"), *found.shape)
    return np.broadcast_to(found, (count, *found.shape))


@function(_GROUP)
def repeat(values: Any, counts: Any) -> Any:  # noqa: ANN401
    """Each item as often as `counts` says: one number for all, or one for each."""
    if isinstance(values, list):
        if is_array(counts):
            often = wholes(counts, "'counts'")
        else:
            check_size(len(values), whole(counts, "'counts'"))
            often = np.full(len(values), counts)
        _no_negative(often, len(values))
        return [value for value, number in zip(values, often.tolist(), strict=True) for _ in range(number)]
    found = as_array(values)
    often = wholes(counts, "'counts'") if is_array(counts) else np.full(len(found), whole(counts, "'counts'"))
    _no_negative(often, len(found), *found.shape[1:])
    return np.repeat(found, often, axis=0)


def _no_negative(counts: AnyArray, length: int, *width: int) -> None:
    if len(counts) != length:
        raise ValueError(f"{len(counts):,} counts for {length:,} items")
    if length and int(counts.min()) < 0:
        raise ValueError("a count below zero")
    check_size(int(counts.sum(dtype=np.float64)), *width)


@function(_GROUP)
def starts(counts: Any) -> AnyArray:  # noqa: ANN401
    """Where each stretch begins when stretches of these lengths follow each other from 0."""
    return starts_of(wholes(counts, "'counts'"))


@function(_GROUP)
def within(counts: Any) -> AnyArray:  # noqa: ANN401
    """0, 1, 2 … for each stretch of these lengths."""
    found = wholes(counts, "'counts'")
    _no_negative(found, len(found))
    return places_within(found)


@function(_GROUP)
def padded(values: Any, counts: Any, width: int, fill: float = 0) -> AnyArray:  # noqa: ANN401
    """Stretches of these lengths as rows of `width`: longer ones are cut, shorter ones end in `fill`."""
    found, lengths, size = as_array(values), wholes(counts, "'counts'"), whole(width, "'width'")
    _no_negative(lengths, len(lengths))
    if found.ndim != 1 or int(lengths.sum()) > len(found):
        raise ValueError(f"{kind_of(values)} is no {int(lengths.sum()):,} numbers in a row")
    check_size(len(lengths), size)
    places = np.arange(size)
    there = places < lengths[:, None]
    at = np.minimum(starts(lengths)[:, None] + places, max(len(found) - 1, 0))
    picked = found[at] if len(found) else np.zeros(at.shape, found.dtype)
    return np.where(there, picked, as_array(fill))


@function(_GROUP)
def masked(keys: Any, mask: int, bit: int, first: int = 0, otherwise: float = 0) -> AnyArray:  # noqa: ANN401
    """The column of `keys` for one bit of `mask`, where there is a column from `first` on for each bit that is set.

    The lowest bit comes first. Where the bit is not set, `otherwise`, once a row.
    """
    found = as_array(keys)
    if found.ndim != 2:
        raise ValueError(f"{kind_of(keys)} has no columns")
    if not isinstance(mask, int) or not 0 <= whole(bit, "'bit'") < 63 or mask < 0:
        raise ValueError("a mask and a bit are whole numbers from 0")
    if not mask >> bit & 1:
        return np.full(len(found), as_array(otherwise))
    column = whole(first, "'first'") + (mask & ((1 << bit) - 1)).bit_count()
    if column >= found.shape[1]:
        raise ValueError(f"column {column} of {found.shape[1]}")
    return found[:, column]


@function(_GROUP)
def where(test: Any, then: Any, otherwise: Any) -> Any:  # noqa: ANN401
    """Element by element: `then` where `test` holds, else `otherwise`."""
    choice = np.asarray(test)
    if choice.dtype.kind not in "biu":
        raise ValueError("'where' asks for truths")
    first, second = as_array(then), as_array(otherwise)
    if choice.ndim == 1 and max(first.ndim, second.ndim) == 2:
        choice = choice[:, None]
    check_size(*shape_together(choice.shape, first.shape, second.shape))
    return np.where(choice, first, second)


@function(_GROUP, "sum")
def sum_(values: Any) -> Any:  # noqa: ANN401
    """All numbers added up."""
    return as_array(values).sum()


@function(_GROUP)
def running(values: Any) -> AnyArray:  # noqa: ANN401
    """Running totals: each row added to all before it."""
    return np.cumsum(as_array(values), axis=0)


@function(_GROUP)
def flip(values: Any) -> Any:  # noqa: ANN401
    """Last item first."""
    return values[::-1] if isinstance(values, list) else as_array(values)[::-1]


@function(_GROUP)
def order_of(values: Any) -> AnyArray:  # noqa: ANN401
    """The numbers of the items in ascending order; equal ones stay as they are."""
    return np.argsort(as_array(values), kind="stable")


@function(_GROUP)
def find(items: Any, wanted: Any) -> Any:  # noqa: ANN401
    """The number of the first item that equals `wanted`, or of each where that is a list or an array; -1 for none."""
    listed = items.tolist() if isinstance(items, np.ndarray) else items
    if not isinstance(listed, list | tuple):
        raise ValueError(f"{kind_of(items)} is no list")
    place: dict[Any, int] = {}
    for number, item in enumerate(listed):
        place.setdefault(_hashable(item), number)
    if isinstance(wanted, np.ndarray | list):
        asked = wanted.tolist() if isinstance(wanted, np.ndarray) else wanted
        return np.array([place.get(_hashable(one), -1) for one in asked], np.int64)
    return place.get(_hashable(wanted), -1)


def _hashable(value: Any) -> Any:  # noqa: ANN401
    return tuple(value) if isinstance(value, list) else value


@function(_GROUP)
def joined(values: Any) -> Any:  # noqa: ANN401
    """The values of runs of which each row has its own number, all one behind the other."""
    if hasattr(values, "counts") and hasattr(values, "values"):
        return values.values
    if isinstance(values, list):
        return join(*values) if values and all(isinstance(one, np.ndarray) for one in values) else values
    return as_array(values).reshape(-1)


@function(_GROUP)
def counts_of(values: Any) -> AnyArray:  # noqa: ANN401
    """How many values each row has."""
    if hasattr(values, "counts") and hasattr(values, "values"):
        return np.asarray(values.counts)
    if not isinstance(values, list | np.ndarray):
        raise ValueError(f"{kind_of(values)} has no rows")
    return np.array([np.size(one) for one in values], np.int64)


@function(_GROUP)
def filled(items: Any, name: str, otherwise: Any) -> Any:  # noqa: ANN401
    """One field of each record of a list, and `otherwise` where a record has none."""
    if hasattr(items, "filled"):
        return items.filled(name, otherwise)
    found = []
    for item in items:
        try:
            found.append(item.lookup(name))
        except KeyError:
            found.append(otherwise)
    return stacked(found)


@function(_GROUP)
def each(items: Any, name: str) -> Any:  # noqa: ANN401
    """One field of each record of a list, also where some lack it: those are left out."""
    found = []
    for item in items:
        try:
            found.append(item.lookup(name))
        except KeyError:
            continue
    return stacked(found)
