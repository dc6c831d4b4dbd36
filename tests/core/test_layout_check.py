"""All that is wrong with a layout, told at once with line and column; what is read of a file, also up to a failure."""

from __future__ import annotations

import json
import struct
from pathlib import Path

import pytest
from typer.testing import CliRunner

from fuzz import examples
from pruxel.cli.main import app
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.explain import explained
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.parse import parse
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.yaml_text import write_yaml
from pruxel.core.knowledge.layout_files import load_layout_file, load_together, written_in
from pruxel.core.knowledge.profile_files import load_profile
from pruxel.core.knowledge.profile_layouts import with_layout
from pruxel.core.recipe.layout_check import check_layout

LAYOUTS = sorted((Path(__file__).resolve().parents[2] / "src/pruxel/sample/data/layouts").glob("*.yaml"))
SKELETON = next(path for path in LAYOUTS if path.stem == "skeleton")
FILE = b"BSKL" + struct.pack("<HH", 1, 2) + b"".join(
    struct.pack(f"<B{len(name)}sh7f", len(name), name, parent, 0, 1, 0, 0, 0, 0, 1) for name, parent in ((b"root", -1), (b"tip", 0))
)  # fmt: skip


@pytest.mark.parametrize("path", LAYOUTS, ids=lambda path: path.stem)
def test_what_ships_holds_together(path: Path) -> None:
    layout, faults = check_layout(path.read_text(), path.name)
    assert layout is not None
    assert [fault.line() for fault in faults] == []


@pytest.mark.parametrize(
    ("old", "new", "places"),
    [
        ("rotation: turn", "rotatoin: turn", {"there is no key 'rotatoin'": "rotatoin: turn"}),
        ("joint: name", "joint: nmae", {"names 'nmae'": "joint: nmae"}),
        ("type: i16}", "type: i16, when: prnt > 0}", {"names 'prnt'": "when: prnt"}),
        ("match: {magic: BSKL", "match: {magci: BSKL", {"there is no key 'magci'": "magci"}),
        ("version: {field: version", "let: {a: b}\nversion: {field: version", {"names 'b'": "a: b"}),
        ("parent: parent", "parent: [parent]", {"should be a text": "parent: [parent]"}),
        ("count: joint_count", "count: joint_count +", {"is not an expression": "count: joint_count +"}),
        (
            "joints: joints\n",
            "relative_to: world\n",
            {"should be 'parent', 'model' or 'inverse'": "relative_to: world", "'joints' is missing": "skeletons:"},
        ),
    ],
)
def test_each_mistake_is_told_where_it_stands(old: str, new: str, places: dict[str, str]) -> None:
    text = SKELETON.read_text().replace(old, new)
    assert text != SKELETON.read_text()
    _, faults = check_layout(text, "s.yaml")
    assert len(faults) == len(places)
    for words, near in places.items():
        fault = next(fault for fault in faults if words in fault.line())
        line, column = (int(word.split()[-1]) for word in str(fault.field).split(",")[:2])
        assert text.splitlines()[line - 1][column - 1 :].startswith(near)


def test_several_mistakes_come_together() -> None:
    text = SKELETON.read_text().replace("type: u16", "tpye: u16").replace("magic: BSKL", "magic: [1]")
    _, faults = check_layout(text, "s.yaml")
    assert len(faults) >= 5
    assert not any("Input should" in fault.line() or "pydantic" in fault.line() for fault in faults)


def test_a_whole_file_is_explained_and_a_broken_one_as_far_as_it_was_read() -> None:
    layout = load_layout(SKELETON.read_text(), "s.yaml")
    tree, fault = explained(layout, memoryview(FILE), "f.bsk", 4)
    assert fault is None
    names = {one["name"]: one for one in tree}
    assert names["joint_count"] == {"name": "joint_count", "bytes": [6, 8], "value": "2"}
    assert [one["fields"][0]["value"] for one in names["joints"]["fields"]] == ["'root'", "'tip'"]
    assert names["joints"]["bytes"] == [8, len(FILE)]
    tree, fault = explained(layout, memoryview(FILE[:-20]), "f.bsk", 4)
    assert fault is not None
    assert fault.offset is not None
    assert tree[-1]["value"] == "1 items"
    assert tree[-1]["fields"][0]["fields"][1]["value"] == "-1"


def test_the_commands_tell_and_end_with_their_codes(tmp_path: Path) -> None:
    (tmp_path / "good.bsk").write_bytes(FILE)
    (tmp_path / "cut.bsk").write_bytes(FILE[:-3])
    (tmp_path / "bad.yaml").write_text(SKELETON.read_text().replace("joint: name", "joint: nmae"))
    run = CliRunner()
    good = run.invoke(app, ["layout", "check", str(SKELETON), str(tmp_path / "good.bsk")])
    assert (good.exit_code, good.stdout.splitlines()[-1]) == (0, "good.bsk: skeleton 'good', 2 joints")
    cut = run.invoke(app, ["layout", "check", str(SKELETON), str(tmp_path / "cut.bsk")])
    assert cut.exit_code == 3
    assert "the file ends inside this field" in cut.stderr
    bad = run.invoke(app, ["layout", "check", str(tmp_path / "bad.yaml")])
    assert bad.exit_code == 3
    assert "line 19, column 5" in bad.stderr
    told = run.invoke(app, ["layout", "explain", str(SKELETON), str(tmp_path / "good.bsk"), "--json"])
    assert [one["name"] for one in json.loads(told.stdout)["fields"]] == ["magic", "version", "joint_count", "joints"]


def test_a_file_of_several_things_is_told_of_listed_and_proven(tmp_path: Path) -> None:
    """The example of the language that holds joints, vertices and keys in one file, by the command line alone."""
    layout = tmp_path / "sprat.yaml"
    layout.write_text(examples.layouts()["sprat"])
    joints = b"".join(
        struct.pack("<bB12f", parent, mask, 1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 1, z)
        for parent, mask, z in ((1, 4, 2), (-1, 0, 0))
    )
    points = b"".join(
        struct.pack("<BB3f", joint, 255, *at) for joint, at in ((1, (0, 0, 0)), (0, (0, 0, 1)), (0, (1, 0, 1)))
    )
    (tmp_path / "fish.spr").write_bytes(
        b"SPRT" + bytes([2, 3, 3, 2]) + joints + bytes([1, 1, 1]) + points + struct.pack("<2h", 0, 6434)
    )
    run, at = CliRunner(), [str(tmp_path), "--layout", str(layout), "--entry", "fish.spr"]
    told = run.invoke(app, ["inspect", *at, "--json"])
    found = json.loads(told.stdout)
    assert [joint["name"] for joint in found["skeleton"]] == ["joint 1", "joint 0"]
    assert found["clips"] == [{"name": "swim", "seconds": 0.0833, "frames": 2}]
    assert "clip swim: 0.08 s, 2 frames" in run.invoke(app, ["inspect", *at]).stdout
    made = run.invoke(app, ["convert", *at, "--to", "glb", "--out", str(tmp_path / "out")])
    assert made.exit_code == 0, made.output
    assert (tmp_path / "out/fish.glb").is_file()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("2 ** 3", "powers"),
        ("a is 3", "'is'"),
        ("[x for x in a]", "a loop"),
        ("lambda: 3", "a function"),
        ("{1: 2}", "keys"),
    ],
)
def test_what_expressions_do_not_have_is_said_in_our_words(text: str, words: str) -> None:
    with pytest.raises(ValueError, match=words) as told:
        compile_expression(text)
    assert not any(name in str(told.value) for name in ("Pow", "Comp", "Lambda", "Dict", "Is,"))


def test_unknown_types_are_told_beside_other_mistakes() -> None:
    text = (
        SKELETON.read_text()
        .replace("type: f32x3", "type: f23x3")
        .replace("type: i16", "type: int")
        .replace("joint: name", "jiont: name")
    )
    _, faults = check_layout(text, "s.yaml")
    told = sorted(fault.line() for fault in faults)
    assert sum("is neither a type nor a record" in line for line in told) == 2
    assert any("'f23x3'" in line for line in told)
    lines = {int(str(fault.field).split(",")[0].split()[-1]) for fault in faults}
    wanted = {n + 1 for n, line in enumerate(text.splitlines()) if "f23x3" in line or "type: int" in line}
    assert wanted <= lines


ROWS = "layout: rows\nconstants: {most: 9}\nrecords: {file: [], row: [{name: a, type: u8}, {name: b, type: u8}]}\n"
USER = "layout: user\ninclude: rows\nrecords: {file: [{name: all, type: row, count: most}]}\n"


def known(*texts: str) -> list[Layout]:
    return load_together([written_in(text, f"file {number}") for number, text in enumerate(texts)], "here")


def test_records_are_included_in_whatever_order_they_stand() -> None:
    for texts in ((ROWS, USER), (USER, ROWS)):
        user = next(one for one in known(*texts) if one.layout == "user")
        assert parse(user, memoryview(bytes(range(18))), "x", Context())["all"].column("b").tolist() == list(
            range(1, 18, 2)
        )
        # What is written out needs nothing else.
        alone = load_layout(write_yaml(user.model_dump(mode="json", by_alias=True, exclude_defaults=True)), "alone")
        assert alone == user
    third = "layout: third\ninclude: [user]\nrecords: {file: [{name: all, type: row}]}\n"
    assert [one.layout for one in known(third, USER, ROWS)] == ["third", "user", "rows"]


def test_what_two_included_layouts_share_is_there_once() -> None:
    left, right = (f"layout: {name}\ninclude: rows\nrecords: {{file: []}}\n" for name in ("left", "right"))
    both = "layout: both\ninclude: [left, right]\nrecords: {file: [{name: all, type: row, count: most}]}\n"
    assert known(both, right, left, ROWS)[0].records["row"]
    deep = [f"layout: l{n}\ninclude: l{n + 1}\nrecords: {{file: []}}\n" for n in range(200)]
    with pytest.raises(InputError, match="more than 32 deep"):
        known(*deep)


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        ((USER,), "there is no layout 'rows' to include"),
        ((ROWS.replace("constants", "include: user\nconstants"), USER), "in a ring: rows → user → rows"),
        (
            (ROWS, USER.replace("records: {", "records: {row: [], ")),
            "'row' stands in 'records' here and in the included",
        ),
        ((ROWS, USER.replace("include: rows", "include: {a: 1}")), "neither a type nor a record"),
    ],
)
def test_what_cannot_be_included_is_told(texts: tuple[str, ...], words: str) -> None:
    with pytest.raises(InputError) as caught:
        known(*texts)
    assert words in caught.value.fault.line()


def test_a_profile_and_a_folder_give_what_is_included(tmp_path: Path) -> None:
    (tmp_path / "user.yaml").write_text(USER)
    (tmp_path / "rows.yaml").write_text(ROWS)
    (tmp_path / "broken.yaml").write_text("layout: [")
    assert load_layout_file(tmp_path / "user.yaml").records["row"]
    (tmp_path / "p.yaml").write_text("profile: 1\nname: Reef\nlayouts: [user.yaml, rows.yaml]\n")
    assert [one.layout for one in load_profile(tmp_path / "p.yaml").profile.layouts] == ["user", "rows"]
    saved = with_layout("profile: 1\nname: Reef\nlayouts:\n  - layout: rows\n    records: {file: [], row: [{name: a, type: u8}]}\n",
                        USER.replace("count: most", "count: 2"), "Reef")  # fmt: skip
    assert "include: rows" in saved
    with pytest.raises(InputError, match="no layout 'rows' to include"):
        with_layout("profile: 1\nname: Reef\n", USER, "Reef")
