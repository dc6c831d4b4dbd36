"""Texts and paths."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import check_size, kind_of
from pruxel.core.binary.functions.registry import function

_GROUP = "Texts and paths"
_LONGEST = 4096


def said(value: Any) -> str:  # noqa: ANN401 - any value of a field
    """A text, or a number written out; raises `ValueError`."""
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError(f"{kind_of(value)} is no text")
    return value if isinstance(value, str) else f"{value:g}" if isinstance(value, float) else str(value)


@function(_GROUP)
def text(value: Any, digits: int = 0) -> str:  # noqa: ANN401
    """A number as text, with zeros in front up to `digits`."""
    return said(value).zfill(min(max(int(digits), 0), 64))


@function(_GROUP)
def lower(value: str) -> str:
    """In lower case."""
    return said(value).lower()


@function(_GROUP)
def upper(value: str) -> str:
    """In upper case."""
    return said(value).upper()


@function(_GROUP)
def replace(value: str, old: str, new: str) -> str:
    """Every `old` as `new`."""
    if not said(old):
        return said(value)
    found = said(value).replace(said(old), said(new)) if len(said(value)) * (len(said(new)) + 1) < _LONGEST**2 else ""
    return found[:_LONGEST]


@function(_GROUP)
def split(value: str, by: str = "") -> list[str]:
    """The parts between `by`; without it, the words."""
    return said(value).split(said(by) or None)


@function(_GROUP)
def stripped(value: str, of: str = "") -> str:
    """Without blanks at both ends, or without the characters `of`."""
    return said(value).strip(of or None)


@function(_GROUP)
def starts_with(value: str, what: str) -> bool:
    """Whether a text begins so."""
    return said(value).startswith(said(what))


@function(_GROUP)
def ends_with(value: str, what: str) -> bool:
    """Whether a text ends so."""
    return said(value).endswith(said(what))


@function(_GROUP)
def folder(path: str) -> str:
    """A path's folder, with the slash at its end; empty for none."""
    head, slash, _ = said(path).replace("\\", "/").rpartition("/")
    return head + slash


@function(_GROUP)
def file(path: str) -> str:
    """A path's last part."""
    return said(path).replace("\\", "/").rpartition("/")[2]


@function(_GROUP)
def stem(path: str) -> str:
    """A path's last part without its ending."""
    name = file(path)
    return name.rpartition(".")[0] or name


@function(_GROUP)
def without_ending(path: str) -> str:
    """A path without its last part's ending."""
    return folder(path) + stem(path)


@function(_GROUP)
def without_digits(value: str) -> str:
    """A name without the number at its end: `run_03` and `run03` are both `run`."""
    return said(value).rstrip("0123456789").rstrip("_-. ")


@function(_GROUP)
def numbers(value: str) -> AnyArray:
    """The numbers in a text, between blanks, commas or brackets."""
    words = said(value).translate(str.maketrans(",;()[]{}", "        ")).split()
    check_size(len(words))
    try:
        return np.array([float(word) for word in words])
    except ValueError:
        raise ValueError(f"'{said(value)[:40]}' holds something other than numbers") from None


@function(_GROUP)
def get(values: Any, key: str, otherwise: Any = "") -> Any:  # noqa: ANN401
    """The value under a key of a block of properties, or `otherwise`; upper and lower case are one."""
    if not isinstance(values, dict):
        raise ValueError(f"{kind_of(values)} is no block of keys and values")
    if key in values:
        return values[key]
    low = said(key).lower()
    return next((value for known, value in values.items() if str(known).lower() == low), otherwise)
