"""What textures are for by their names, which may be meant, and linking one."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import find
from pruxel.core.images.likeness import Shown
from pruxel.core.knowledge.texture_roles import candidates, looked_at, role_by_name, slot_of_gap
from pruxel.core.pictures.sheet import texture_sheet
from pruxel.core.scene.materials import Unresolved
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import STEPS
from tests.core.test_assembling import Shelf
from tests.scenes import gradient, two_boxes

ROLES = {"_c": "base colour", "_p": "packed: roughness, metallic", "_x": "emission", "_nn": "normal", "_q": "nothing"}


@pytest.mark.parametrize(
    ("path", "roles", "slot"),
    [
        ("a/wood_c.dds", ROLES, "base colour"),
        ("a/wood_P.dds", ROLES, "metal and roughness"),
        ("a/wood_x.dds", ROLES, "light"),
        ("a/wood_nn.dds", ROLES, "normals"),
        ("a/wood_q.dds", ROLES, None),
        ("a/Wood_Albedo.png", {}, "base colour"),
        ("a/wood-normal2.png", {}, "normals"),
        ("a/wood.ORM.png", {}, "metal and roughness"),
        ("wood_ao.tga", {}, "occlusion"),
        ("a/wood.png", {}, None),
    ],
)
def test_names_say_what_textures_are_for(path: str, roles: dict[str, str], slot: str | None) -> None:
    assert role_by_name(path, roles) == slot


def test_what_was_meant_is_ranked_by_name_purpose_place_and_size() -> None:
    shelf = [
        ("tex/wood/planks_n.dds", 900),
        ("attic/planks_old_c.dds", 500),
        ("tex/wood/planks_c.dds", 300),
        ("lo/planks_c.dds", 100),
        ("hi/planks_c.dds", 800),
        ("tex/moon_c.dds", 900),
    ]
    found = candidates("tex\\wood\\planks_c.png", "base colour", shelf, {})
    assert [one.path for one in found] == [
        "tex/wood/planks_c.dds",
        "hi/planks_c.dds",
        "lo/planks_c.dds",
        "attic/planks_old_c.dds",
        "tex/wood/planks_n.dds",
    ]
    assert found[0].sureness == 1.0
    assert found[0].why == "its name is 100% alike, says that it is for base colour, lies where the other should"
    assert candidates("tex/zebra.png", "light", shelf, {}) == []


@given(st.lists(st.tuples(st.text(max_size=12), st.integers(0, 9)), max_size=20), st.text(max_size=12))
def test_any_names_are_ranked_within_bounds(shelf: list[tuple[str, int]], named: str) -> None:
    found = candidates(named, "base colour", shelf, ROLES)
    assert [one.sureness for one in found] == sorted((one.sureness for one in found), reverse=True)
    assert all(0 <= one.sureness <= 1 and one.path in dict(shelf) for one in found)
    assert len(found) <= 12


def lacking(*gaps: str) -> Scene:
    scene = two_boxes()
    unresolved = tuple(Unresolved(gap, f"tex/{gap}.dds", "gone") for gap in gaps)
    return replace(scene, materials=tuple(replace(m, unresolved=unresolved) for m in scene.materials))


def test_what_is_linked_is_worn_and_no_longer_missing() -> None:
    sheet = texture_sheet(replace(gradient(), name="planks"), "tex/planks.dds")
    scene = lacking("base_color", "normal")
    step = STEPS.get("link_texture")
    name = scene.materials[0].name
    result = step.perform(scene, step.parse({"entry": "x", "materials": [name]}), Context(), Shelf(sheet))
    first = result.scene.materials[0]
    ref = first.base_color_texture
    assert ref is not None
    assert result.scene.images[result.scene.textures[ref.texture].image].name == "planks"
    assert [gap.slot for gap in first.unresolved] == ["normal"]
    left = [one for one in find(result.scene, Context()) if one.rule == "missing_textures"]
    assert len(left) == len([one for one in find(scene, Context()) if one.rule == "missing_textures"]) - 1
    again = step.perform(result.scene, step.parse({"entry": "x", "slot": "normals"}), Context(), Shelf(sheet)).scene
    assert all(m.normal_texture is not None for m in again.materials)
    with pytest.raises(UsageError, match="nothing to link"):
        step.perform(
            scene, step.parse({"entry": "x"}), Context(), Shelf(replace(sheet, images=(), textures=(), materials=()))
        )
    with pytest.raises(UsageError, match="no material called"):
        step.perform(scene, step.parse({"entry": "x", "materials": ["gone"]}), Context(), Shelf(sheet))


def test_gaps_of_any_reader_have_a_slot() -> None:
    assert {slot_of_gap(gap) for gap in ("base_color", "base color", "material", "?")} == {"base colour"}
    assert slot_of_gap("metallic_roughness_texture") == "metal and roughness"
    assert slot_of_gap("emissive") == "light"


def test_what_texels_show_counts_beside_what_names_say() -> None:
    shelf = [("a/rock_one.dds", 1), ("a/rock_two.dds", 1), ("a/rock_three.dds", 1), ("a/rock_four.dds", 1)]
    named = candidates("b/rock.dds", "normals", shelf, {})
    shows: dict[str, Shown] = {
        "a/rock_one.dds": "colours", "a/rock_two.dds": "two components of normals", "a/rock_three.dds": "a mask",
    }  # fmt: skip
    found = looked_at(named, "normals", shows)
    assert found[0].path == "a/rock_two.dds"
    assert found[0].why.endswith("shows two components of normals")
    assert found[1].path == "a/rock_four.dds", "nobody could look at it"
    assert found[1] in named
    colour = looked_at(named, "base colour", shows)
    assert colour[-1].path == "a/rock_two.dds", "normals are no colour"
    assert [one.sureness for one in colour if one.path == "a/rock_one.dds"] == [
        one.sureness for one in named if one.path == "a/rock_one.dds"
    ]


def test_what_lies_where_the_other_should_is_offered_whatever_it_is_called() -> None:
    shelf = [("skins/0007.dds", 5), ("skins/0008.dds", 9), ("other/0009.dds", 9)]
    assert [one.path for one in candidates("skins/mantle_c.dds", "base colour", shelf, {})] == [
        "skins/0008.dds",
        "skins/0007.dds",
    ]
    assert candidates("mantle_c.dds", "base colour", [("0007.dds", 5)], {}) == [], "no folder is no place"
