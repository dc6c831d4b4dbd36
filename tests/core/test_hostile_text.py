"""Texts from strangers: patterns, YAML, expressions, and bytes that look like paths. Their cost follows their length."""

from __future__ import annotations

import re
import time
import tracemalloc
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.errors import InputError, PruxelError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.records import Record
from pruxel.core.binary.yaml_text import parse_yaml, with_item, write_yaml
from pruxel.core.knowledge.harvest import paths_in
from pruxel.core.knowledge.patterns import compile_patterns
from tests.reference.patterns import means

_PIECES = st.sampled_from(["a", "b", "B", ".", "/", "*", "**", "***", "**/", "?"])


@settings(deadline=None, max_examples=600)
@given(st.lists(_PIECES, max_size=9), st.text("aAb/.", max_size=12))
def test_patterns_mean_what_they_say(pieces: list[str], path: str) -> None:
    pattern = "".join(pieces)
    assert bool(compile_patterns((pattern,)).fullmatch(path)) == means(pattern, path)


@pytest.mark.parametrize("piece", ["*a", "**a", "**/a", "**/*a*", "?*", "*a*/", "**b*a"])
def test_many_stars_cost_no_more_than_the_path_is_long(piece: str) -> None:
    """Four times the path may cost sixteen times as much, where trying all ways would cost four to the twelfth."""
    expression = compile_patterns((f"{piece * 12}c",))

    def seconds(length: int) -> float:
        paths = ["a" * length, "a/" * (length // 2), "ab" * (length // 2)]
        begun = time.perf_counter()
        for path in paths * 20:
            assert not expression.fullmatch(path)
        return time.perf_counter() - begun

    short = min(seconds(60) for _ in range(3))
    assert min(seconds(240) for _ in range(3)) < 200 * short


_WHOLE = re.compile(rb"[A-Za-z0-9_~][A-Za-z0-9_\-~ ]*(?:[/\\][A-Za-z0-9_\-~ ]+)*(?:\.[A-Za-z0-9]{1,5}){1,2}")


@settings(deadline=None, max_examples=400)
@given(st.lists(st.sampled_from(list(b"abc_-~ /\\..\n!a")), max_size=60))
def test_path_like_texts_are_those_of_the_plain_expression(letters: list[int]) -> None:
    data = bytes(letters)
    plain = {m.group().decode().replace("\\", "/").strip() for m in _WHOLE.finditer(data) if len(m.group()) >= 5}
    assert paths_in(memoryview(data)) == plain


def test_a_megabyte_of_digits_holds_no_paths() -> None:
    assert paths_in(memoryview(b"0123456789abcdef" * (1 << 16))) == set()
    assert paths_in(memoryview(b"a- " * (1 << 18))) == set()


BOMB = "\n".join(
    ["a0: &a0 [x,x,x,x,x,x,x,x,x,x]"]
    + [f"a{n}: &a{n} [{','.join([f'*a{n - 1}'] * 10)}]" for n in range(1, 12)]
)  # fmt: skip
REFUSED = {
    "aliases of aliases": BOMB,
    "200,000 aliases": f"a: &a [1, 2]\nb: [{', '.join(['*a'] * 200_000)}]",
    "a value in itself": "k: &a [*a]",
    "nested without end": f"k: {'[' * 30_000}",
    "nested mappings": "{a: " * 2_000,
    "a date that is none": "k: !!timestamp 2024-99-99",
    "a number that is none": "k: 0x_",
    "5,000 digits": f"k: {'9' * 5_000}",
    "a list as a key": "k: {[1]: 2}",
    "an object of Python": "k: !!python/object/apply:os.system [x]",
    "a control character": "a\x00b",
    "half a character": "k: \ud800",
    "several documents": "a: 1\n---\nb: 2",
    "an alias of nothing": "k: *nothing",
    "not closed": "k: [1, 2",
}


@pytest.mark.parametrize("text", REFUSED.values(), ids=REFUSED)
def test_yaml_from_strangers_is_refused_in_words(text: str) -> None:
    tracemalloc.start()
    try:
        with pytest.raises(InputError, match=r"t\.yaml"):
            parse_yaml(text, "t.yaml")
        assert tracemalloc.get_traced_memory()[1] < 64 << 20
    finally:
        tracemalloc.stop()


@settings(deadline=None, max_examples=300)
@given(st.text(st.sampled_from(list("ab:-[]{}&*!|>'\"#%@?,0x9._~<= \n\t\ud800\x00é")), max_size=60))
def test_any_text_is_yaml_or_refused(text: str) -> None:
    try:
        parse_yaml(text, "t.yaml")
    except InputError as error:
        assert "t.yaml" in str(error)


@settings(deadline=None, max_examples=200)
@given(
    st.recursive(
        st.none() | st.booleans() | st.integers(-(2**70), 2**70) | st.text(st.characters(exclude_categories=["C"])),
        lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text("abc1-:", max_size=9), inner, max_size=4),
        max_leaves=12,
    )
)
def test_yaml_comes_back_as_it_was_written(value: object) -> None:
    assert parse_yaml(write_yaml(value), "t.yaml") == value


def test_dates_are_texts_and_aliases_are_allowed() -> None:
    assert parse_yaml("a: 2024-01-31\nb: &x [1, 2]\nc: *x", "t") == {"a": "2024-01-31", "b": [1, 2], "c": [1, 2]}


EXPRESSIONS = [
    "range(200000000)",
    "full((1, 2), 200000000)",
    "(1, 2) + (1, 2, 3)",
    "'a' * 9000000",
    "1 << 99999999",
    "(9 * 99999999999) * 99999999999",
    "data * 1000000",
    "data + data",
    "1 // 0",
    "1 % 0.0",
    "min()",
    "max()",
    "len(5)",
    "align(1, 0)",
    "align(1, 0)",
    "data[99999999999]",
    "data[-1]",
    "number[0]",
    "number.field",
    "nothing",
    "1e308 * 1e308",
    "~1.5",
    "(1, 2) < 3",
    "1 in 2",
    "start(nothing)",
    "-'a'",
]


@pytest.mark.parametrize("text", EXPRESSIONS)
def test_expressions_without_a_value_say_so(text: str) -> None:
    record = Record("file", 0, None, {}, {"data": memoryview(b"abc"), "number": 5})
    tracemalloc.start()
    try:
        with pytest.raises(PruxelError, match="expression"):
            compile_expression(text)(record)
        assert tracemalloc.get_traced_memory()[1] < 16 << 20
    finally:
        tracemalloc.stop()


LAYOUT = """
layout: odd
reads: data
records:
  file:
    - {{name: first, type: {type}{more}}}
"""
LAYOUTS_REFUSED = {
    "bits beyond a number": ("u8", ", bits: {a: [0, 1000000000]}"),
    "names of a run": ("u8", ", count: 2, names: {1: one}"),
    "a fixed value of a run": ("u8", ", count: 2, equals: 1"),
}


@pytest.mark.parametrize(("kind", "more"), LAYOUTS_REFUSED.values(), ids=LAYOUTS_REFUSED)
def test_layouts_that_mean_nothing_are_refused(kind: str, more: str) -> None:
    with pytest.raises(InputError, match="does not hold together"):
        load_layout(LAYOUT.format(type=kind, more=more), "odd.yaml")


@pytest.mark.parametrize("match", ["{hex: xyz}", "{hex: abc}", "{magic: 名}"])
def test_what_a_file_is_recognised_by_is_read_when_the_layout_is(match: str) -> None:
    with pytest.raises(InputError, match="hexadecimal"):
        load_layout(LAYOUT.format(type="u8", more="") + f"match: {match}\n", "odd.yaml")


ITEM = {"name": "later: ours", "match": ["tex/**/*_q.dds"], "red": "gloss"}


@pytest.mark.parametrize(
    ("text", "before"),
    [
        ("", None),
        ("# only a word\n", None),
        ("a: 1\nb: [2]", None),
        ("a: 1\n\n# of the maps\nlist:\n  # the first\n  - {x: 1}  # told\n  - x: 2\n    y: 3\nb: 2\n", 2),
        ("list:\n- 1\n- 2\n", 2),
        ("list: [1, {x: 2}]  # short\nb: 2\n", 2),
        ("list: []\nb: 2\n", 0),
        ("list: [ ]\n", 0),
        ("a: 1\nlist:\nb: 2\n", 0),
        ("a: 1\nlist:", 0),
        ("a: 1\nlist: ~  # none yet\nb: 2\n", 0),
        ("list:\n  - |\n    many\n    lines\nb: 2\n", 1),
    ],
)
def test_an_item_is_added_and_all_else_stays_to_the_letter(text: str, before: int | None) -> None:
    found = with_item(text, "list", ITEM)
    told: Any = parse_yaml(found, "found")
    old: Any = parse_yaml(text, "old") or {}
    assert told == old | {"list": [ITEM, *(old.get("list") or [])]}
    assert len(told["list"]) == (before or 0) + 1
    rest = iter(found)
    kept = text.rstrip().replace("~", "")
    assert all(letter in rest for letter in kept), "every letter is there, in its order"
    again: Any = parse_yaml(with_item(found, "list", {"name": "b"}), "again")
    assert again["list"][:2] == [{"name": "b"}, ITEM]


@pytest.mark.parametrize("text", ["- 1\n", "just words", "{a: 1}", "list: 3\n", "list: {a: 1}\n", "a: [1\n"])
def test_an_item_is_not_added_where_there_is_no_list(text: str) -> None:
    with pytest.raises(InputError):
        with_item(text, "list", ITEM)
