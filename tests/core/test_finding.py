"""Looking for values in bytes, reading a place as every type, comparing; and layouts put into the text of a profile."""

from __future__ import annotations

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary import finding
from pruxel.core.binary.finding import differing, find_bytes, find_range, pattern_of, read_as_all
from pruxel.core.binary.yaml_text import parse_yaml
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.knowledge.profile_layouts import with_layout

CONTEXT = Context()
LAYOUT = "# how a shell is stored\nlayout: shell\nmatch: {magic: SHEL}\nrecords:\n  file:\n    - {name: a, type: u8}\n"


@given(st.binary(max_size=400), st.binary(min_size=1, max_size=3), st.integers(0, 50), st.integers(5, 40))
def test_bytes_are_found_as_by_looking_everywhere(data: bytes, pattern: bytes, first: int, window: int) -> None:
    naive = [at for at in range(first, len(data)) if data[at : at + len(pattern)] == pattern]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(finding, "_WINDOW", window)
        assert find_bytes(memoryview(data), pattern, first, 9999, CONTEXT) == naive
        assert find_bytes(memoryview(data), pattern, first, 2, CONTEXT) == naive[:2]


@given(
    st.binary(max_size=200),
    st.sampled_from(["<", ">"]),
    st.integers(-300, 300),
    st.integers(0, 500),
    st.integers(7, 60),
)
def test_ranges_are_found_as_by_looking_everywhere(data: bytes, order: str, low: int, wide: int, window: int) -> None:
    naive = []
    for at in range(len(data) - 1):
        value = struct.unpack_from(f"{order}h", data, at)[0]
        if low <= value <= low + wide and (value or 0 in (low, low + wide)):
            naive.append(at)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(finding, "_WINDOW", window)
        assert find_range(memoryview(data), "i16", order, low, low + wide, 0, 9999, CONTEXT) == naive


@given(st.binary(min_size=8, max_size=8))
def test_a_place_is_read_as_every_type(data: bytes) -> None:
    values = {name: (little, big) for name, little, big in read_as_all(memoryview(data), 0)}
    for name, code in (("u8", "B"), ("i16", "h"), ("u32", "I"), ("i64", "q")):
        expected = tuple(f"{struct.unpack_from(order + code, data)[0]:,}" for order in "<>")
        assert values[name] == expected
    assert values["f64"] == tuple(f"{struct.unpack_from(order + 'd', data)[0]:.7g}" for order in "<>")
    assert [name for name, _, _ in read_as_all(memoryview(data), 7)] == ["u8", "i8"]


@pytest.mark.parametrize(
    ("what", "kind", "words"),
    [
        ("zz", "hex", "hexadecimal"),
        ("", "text", "nothing"),
        ("300", "u8", "fits"),
        ("1.5", "u16", "fits"),
        ("1", "u8x3", "one number"),
    ],
)
def test_what_cannot_be_looked_for_is_told(what: str, kind: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        pattern_of(what, kind, "<")


@given(
    st.binary(max_size=300), st.dictionaries(st.integers(0, 299), st.integers(1, 255), max_size=6), st.integers(0, 9)
)
def test_every_difference_is_told(data: bytes, changes: dict[int, int], longer: int) -> None:
    other = bytearray(data)
    for at, by in changes.items():
        if at < len(other):
            other[at] ^= by
    other += bytes(longer)
    ranges = differing(memoryview(data), memoryview(bytes(other)), 999)
    told = {at for first, end in ranges for at in range(first, end)}
    really = {at for at in range(min(len(data), len(other))) if data[at] != other[at]} | set(
        range(len(data), len(other))
    )
    assert really <= told
    assert all(first in really and end - 1 in really for first, end in ranges)


PROFILES = (
    "",
    "profile: 1\nname: Reef\n",
    "profile: 1\nname: Reef # ours\nlayouts:\n  - layout: other\n    records: {file: []}\n# the rest\nleave_out: [a]\n",
    "profile: 1\nname: Reef\nlayouts:\n- layout: shell\n  records: {file: []}\n\n# below\n- layout: other\n  records: {file: []}\n",
    "profile: 1\nname: Reef\nlayouts: [{layout: shell, records: {file: []}}]\n",
    "{profile: 1, name: Reef}",
    "profile: 1\nname: Reef\nlayouts:\n",
)


@pytest.mark.parametrize("profile", PROFILES)
def test_a_layout_is_put_into_a_profile(profile: str) -> None:
    found = with_layout(profile, LAYOUT, "Reef: a place")
    loaded = build_profile(found, "profile", None).profile
    names = [one.layout for one in loaded.layouts]
    assert names.count("shell") == 1
    assert [len(one.records["file"]) for one in loaded.layouts if one.layout == "shell"] == [1]
    assert ("other" in names) == ("other" in profile)
    for comment in ("# ours", "# the rest", "# below"):
        assert (comment in found) == (comment in profile)
    again = with_layout(found, LAYOUT, "Reef")
    assert parse_yaml(again, "again") == parse_yaml(found, "found")


def test_the_layouts_own_comments_stay() -> None:
    assert "# how a shell is stored" in with_layout("profile: 1\nname: Reef\n", LAYOUT, "Reef")


def test_a_layout_that_does_not_hold_together_is_not_put_in() -> None:
    with pytest.raises(InputError, match="type"):
        with_layout("", "layout: shell\nrecords: {file: [{name: a}]}\n", "Reef")
