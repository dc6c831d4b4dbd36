"""Folders, ZIPs and packs, whole and broken."""

import struct
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.disk.names import safe_path, unique_name
from pruxel.core.sources.folder import FolderSource
from pruxel.core.sources.open import open_sources
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.stack import Stack, build_stack
from pruxel.core.sources.zips import ZipSource
from tests.conftest import CRAB, game_knowledge, stack_of

CONTEXT = Context()


def test_the_game_lists_whole_and_reads_with_checksums(stack: Stack) -> None:
    assert [fault.code for fault in stack.problems] == [ErrorCode.KEY_NEEDED]
    kinds = {entry.kind for entry in stack.entries.values()}
    assert {"model", "texture", "material", "text"} <= kinds
    for path, entry in stack.entries.items():
        assert len(stack.read(path, CONTEXT)) == entry.size


def test_higher_sources_shadow_lower_ones(game: Path, tmp_path: Path) -> None:
    (tmp_path / "reef.brp").symlink_to(game / "reef.brp")
    (tmp_path / CRAB).parent.mkdir(parents=True)
    (tmp_path / CRAB).write_bytes(b"mine")
    known = game_knowledge(game)
    packs = [o.source for o in open_sources(game / "reef.brp", known)]
    stack = build_stack([*packs, FolderSource(tmp_path, known)], known.profile, CONTEXT)
    assert stack.entries[CRAB].source == tmp_path.name
    assert stack.entries[CRAB].shadowed == ("reef.brp",)
    assert bytes(stack.read(CRAB, CONTEXT)) == b"mine"


def test_references_look_beside_then_anywhere(stack: Stack) -> None:
    references = stack
    assert references.resolve("TEX\\crab\\crab_body_c.DDS", "x/y").path == "tex/crab/crab_body_c.dds"
    assert references.resolve("crab_body_n.dds", "x").path == "tex/crab/crab_body_n.dds"
    assert references.resolve("crab_body.bmt", "mat/other.bmt").path == "mat/crab_body.bmt"
    gone = references.resolve("crab_bodyy_n.dds", "x")
    assert gone.path is None
    assert "tex/crab/crab_body_n.dds" in gone.near


def test_truncated_pack_is_one_problem_and_the_rest_goes_on(game: Path, tmp_path: Path) -> None:
    data = (game / "reef.brp").read_bytes()
    (tmp_path / "cut.brp").write_bytes(data[: len(data) // 2])
    (tmp_path / "note.txt").write_text("still here")
    stack = stack_of(tmp_path, game_knowledge(game))
    assert list(stack.entries) == ["note.txt"]
    [fault] = stack.problems
    assert fault.file == "cut.brp"
    assert fault.offset is not None
    assert fault.expected
    assert "bytes" in (fault.found or "")


def test_an_entry_outside_the_pack_is_told_and_the_others_stay(game: Path, tmp_path: Path) -> None:
    data = bytearray((game / "reef.brp").read_bytes())
    table_at = struct.unpack_from("<Q", data, 16)[0]
    struct.pack_into("<Q", data, table_at + 8, 2**40)
    (tmp_path / "bent.brp").write_bytes(data)
    stack = stack_of(tmp_path, game_knowledge(game))
    [fault] = stack.problems
    assert fault.code is ErrorCode.ENTRY_OUTSIDE_FILE
    assert fault.offset == 2**40
    assert len(stack.entries) > 50


def test_a_damaged_entry_fails_its_checksum(game: Path, tmp_path: Path) -> None:
    data = bytearray((game / "reef.brp").read_bytes())
    known = game_knowledge(game)
    table_at, count = struct.unpack_from("<Q", data, 16)[0], struct.unpack_from("<I", data, 8)[0]
    stored = [i for i in range(count) if data[table_at + 28 * i + 4] == 0]
    offset = struct.unpack_from("<Q", data, table_at + 28 * stored[0] + 8)[0]
    data[offset] ^= 255
    (tmp_path / "hurt.brp").write_bytes(data)
    stack = stack_of(tmp_path, known)
    faults = []
    for path in stack.entries:
        try:
            stack.read(path, CONTEXT)
        except InputError as error:
            faults.append(error.fault)
    [fault] = faults
    assert fault.code is ErrorCode.CHECKSUM
    assert fault.expected != fault.found


@given(st.data())
def test_damaged_tables_never_escape(game: Path, tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    raw = bytearray((game / "reef.brp").read_bytes()[-9000:])
    small = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, 40, 4000, 32) + bytes(raw)
    broken = bytearray(small)
    for _ in range(data.draw(st.integers(1, 12))):
        broken[data.draw(st.integers(4, len(broken) - 1))] = data.draw(st.integers(0, 255))
    folder = tmp_path_factory.mktemp("broken")
    (folder / "x.brp").write_bytes(broken)
    stack = stack_of(folder, game_knowledge(game))
    for path in stack.entries:
        assert ".." not in path.split("/")
        try:
            stack.read(path, CONTEXT)
        except InputError as error:
            assert error.fault.file


def hostile_zip(path: Path) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("../../etc/evil.txt", "up")
        archive.writestr("/abs/evil.txt", "root")
        archive.writestr("C:\\win\\evil.txt", "drive")
        archive.writestr("fine/ok.txt", "ok")
        archive.writestr("bomb.bin", b"\0" * (12 << 20))


def test_a_hostile_zip_is_tamed(tmp_path: Path) -> None:
    hostile_zip(tmp_path / "h.zip")
    source = ZipSource(origin_of_file(tmp_path / "h.zip"))
    listing = source.listing(CONTEXT)
    paths = {entry.path for entry in listing.entries}
    assert paths == {"etc/evil.txt", "abs/evil.txt", "win/evil.txt", "fine/ok.txt", "bomb.bin"}
    codes = [problem.code for problem in listing.problems]
    assert codes.count(ErrorCode.UNSAFE_NAME) == 3
    assert codes.count(ErrorCode.BUDGET) == 1
    assert bytes(source.read("fine/ok.txt", CONTEXT)) == b"ok"
    with pytest.raises(InputError, match="implausibly"):
        source.read("bomb.bin", CONTEXT)


def test_a_cut_zip_says_so(tmp_path: Path) -> None:
    hostile_zip(tmp_path / "h.zip")
    data = (tmp_path / "h.zip").read_bytes()
    (tmp_path / "h.zip").write_bytes(data[:-30])
    with pytest.raises(InputError, match="directory"):
        ZipSource(origin_of_file(tmp_path / "h.zip")).listing(CONTEXT)


def test_links_out_of_a_folder_are_left_alone(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "secret.txt").write_text("secret")
    (tmp_path / "in" / "link.txt").symlink_to(tmp_path / "secret.txt")
    source = FolderSource(tmp_path / "in")
    assert source.listing(CONTEXT).entries == ()
    for path in ("link.txt", "../secret.txt"):
        with pytest.raises(InputError):
            source.read(path, CONTEXT)


@given(st.text(max_size=300))
def test_safe_paths_are_safe(name: str) -> None:
    path = safe_path(name)
    parts = path.split("/")
    assert path
    assert not path.startswith("/")
    assert all(part not in {"", ".", ".."} for part in parts)
    assert all(len(part) <= 140 for part in parts)
    assert not any(ord(c) < 32 for c in path)
    assert safe_path(path) == path


def test_unique_names_ignore_case() -> None:
    taken: set[str] = set()
    assert [unique_name(n, taken) for n in ("A.png", "a.png", "A.PNG", "b")] == ["A.png", "a-2.png", "A-3.PNG", "b"]
