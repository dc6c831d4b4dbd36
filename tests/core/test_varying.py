"""Records of varying size: what the compiled walk finds is what reading one by one finds."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.fields import varying
from pruxel.core.binary.fields.varying import Ragged, Varying
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record

LAYOUT = """
layout: many
endian: ENDIAN
records:
  file:
    - {name: extra, type: u8}
    - {name: count, type: u16}
    - {name: items, type: item, count: count}
    - {name: tail, type: u8}
  item:
    - {name: flags, type: u8, bits: {colored: [0, 1], pulls: [1, 2], named: [3, 1]}}
    - {name: place, type: i16x3}
    - {name: color, type: u8x4, when: flags.colored}
    - {name: pulls, type: pull, count: flags.pulls + 1}
    - {name: size, type: i8}
    - {name: corners, type: u16, count: size * 2 if size > 0 else extra}
    - {name: title, type: text, prefix: u8, when: flags.named and size != 3}
    - {name: word, type: text, terminated: true}
    - {name: mood, type: u8, names: {0: calm, 1: glad}}
    - {name: height, type: f64, when: size > 1}
    - {name: height, type: snorm8x2, when: size < 0}
    - {name: block, type: bytes, size: extra + 1}
    - {type: pad, size: (4 - size % 4) % 4}
  pull:
    - {name: joint, type: u8}
    - {name: weight, type: u16}
"""
ITEM = st.tuples(
    st.integers(0, 15), st.tuples(*[st.integers(-9, 9)] * 3), st.integers(-3, 6), st.text("abc", max_size=3)
)


def written(extra: int, items: list[Any], order: str) -> bytes:
    out = struct.pack(f"{order}BH", extra, len(items))
    for flags, place, size, word in items:
        out += struct.pack(f"{order}B3h", flags, *place)
        out += bytes([flags, 2, 3, 4]) if flags & 1 else b""
        out += b"".join(struct.pack(f"{order}BH", n, n * 300) for n in range((flags >> 1 & 3) + 1))
        number = size * 2 if size > 0 else extra
        out += struct.pack(f"{order}b{number}H", size, *range(number))
        out += bytes([len(word)]) + word.encode() if flags & 8 and size != 3 else b""
        out += word.encode() + b"\0" + bytes([len(word)])
        out += struct.pack(f"{order}d", size / 7) if size > 1 else bytes([size % 256, 9]) if size < 0 else b""
        out += bytes(range(extra + 1)) + bytes((4 - size % 4) % 4)
    return out + b"\x07"


def read(data: bytes, order: str, few: int, monkeypatch: pytest.MonkeyPatch) -> Record:
    monkeypatch.setattr(varying, "_FEW", few)
    endian = "big" if order == ">" else "little"
    return parse(load_layout(LAYOUT.replace("ENDIAN", endian), "m"), memoryview(data), "m.bin", Context())


def plain(value: Any) -> Any:
    """A value of a field to compare."""
    if isinstance(value, Record):
        return {name: (plain(one), value.spans[name]) for name, one in value.values.items()} | {"at": value.start}
    if isinstance(value, np.ndarray):
        return value.tolist()
    return [plain(one) for one in value] if hasattr(value, "stretch") or isinstance(value, list) else value


@pytest.mark.parametrize("order", ["<", ">"])
@given(extra=st.integers(0, 3), items=st.lists(ITEM, max_size=6))
@settings(max_examples=60)
def test_the_walk_finds_what_reading_one_by_one_finds(order: str, extra: int, items: list[Any]) -> None:
    data = written(extra, items, order)
    with pytest.MonkeyPatch.context() as patch:
        slow, fast = read(data, order, 10**9, patch), read(data, order, 0, patch)
    assert isinstance(slow["items"], list)
    assert isinstance(fast["items"], Varying)
    assert (fast["tail"], fast.spans) == (slow["tail"], slow.spans) == (7, slow.spans)
    assert plain(fast["items"]) == plain(slow["items"])
    for text in (
        "items.place", "items.flags.colored", "items.word", "items.size", "joined(items.corners)", "counts_of(items.pulls)",
        "filled(items, 'color', (0, 0, 0, 9))", "filled(items, 'title', '?')", "len(items[1:])" if items else "len(items)",
    ):  # fmt: skip
        assert plain(compile_expression(text)(fast)) == plain(compile_expression(text)(slow)), text
    pulls = compile_expression("joined(items.pulls).weight")(fast)
    assert pulls.tolist() == [n * 300 for flags, *_ in items for n in range((flags >> 1 & 3) + 1)]


def test_a_run_of_a_row_is_that_rows() -> None:
    items = [(n % 16, (0, 0, 0), n % 5, "a") for n in range(40)]
    with pytest.MonkeyPatch.context() as patch:
        found = read(written(1, items, "<"), "<", 32, patch)["items"]
    assert isinstance(found, Varying)
    corners = found.column("corners")
    assert isinstance(corners, Ragged)
    assert [len(corners[n]) for n in range(40)] == [n % 5 * 2 or 1 for n in range(40)]
    with pytest.raises(KeyError):
        found.column("color")


@pytest.mark.parametrize(("cut", "field"), [(1, "file.tail"), (2, "item.pad"), (40, None)])
def test_a_file_that_ends_too_soon_says_where_and_keeps_what_was_read(cut: int, field: str | None) -> None:
    items = [(n % 16, (0, 0, 0), 3, "a") for n in range(40)]
    data = written(1, items, "<")[:-cut]
    with pytest.MonkeyPatch.context() as patch, pytest.raises(InputError) as caught:
        read(data, "<", 32, patch)
    fault = caught.value.fault
    assert fault.code is ErrorCode.TRUNCATED
    assert fault.offset is not None
    assert field is None or fault.field == field


@given(st.binary(max_size=200), st.integers(0, 90))
def test_any_bytes_are_read_or_refused(noise: bytes, at: int) -> None:
    whole = written(1, [(n % 16, (1, 2, 3), n % 5, "ab") for n in range(40)], "<")
    data = whole[:at] + noise + whole[at + len(noise) :]
    with pytest.MonkeyPatch.context() as patch:
        try:
            plain(read(data, "<", 0, patch)["items"])
        except InputError as error:
            assert error.fault.line()
