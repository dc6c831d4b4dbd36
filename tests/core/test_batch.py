"""Batches: what is told of items, processes that share them, reports held against each other."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, InputError
from pruxel.core.batch.compare import compare_batches, compare_items
from pruxel.core.batch.items import ItemTold, item_told
from pruxel.core.batch.work import Item, Wish, items_of, read_report, work_on, work_side_by_side, write_report
from pruxel.core.disk.files import read_text
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.model import Scene
from pruxel.core.sources.stack import Stack
from tests.contracts.test_steps import flawed
from tests.scenes import two_boxes

CONTEXT = Context()
STEPS = (
    StepUse(step="show_parts", params={"action": "drop"}, rule=Rule(parts="sm*")),
    StepUse(step="flip_faces", params={"parts": ["of no such name"]}),
    StepUse(step="set_units", params={"factor": 0.5}),
)


class Shelf(Opener):
    """Opens made-up scenes by their path, and does what some paths say."""

    def scene(self, paths: list[str], context: Context) -> Scene:
        """The scene of that name."""
        context.check()
        if "broken" in paths[0]:
            raise InputError("malformed", "there is nothing in it", file=paths[0])  # type: ignore[arg-type]
        if "deadly" in paths[0]:
            os._exit(1)
        return replace(flawed() if "flawed" in paths[0] else two_boxes(), name=paths[0])


def shelf(_word: str = "") -> Opener:
    return Shelf(Stack(()))


def test_an_item_tells_what_each_step_did_and_what_is_left() -> None:
    told = work_on(shelf(), Item("a", ("a.glb",), "a"), Wish(STEPS), CONTEXT)
    drop, flip, scale = told.steps
    assert (drop.removed, drop.fault, drop.idle) == (("small",), "", False)
    assert "of no such name" in flip.fault
    assert flip.idle
    assert scale.changed == ("large",)
    assert told.state == "done"
    assert told.triangles == scale.after == drop.after < drop.before
    flaws = work_on(shelf(), Item("b", ("flawed.glb",), "b"), Wish(), CONTEXT)
    assert flaws.findings


def test_one_failure_does_not_stop_the_others_not_even_the_death_of_a_process() -> None:
    paths = ["one.glb", "broken.glb", "two.glb", "deadly.glb", "three.glb", "flawed.glb"]
    told = {one.entries[0]: one for one in work_side_by_side(shelf, ("",), items_of(paths), Wish(STEPS), 2)}
    assert set(told) == set(paths)
    assert {path for path, one in told.items() if one.state == "failed"} == {"broken.glb", "deadly.glb"}
    assert "brought its process down" in told["deadly.glb"].fault
    assert "there is nothing in it" in told["broken.glb"].fault


def test_a_stop_is_no_failure() -> None:
    stopped = Context(cancelled=lambda: True)
    with pytest.raises(CancelledError):
        work_on(shelf(), Item("a", ("a.glb",), "a"), Wish(STEPS), stopped)


def test_folders_are_told_apart_and_safe() -> None:
    folders = [item.folder for item in items_of(["a/b.glb", "a/B.obj", "../up.glb", "no_ending", "a/b.c/d"])]
    assert len({folder.lower() for folder in folders}) == 5
    assert not any(part in {"", ".", ".."} for folder in folders for part in folder.split("/"))


def test_items_are_delivered_and_the_report_is_read_back(tmp_path: Path) -> None:
    wish = Wish(STEPS[:1], ("glb",), {"glb": {}}, None, tmp_path)
    items = items_of(["one.glb", "in/two.glb"])
    told = [work_on(shelf(), item, wish, CONTEXT) for item in items]
    assert [one.delivered for one in told] == ["proven", "proven"]
    assert (tmp_path / "in/two/two.glb").is_file()
    write_report(tmp_path, told, wish.steps)
    assert list(read_report(read_text(tmp_path / "batch.json"), "batch.json")) == told


@pytest.mark.parametrize("text", ["", "[]", "{}", '{"items": [1]}', '{"items": [{}]}', '{"items": 3}', "[" * 9000])
def test_what_is_no_report_is_refused(text: str) -> None:
    with pytest.raises(InputError, match="no report of a batch"):
        read_report(text, "batch.json")


def told_of(scene: Scene, *uses: StepUse) -> ItemTold:
    return item_told("a", ("a",), run_recipe(scene, uses, MemoryCache(), CONTEXT), CONTEXT)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({}, ""),
        ({"state": "failed", "fault": "gone"}, "gone (before: it went well)"),
        ({"triangles": 3, "digest": "x"}, "3 triangles"),
        ({"size": (1.0, 2.0, 9.0), "digest": "x"}, "9 m"),
        ({"materials": 7, "digest": "x"}, "7 materials"),
        ({"findings": ("It burns",)}, "new finding: It burns"),
        ({"digest": "x"}, "shapes or materials are others"),
        ({"delivered": "failed"}, "delivery: failed"),
    ],
)
def test_what_came_out_differently_is_said(change: dict[str, Any], words: str) -> None:
    before = told_of(two_boxes(), STEPS[2])
    lines = compare_items(before, replace(before, **change))
    assert words in "; ".join(lines)
    assert bool(lines) == bool(change)


def test_another_version_of_the_game_is_told_item_by_item() -> None:
    same, other = told_of(two_boxes(), *STEPS), told_of(flawed(), *STEPS)
    assert not compare_items(same, told_of(two_boxes(), *STEPS))
    lines = compare_items(same, other)
    assert any("triangles" in line for line in lines)
    assert any(line.startswith("new finding") for line in lines)
    new = replace(same, name="new", entries=("new",))
    found = compare_batches([same, replace(same, name="old", entries=("old",))], [other, new])
    assert found == {"a": lines, "new": ("not there before",), "old": ("no more there",)}
