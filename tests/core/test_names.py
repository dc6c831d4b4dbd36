"""Hash functions against other people's, lists of names, harvest, patterns."""

import gzip
import zlib
from pathlib import Path

import mmh3
import numpy as np
import pytest
import xxhash
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.knowledge.harvest import harvest, paths_in
from pruxel.core.knowledge.name_lists import Hashing, hash_names, match_names, names_of, parse_names
from pruxel.core.knowledge.patterns import matches
from pruxel.core.native.hashes import FUNCTIONS, hash_texts, positions_of
from pruxel.core.sources.packs import PackSource
from pruxel.core.sources.stack import Stack
from tests.conftest import game_knowledge
from tests.core.test_packs import one
from tests.reference.hashes import SLOW

ORACLES = {
    "crc32": zlib.crc32,
    "murmur3_32": lambda text, seed: mmh3.hash(text, seed, signed=False),
    "xxhash32": xxhash.xxh32_intdigest,
    "xxhash64": xxhash.xxh64_intdigest,
} | SLOW


def test_every_function_has_an_oracle() -> None:
    assert set(ORACLES) == set(FUNCTIONS)


@pytest.mark.parametrize("function", FUNCTIONS)
@settings(deadline=None)
@given(texts=st.lists(st.binary(max_size=90), min_size=1, max_size=20), seed=st.sampled_from([0, 1, 7, 2**31 + 3]))
def test_hashes_are_other_peoples(function: str, texts: list[bytes], seed: int) -> None:
    names = names_of(texts)
    found = [int(h) for h in hash_texts(function, names.block, names.starts, seed)]
    assert found == [ORACLES[function](text, seed) for text in texts]


@settings(deadline=None)
@given(st.lists(st.integers(0, 2**64 - 1), max_size=60), st.lists(st.integers(0, 2**64 - 1), max_size=60))
def test_positions_are_found_and_absent_ones_are_not(hashes: list[int], wanted: list[int]) -> None:
    wanted = [*wanted, *hashes[::2]]
    found = positions_of(np.array(hashes, np.uint64), np.array(wanted, np.uint64))
    for code, place in zip(hashes, found.tolist(), strict=True):
        assert place == (wanted.index(code) if code in wanted else -1)


@given(st.lists(st.text(st.characters(min_codepoint=33, max_codepoint=126), min_size=1, max_size=40), max_size=30))
def test_lists_are_read_line_by_line(lines: list[str]) -> None:
    for data in (
        "\n".join(lines).encode(),
        "\r\n".join([*lines, ""]).encode(),
        gzip.compress("\n".join(lines).encode()),
    ):
        names = parse_names(data, "list", Limits())
        assert [names.text(n) for n in range(len(names))] == [line.replace("\\", "/") for line in lines]


def test_junk_in_a_list_is_dropped_and_counted() -> None:
    data = b"good/one.txt\n\x00\x01binary\xff\n" + b"y" * 5000 + b"\n\ngood/two.txt"
    names = parse_names(data, "list", Limits())
    assert [names.text(n) for n in range(len(names))] == ["good/one.txt", "good/two.txt"]
    assert names.dropped == 2
    with pytest.raises(InputError, match="gzip data is damaged"):
        parse_names(b"\x1f\x8b" + bytes(40), "list", Limits())
    with pytest.raises(InputError, match="unpacks to too much"):
        parse_names(gzip.compress(bytes(5000)), "list", Limits(text_bytes=1000))


def test_rules_of_case_separator_and_prefix() -> None:
    rules = Hashing(function="fnv1a_32", case="upper", separator="\\", prefix="data\\")
    names = names_of([b"a/b.txt"])
    assert int(hash_names(names, rules)[0]) == SLOW["fnv1a_32"](b"data\\A\\B.TXT", 0)
    assert match_names(names, rules, hash_names(names, rules)).tolist() == [0]


def test_paths_are_seen_in_both_widths() -> None:
    wide = "tex\\reef\\sand_c.dds".encode("utf-16-le")
    found = paths_in(memoryview(b"\x00\x07props/p1/p1.brm\x00\xff" + wide + b"\x00\x00noise"))
    assert {"props/p1/p1.brm", "tex/reef/sand_c.dds"} <= found


def test_harvest_wins_all_names_of_the_game(game: Path, stack: Stack) -> None:
    pack = one(game, "deep.brh", game_knowledge(game))
    assert isinstance(pack, PackSource)
    assert pack.hashing is not None
    unknown = pack.unknown_hashes()
    known = [p for p in pack.paths if not p.startswith("~")]
    texts = set(stack.entries)
    for path, entry in stack.entries.items():
        if entry.kind in {"material", "model", "text", "table", "level"}:
            texts |= paths_in(stack.read(path, Context()))
    won = harvest(lambda: texts, known, pack.hashing, unknown, Context())
    assert {w.hash for w in won} == {int(h) for h in unknown}
    assert len({w.how for w in won}) >= 2
    assert {"flora", "mat", "tex"} <= {w.name.split("/")[0] for w in won} | {k.split("/")[0] for k in known}


@pytest.mark.parametrize(
    ("path", "pattern", "fits"),
    [
        ("a/b/crab.brm", "**/*crab*", True),
        ("crab.brm", "**/*crab*", True),
        ("a/b.txt", "a/*", True),
        ("a/b/c.txt", "a/*", False),
        ("a/b/c.txt", "a/**", True),
        ("A/B.TXT", "a/?.txt", True),
        ("deep/down/x.yaml", "*.yaml", True),
        ("ab", "a+b", False),
    ],
)
def test_patterns(path: str, pattern: str, fits: bool) -> None:
    assert matches(path, [pattern]) is fits
