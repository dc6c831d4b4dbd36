"""Numbers, and numbers packed into the bits of others."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array, check_size, is_array, kind_of
from pruxel.core.binary.functions.registry import function

_GROUP = "Numbers"
_WIDEST = 64


def _width(bits: Any) -> int:  # noqa: ANN401 - any value of a field
    if not isinstance(bits, int) or not 1 <= bits <= _WIDEST:
        raise ValueError(f"a width of {bits if isinstance(bits, int | float) else kind_of(bits)} bits")
    return bits


def _raw(value: Any) -> AnyArray:  # noqa: ANN401
    found = as_array(value)
    if found.dtype.kind != "i":
        raise ValueError(f"{kind_of(value)} has no bits: it holds no whole numbers")
    return found


def by_element(value: Any, work: Any) -> Any:  # noqa: ANN401
    """Work on a number or on every number of an array; what has no value is told."""
    with np.errstate(all="ignore"):
        found = work(as_array(value).astype(np.float64))
    if not is_array(value) and not np.isfinite(found).all():
        raise ValueError(f"no number comes of {value}")
    return found


@function(_GROUP, "min")
def min_(*values: Any) -> Any:  # noqa: ANN401
    """The least of several numbers, or of an array."""
    return _extreme(values, np.minimum, min)


@function(_GROUP, "max")
def max_(*values: Any) -> Any:  # noqa: ANN401
    """The largest of several numbers, or of an array."""
    return _extreme(values, np.maximum, max)


def _extreme(values: tuple[Any, ...], of_two: Any, of_all: Any) -> Any:  # noqa: ANN401
    if len(values) == 1:
        found = as_array(values[0])
        if not found.size:
            raise ValueError("nothing has no least and no largest")
        return of_two.reduce(found, axis=None)
    if not any(is_array(value) for value in values):
        for value in values:
            if not isinstance(value, int | float):
                raise ValueError(f"{kind_of(value)} has no order")
        return of_all(values)
    found = as_array(values[0])
    for value in values[1:]:
        found = of_two(found, as_array(value))
    return found


@function(_GROUP)
def align(value: int, step: int) -> int:
    """`value` up to the next multiple of `step`."""
    if not isinstance(step, int) or not isinstance(value, int) or step < 1:
        raise ValueError("'align' needs a whole number and a step of at least 1")
    return -(-value // step) * step


@function(_GROUP, "len")
def len_(value: Any) -> int:  # noqa: ANN401
    """How many items, bytes or characters."""
    if not hasattr(value, "__len__"):
        raise ValueError(f"{kind_of(value)} has no length")
    return len(value)


@function(_GROUP, "abs")
def abs_(value: Any) -> Any:  # noqa: ANN401
    """Without its sign."""
    return np.abs(as_array(value))


@function(_GROUP, "int")
def int_(value: Any) -> Any:  # noqa: ANN401
    """The whole part of a number, towards zero; a text of digits as its number (`0x…` too)."""
    if isinstance(value, str):
        try:
            return int(value.strip()[:40], 0) if value.strip().lower().startswith("0x") else int(value.strip()[:40])
        except ValueError:
            raise ValueError(f"'{value[:40]}' is no whole number") from None
    found = as_array(value)
    if found.dtype.kind == "f" and found.size and not (np.isfinite(found).all() and np.abs(found).max() < 2.0**62):
        raise ValueError("a number that is no whole number of 64 bits")
    return found.astype(np.int64)


@function(_GROUP, "float")
def float_(value: Any) -> Any:  # noqa: ANN401
    """As a number with a fraction; a text as its number."""
    if isinstance(value, str):
        try:
            return float(value.strip()[:60])
        except ValueError:
            raise ValueError(f"'{value[:40]}' is no number") from None
    return as_array(value).astype(np.float64)


@function(_GROUP)
def floor(value: Any) -> Any:  # noqa: ANN401
    """Down to the whole number below."""
    return int_(by_element(value, np.floor))


@function(_GROUP)
def sqrt(value: Any) -> Any:  # noqa: ANN401
    """Square root; of what is below zero, 0."""
    return by_element(value, lambda v: np.sqrt(np.maximum(v, 0)))


@function(_GROUP)
def sin(angle_rad: Any) -> Any:  # noqa: ANN401
    """Sine of radians."""
    return by_element(angle_rad, np.sin)


@function(_GROUP)
def cos(angle_rad: Any) -> Any:  # noqa: ANN401
    """Cosine of radians."""
    return by_element(angle_rad, np.cos)


@function(_GROUP)
def radians(degrees: Any) -> Any:  # noqa: ANN401
    """Degrees as radians."""
    return by_element(degrees, lambda v: v * (math.pi / 180))


@function(_GROUP)
def fixed(raw: Any, fraction_bits: int) -> Any:  # noqa: ANN401
    """Fixed point: `raw` divided by 2 to the power of `fraction_bits`."""
    return _raw(raw) / 2.0 ** _width(fraction_bits)


@function(_GROUP)
def unorm(raw: Any, bits: int) -> Any:  # noqa: ANN401
    """A whole number of `bits` bits as 0 to 1 (Vulkan 1.3, fixed-point conversion)."""
    return _raw(raw) / (2.0 ** _width(bits) - 1)


@function(_GROUP)
def snorm(raw: Any, bits: int) -> Any:  # noqa: ANN401
    """The low `bits` bits, signed, as -1 to 1 (Vulkan 1.3, fixed-point conversion)."""
    if _width(bits) < 2:
        raise ValueError("a signed number has at least 2 bits")
    return np.maximum(signed(raw, bits) / (2.0 ** (bits - 1) - 1), -1.0)


@function(_GROUP)
def bits(raw: Any, first: int, count: int) -> Any:  # noqa: ANN401
    """`count` bits from bit `first` on, the lowest being 0."""
    size = _width(count)
    if not isinstance(first, int) or not 0 <= first < _WIDEST:
        raise ValueError(f"a first bit of {first}")
    return (_raw(raw) >> first) & ((1 << min(size, 63)) - 1)


@function(_GROUP)
def signed(raw: Any, bits: int) -> Any:  # noqa: ANN401
    """The low `bits` bits as a signed number (two's complement)."""
    size = _width(bits)
    if size == _WIDEST:
        return _raw(raw)
    low = _raw(raw) & ((1 << size) - 1)
    return low - ((low >> (size - 1)) << size)


@function(_GROUP)
def bits_set(raw: Any) -> Any:  # noqa: ANN401
    """How many bits are 1."""
    return np.bitwise_count(_raw(raw).view(np.uint64)).astype(np.int64)


@function(_GROUP)
def unpack(raw: Any, *widths: int) -> AnyArray:  # noqa: ANN401
    """Whole numbers cut into fields of these many bits, the lowest first: 5-6-5 is `unpack(word, 5, 6, 5)`."""
    word, sizes = _raw(raw), [_width(width) for width in widths]
    if not sizes or sum(sizes) > _WIDEST:
        raise ValueError(f"fields of 1 to {_WIDEST} bits in all")
    check_size(*word.shape, len(sizes))
    firsts = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    parts = [(word >> first) & ((1 << min(size, 63)) - 1) for first, size in zip(firsts.tolist(), sizes, strict=True)]
    return np.stack(parts, axis=-1)


@function(_GROUP)
def unpack_unorm(raw: Any, *widths: int) -> AnyArray:  # noqa: ANN401
    """The same, each field as 0 to 1."""
    return unpack(raw, *widths) / (2.0 ** np.asarray(widths, np.float64) - 1)


@function(_GROUP)
def unpack_snorm(raw: Any, *widths: int) -> AnyArray:  # noqa: ANN401
    """The same, each field signed, as -1 to 1."""
    found = unpack(raw, *widths)
    return np.stack([snorm(found[..., i], width) for i, width in enumerate(widths)], axis=-1)
