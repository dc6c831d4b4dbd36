"""Slots: told by a profile, else found by folders and names."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.errors import InputError
from pruxel.core.knowledge.catalogue import build_cards, rows_by_code
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.profile import GameTable
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.knowledge.slots import Find, SlotSpec, captured, filled, slots_of

GAME = (
    "folk/thin/thin.sk",
    "folk/thin/suits/red.m",
    "folk/wide/wide.sk",
    "folk/wide/suits/red.m",
    "folk/wide/suits/blue.m",
    "folk/heads/one.m",
    "gear/hat.m",
)


def among(*paths: str) -> Find:
    return lambda pattern: [path for path in paths if matches(path, [pattern])]


SPECS = (
    SlotSpec(name="suit", of="folk/{build}/{build}.sk", takes=("folk/{build}/suits/*.m",)),
    SlotSpec(name="head", of="folk/*/*.sk", takes=("folk/heads/*.m", "folk/more/*.m")),
    SlotSpec(name="hat", of="folk/*/*.sk", takes=("gear/hat.m",), hangs_on="head", at=(0, 0.3, 0)),
    SlotSpec(name="shield", of="folk/*/*.sk", takes=("gear/shield.m",)),
)


def test_a_profile_says_what_may_stand_where_for_which_build() -> None:
    found = {slot.name: slot for slot in slots_of("folk/wide/wide.sk", SPECS, among(*GAME))}
    assert list(found) == ["suit", "head", "hat"], "a slot that nothing goes into is none"
    assert [one.path for one in found["suit"].variants] == ["folk/wide/suits/blue.m", "folk/wide/suits/red.m"]
    assert (found["hat"].hangs_on, found["hat"].at) == ("head", (0.0, 0.3, 0.0))
    assert {one.sureness for slot in found.values() for one in slot.variants} == {1.0}
    assert captured(SPECS[0].of, "folk/wide/thin.sk") is None, "both must be the same word"


def test_without_a_profile_folders_and_names_tell() -> None:
    game = (
        "npc/guard_body.m",
        "npc/guard_head_a.m",
        "npc/guard_head_b.m",
        "npc/rat_head.m",
        "npc/Hair/long.m",
        "hats/top.m",
        "props/crate.m",
    )
    found = {slot.name: slot for slot in slots_of("npc/guard_body.m", (), among(*game))}
    assert {name: [v.path for v in slot.variants] for name, slot in found.items()} == {
        "hair": ["npc/Hair/long.m"],
        "hat": ["hats/top.m"],
        "head": ["npc/guard_head_a.m", "npc/guard_head_b.m", "npc/rat_head.m"],
    }
    sure = [(v.sureness, v.why) for v in found["head"].variants]
    assert sure[0] == (0.7, "its name says 'head' and begins with 'guard' as well")
    assert sure[2] == (0.3, "its name says 'head'")
    beside = {slot.name: slot for slot in slots_of("set/body/body.m", (), among("set/heads/a.m", "set/rocks/b.m"))}
    assert {name: [v.why for v in slot.variants] for name, slot in beside.items()} == {
        "head": ["it lies in the folder 'heads'"]
    }
    assert slots_of("props/crate.m", (), among(*game)) == []


@pytest.mark.parametrize(
    ("pattern", "path", "words"),
    [
        ("a/{x}/b.m", "a/one/b.m", {"x": "one"}),
        ("a/{x}_{y}.m", "a/one_two.m", None),
        ("a/body_{x}.m", "A/Body_one.m", {"x": "one"}),
        ("{x}/{x}.m", "one/two.m", None),
        ("**/{x}.m", "a/b/one.m", None),
        ("a/{x}*.m", "a/one.m", None),
        ("a/*.m", "a/one.m", {}),
        ("a/{x}/b.m", "a", None),
    ],
)
def test_placeholders_stand_for_a_part_of_a_path(pattern: str, path: str, words: dict[str, str] | None) -> None:
    assert captured(pattern, path) == words


NAMES = st.text("abcXYZ019_-. ", min_size=1, max_size=8).filter(lambda s: s.strip() == s)


@given(NAMES, NAMES, NAMES)
def test_what_a_pattern_was_filled_with_is_captured_again(one: str, two: str, three: str) -> None:
    pattern = "a/{one}/x_{two}.sk/{one}/{three}"
    words = {"one": one, "two": two, "three": three}
    assert captured(pattern, filled(pattern, words)) == words


def test_cards_say_what_people_wear_and_what_is_missing_of_it() -> None:
    table = GameTable(
        file="t.csv", group="folk", id="code", name="name", model="folk/{build}/{build}.sk",
        wears={"suit": "folk/{build}/suits/{suit}.m", "head": "folk/heads/{head}.m"},
    )  # fmt: skip
    rows = [
        {"code": "1", "name": "Ida", "build": "wide", "suit": "blue", "head": "one"},
        {"code": "2", "name": "Tom", "build": "thin", "suit": "blue", "head": ""},
    ]
    find = among(*GAME)
    ida, tom = build_cards(table, rows_by_code(table, rows), lambda pattern: tuple(find(pattern)))
    assert ida.wears == {"suit": "folk/wide/suits/blue.m", "head": "folk/heads/one.m"}
    assert (ida.name, ida.parts, ida.missing) == ("Ida", {"model": ("folk/wide/wide.sk",)}, ())
    assert (tom.wears, tom.missing) == ({}, ("suit",))


def test_a_profile_with_a_slot_of_nothing_is_refused() -> None:
    with pytest.raises(InputError) as caught:
        build_profile("profile: 1\nname: x\nslots: [{name: hat, of: a/*.m}]\n", "mine.yaml", None)
    assert "slots" in (caught.value.fault.field or "")
