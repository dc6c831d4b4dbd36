"""Two versions of a game compared, profiles detected, tables turned into names and cards."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.knowledge.catalogue import build_cards, names_by_code, read_rows, rows_by_code
from pruxel.core.knowledge.detect import detect
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.profile import GameTable, Profile
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.sources.compare import Moved, compare
from pruxel.core.sources.stack import Stack
from pruxel.sample.build import second_edition
from pruxel.sample.files import pack_bytes
from tests.conftest import game_knowledge, stack_of

CONTEXT = Context()


@pytest.fixture(scope="module")
def newer(game: Path, stack: Stack, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The second edition, made from the first as the generator makes it."""
    home = tmp_path_factory.mktemp("second") / "Brinepost"
    shutil.copytree(game, home)
    known = game_knowledge(game)
    first = stack_of(game / "reef.brp", known)
    packed = {path: bytes(first.read(path, CONTEXT)) for path in first.entries}
    second_edition(packed)
    (home / "reef.brp").write_bytes(pack_bytes(packed))
    (home / "version.txt").write_text("2.0\n")
    return home


def test_two_versions_are_compared_by_content(game: Path, newer: Path) -> None:
    known = game_knowledge(game)
    found = compare(stack_of(game / "reef.brp", known), stack_of(newer / "reef.brp", known), CONTEXT)
    assert found.added == ("text/second_edition.txt",)
    assert found.removed == ("wip/p0042_test.brm",)
    assert found.moved == (Moved("flora/f031/f031.brm", "flora/reef/f031.brm"),)
    assert "text/readme.txt" in found.changed
    assert len(found.changed) == 2
    assert found.same > 100


def test_the_command_tells_the_same(game: Path, newer: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-m", "pruxel", "diff", game, newer, "--json"], capture_output=True, text=True, check=True
    )
    found = json.loads(run.stdout)
    assert set(found) == {"added", "removed", "changed", "moved", "same", "unreadable"}
    assert found["moved"] == [{"old": "flora/f031/f031.brm", "new": "flora/reef/f031.brm"}]
    assert "version.txt" in found["changed"]


def test_the_profile_that_fits_is_found_with_reasons(game: Path, newer: Path, tmp_path: Path) -> None:
    own = game_knowledge(game).profile
    other = build_profile("profile: 1\nname: Other\nlayers: [{name: x, match: [nothing.pak]}]\n", "o", None).profile
    [fit] = detect(game, [other, own], CONTEXT)
    assert fit.profile is own
    assert fit.version == "1"
    assert any("Brinepost pack" in reason for reason in fit.reasons)
    assert any("version.txt is there and says '1.'" in reason for reason in fit.reasons)
    assert detect(newer, [own], CONTEXT)[0].version == "2"
    assert detect(tmp_path, [own, Profile()], CONTEXT) == []


TABLE = GameTable(
    file="t.csv", group="people", id="code", name="name", model="act_{id}/*.mdl", skeleton="act_{id}/*.bones"
)


def test_cards_name_what_is_missing() -> None:
    rows = read_rows(memoryview("code;name\n07;Ada\n08;Béla\n;nobody\n".encode()), "t.csv")
    names = names_by_code(TABLE, rows)
    assert names == {"07": "Ada", "08": "Béla"}
    paths = ("act_07/a.mdl", "act_07/a.bones", "act_08/x.txt")
    first, second = build_cards(
        TABLE, rows_by_code(TABLE, rows), lambda pattern: tuple(p for p in paths if matches(p, [pattern]))
    )
    assert first.parts == {"model": ("act_07/a.mdl",), "skeleton": ("act_07/a.bones",)}
    assert first.missing == ()
    assert second.missing == ("model", "skeleton")


@pytest.mark.parametrize(("data", "word"), [(b"name,role\nAda,x\n", "lacks a column"), (b"\xff\xfe\x00", "not UTF-8")])
def test_bad_tables_say_why(data: bytes, word: str) -> None:
    with pytest.raises(InputError, match=word):
        names_by_code(TABLE, read_rows(memoryview(data), "t.csv"))


@pytest.mark.parametrize(
    "text", ["profile: 1\n", "profile: 2\nname: x\n", "name: [", "profile: 1\nname: x\nkeys: [{value: 1}]"]
)
def test_a_profile_that_does_not_hold_together_says_where(text: str) -> None:
    with pytest.raises(InputError) as caught:
        build_profile(text, "mine.yaml", None)
    assert caught.value.fault.file == "mine.yaml"
