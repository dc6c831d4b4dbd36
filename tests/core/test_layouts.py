"""The layout language: what it reads, what it refuses, and that broken bytes end in a clear error."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record, Table

LAYOUT = """
layout: toy
title: A toy
match: {magic: TOY1}
version: {field: version, known: [1, 2]}
records:
  file:
    - {name: magic, type: text, size: 4, equals: TOY1}
    - {name: version, type: u16}
    - {name: flags, type: u16, bits: {wide: [0, 1], level: [4, 3]}}
    - {name: count, type: u32}
    - {name: rows_at, type: u32}
    - {name: extra, type: f32, since: 2}
    - {name: title, type: text, prefix: u8}
    - {name: wide_title, type: text, terminated: true, encoding: utf-16-le, when: flags.wide}
    - {name: rows, type: row, count: count, at: rows_at}
    - {name: tail, type: bytes, size: 2, at: end(rows)}
    - {name: total, type: value, value: "count * 2 + (1 if flags.level > 2 else 0)"}
  row:
    - {name: id, type: u16}
    - {name: weight, type: f32x2}
    - {type: pad, size: 2}
"""


def toy(version: int = 2, *, wide: bool = True, count: int = 3) -> bytes:
    head = struct.pack("<4sHHI", b"TOY1", version, int(wide) | (5 << 4), count)
    rest = (
        (struct.pack("<f", 1.5) if version >= 2 else b"") + b"\x05reef!" + ("Öl\0".encode("utf-16-le") if wide else b"")
    )
    rows_at = len(head) + 4 + len(rest)
    rows = b"".join(struct.pack("<Hffxx", i * 7, i, -i) for i in range(count))
    return head + struct.pack("<I", rows_at) + rest + rows + b"ok"


def read(data: bytes, text: str = LAYOUT) -> Record:
    return parse(load_layout(text, "toy.yaml"), memoryview(data), "toy.bin", Context())


@pytest.mark.parametrize("version", [1, 2])
@pytest.mark.parametrize("wide", [True, False])
def test_reads_versions_conditions_pointers_and_tables(version: int, wide: bool) -> None:
    record = read(toy(version, wide=wide))
    assert record["title"] == "reef!"
    assert record.values.get("wide_title") == ("Öl" if wide else None)
    assert ("extra" in record.values) == (version == 2)
    assert record["flags"]["level"] == 5
    assert record["total"] == 7
    rows = record["rows"]
    assert isinstance(rows, Table)
    assert rows.column("id").tolist() == [0, 7, 14]
    assert rows[2]["weight"] == (2.0, -2.0)
    assert rows[2].spans["weight"] == (rows.start + 2 * 12 + 2, rows.start + 2 * 12 + 10)
    assert bytes(record["tail"]) == b"ok"
    assert record.spans["rows"][1] - record.spans["rows"][0] == 3 * 12


def test_tables_are_views_of_the_file() -> None:
    data = bytearray(toy())
    rows = read(bytes(data))["rows"]
    assert not rows.array.flags.owndata


def test_unknown_version_names_those_known() -> None:
    with pytest.raises(InputError) as caught:
        read(toy(9))
    fault = caught.value.fault
    assert fault.code is ErrorCode.UNKNOWN_VERSION
    assert fault.offset == 4
    assert fault.expected == "version 1, 2"
    assert fault.found == "version 9"


def test_a_number_in_the_other_byte_order_is_seen() -> None:
    data = bytearray(toy())
    data[4:6] = struct.pack(">H", 2)
    with pytest.raises(InputError, match="try 'endian: big'"):
        read(bytes(data))
    fixed = LAYOUT.replace("{name: count, type: u32}", "{name: count, type: u32, equals: 5}")
    data = bytearray(toy(count=5))
    data[8:12] = struct.pack(">I", 5)
    with pytest.raises(InputError, match="it is 5: try 'endian: big'"):
        read(bytes(data), fixed)


def test_a_count_beyond_the_file_is_told_with_its_place() -> None:
    data = bytearray(toy())
    data[8:12] = struct.pack("<I", 2**31)
    with pytest.raises(InputError) as caught:
        read(bytes(data))
    assert caught.value.fault.field == "file.rows"
    assert caught.value.fault.offset is not None


@given(st.binary(max_size=120))
def test_any_bytes_give_a_record_or_an_input_error(noise: bytes) -> None:
    base = toy()
    for data in (
        noise,
        base[: len(noise)],
        noise + base,
        base[:8] + noise,
        base[:14] + noise + base[14 + len(noise) :],
    ):
        try:
            read(data)
        except InputError as error:
            assert error.fault.line()


@pytest.mark.parametrize(
    "text",
    [
        "__import__('os')",
        "a.__class__",
        "(lambda: 1)()",
        "[x for x in a]",
        "open('x')",
        "2 ** 99",
        "f'{a}'",
        "a[*b]",
        "1 +",
        "x" * 1500,
    ],
)
def test_expressions_hold_nothing_but_arithmetic(text: str) -> None:
    with pytest.raises(ValueError, match="."):
        compile_expression(text)


def test_expressions_stay_small() -> None:
    record = Record("r", 0, values={"a": 2**60})
    with pytest.raises(InputError, match="64 bits"):
        compile_expression("a * a")(record)
    with pytest.raises(InputError, match="shift"):
        compile_expression("1 << a")(record)
    assert compile_expression("align(13, 8) + min(a, 3) if a > 1 and not a == 2 else 0")(record) == 19


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (("type: u16}", "type: u17}"), "neither a type nor a record"),
        (("name: count", "nmae: count"), "there is no key 'nmae'"),
        (("count: count", "count: count +"), "not an expression"),
        (("  file:", "  fill:"), "called 'file'"),
        (("title: A toy", "title: [toy"), "YAML"),
    ],
)
def test_a_wrong_layout_says_what_is_wrong(change: tuple[str, str], word: str) -> None:
    with pytest.raises(InputError) as caught:
        load_layout(LAYOUT.replace(*change), "toy.yaml")
    assert word in caught.value.fault.line()
    assert caught.value.fault.file == "toy.yaml"


def test_elements_decode_in_single_fields() -> None:
    text = LAYOUT.replace("{name: extra, type: f32, since: 2}", "{name: extra, type: unorm8x4, since: 2}")
    data = bytearray(toy())
    at = 16
    data[at : at + 4] = bytes([0, 51, 255, 102])
    assert np.allclose(read(bytes(data), text)["extra"], (0, 0.2, 1, 0.4))


def test_blocks_may_begin_lines_below_their_key() -> None:
    from pruxel.core.binary.trees import read_tree

    found = read_tree(
        "blocks", memoryview(b"lamp hall" + b"\n" * 200_000 + b"{ lit 1 }\nnext\n// no block of it\n{ a b }"), "x"
    )
    assert found == {"lamp": [{"title": "hall", "lit": "1"}], "next": "", "blocks": [{"title": "", "a": "b"}]}


@pytest.mark.parametrize(
    ("records", "data", "hint"),
    [
        ("  file: [{name: a, type: u32}, {name: mark, type: text, size: 4, equals: MARK}]", b"......MARK", "It stands at byte 6: what is read before it may be 2 bytes too short."),
        ("  file: [{name: a, type: u32}, {name: mark, type: u16, equals: 513}]", b"..\x01\x02\0\0\0\0", "may be 2 bytes too long."),
        ("  file: [{name: rows, type: row, count: '3'}]\n  row: [{name: mark, type: text, size: 2, equals: RW}, {name: a, type: u16}, {name: b, type: u8, at: '0'}]",
         b"RW....RW....RW....", "Records that repeat may stand further apart"),
        ("  file: [{name: mark, type: text, size: 4, equals: MARK}]", b"none of it", "This may not be a"),
    ],
)  # fmt: skip
def test_a_mark_that_stands_near_is_told(records: str, data: bytes, hint: str) -> None:
    with pytest.raises(InputError) as caught:
        parse(load_layout(f"layout: near\nrecords:\n{records}\n", "near"), memoryview(data), "x", Context())
    assert hint in (caught.value.fault.hint or "")
