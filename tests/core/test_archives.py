"""TAR, 7z and compressed files, also under other names."""

import bz2
import gzip
import io
import lzma
import tarfile
from pathlib import Path

import libarchive
import pytest
import zstandard

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.open import open_sources
from tests.conftest import stack_of

CONTEXT = Context()
FILES = {"a/one.txt": b"first" * 50, "b/two.png": b"\x89PNG\r\n\x1a\nrest", "c": b"DDS plain"}


def tar_bytes(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        for name, data in files.items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            archive.addfile(info, io.BytesIO(data))
    return out.getvalue()


PACKINGS = {
    "tar": lambda d: d,
    "tar.gz": gzip.compress,
    "tar.bz2": bz2.compress,
    "tar.xz": lzma.compress,
    "tar.zst": lambda d: zstandard.ZstdCompressor().compress(d),
}


@pytest.mark.parametrize("ending", list(PACKINGS))
def test_tars_of_every_compression(tmp_path: Path, ending: str) -> None:
    (tmp_path / f"things.{ending}").write_bytes(PACKINGS[ending](tar_bytes(FILES)))
    stack = stack_of(tmp_path, Knowledge())
    assert stack.problems == []
    assert set(stack.entries) == set(FILES)
    assert {path: bytes(stack.read(path, CONTEXT)) for path in FILES} == FILES
    assert stack.entries["c"].kind == "texture"


def test_a_tar_under_another_name(tmp_path: Path) -> None:
    (tmp_path / "saved.game").write_bytes(tar_bytes(FILES))
    assert set(stack_of(tmp_path, Knowledge()).entries) == set(FILES)


def test_seven_zip(tmp_path: Path) -> None:
    home = tmp_path / "src"
    for name, data in FILES.items():
        (home / name).parent.mkdir(parents=True, exist_ok=True)
        (home / name).write_bytes(data)
    target = tmp_path / "x" / "things.dat"
    target.parent.mkdir()
    with libarchive.file_writer(str(target), "7zip") as archive:
        for name, data in FILES.items():
            archive.add_file_from_memory(name, len(data), data)
    stack = stack_of(target.parent, Knowledge())
    assert {path: bytes(stack.read(path, CONTEXT)) for path in stack.entries} == FILES


@pytest.mark.parametrize("ending", ["gz", "bz2", "xz", "zst"])
def test_one_compressed_file(tmp_path: Path, ending: str) -> None:
    (tmp_path / f"notes.txt.{ending}").write_bytes(PACKINGS[f"tar.{ending}"](b"hello " * 100))
    stack = stack_of(tmp_path, Knowledge())
    assert set(stack.entries) == {"notes.txt", f"notes.txt.{ending}"}
    assert stack.entries["notes.txt"].size == 600
    assert bytes(stack.read("notes.txt", CONTEXT)) == b"hello " * 100


def test_hostile_members_are_tamed(tmp_path: Path) -> None:
    data = tar_bytes({"../../etc/x.txt": b"1", "/abs.txt": b"2", "fine.txt": b"3"})
    (tmp_path / "h.tar").write_bytes(data)
    stack = stack_of(tmp_path, Knowledge())
    assert set(stack.entries) == {"etc/x.txt", "abs.txt", "fine.txt"}
    assert len(stack.problems) == 2


def test_a_bomb_is_left_alone(tmp_path: Path) -> None:
    (tmp_path / "bomb.bin.gz").write_bytes(gzip.compress(bytes(300 << 20), 9))
    [opened] = open_sources(tmp_path / "bomb.bin.gz", Knowledge())
    with pytest.raises(InputError, match="implausibly"):
        opened.source.listing(CONTEXT)


@pytest.mark.parametrize("cut", [30, 200])
def test_cut_archives_say_so(tmp_path: Path, cut: int) -> None:
    data = gzip.compress(tar_bytes(FILES))
    (tmp_path / "cut.tar.gz").write_bytes(data[: len(data) - cut])
    (tmp_path / "note.txt").write_text("still here")
    stack = stack_of(tmp_path, Knowledge())
    assert "note.txt" in stack.entries
    assert stack.problems
    assert stack.problems[0].file == "cut.tar.gz"


def test_single_compressed_files_keep_their_folder_and_hide_nothing(tmp_path: Path) -> None:
    (tmp_path / "maps").mkdir()
    files = {
        "maps/sea.json.gz": gzip.compress(b'{"deep": 1}'),
        "maps/sky.txt.gz": gzip.compress(b"packed sky"),
        "maps/sky.txt": b"plain sky",
        "maps/two.csv.bz2": bz2.compress(b"a,b"),
        "maps/two.csv.gz": gzip.compress(b"c,d"),
        "sea.json.gz": gzip.compress(b'{"shallow": 2}'),
        "bare.xz": lzma.compress(b"bare"),
        "cut.txt.gz": gzip.compress(b"x" * 5000)[:20],
    }
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    [opened] = open_sources(tmp_path, Knowledge())
    listing = opened.source.listing(Context())
    paths = [entry.path for entry in listing.entries]
    assert len(paths) == len(set(paths))
    assert set(files) <= set(paths), "what came is there as it came"
    inside = {
        "maps/sea.json": b'{"deep": 1}',
        "maps/sky.txt.gz.txt": b"packed sky",
        "maps/two.csv": b"a,b",
        "maps/two.csv.gz.csv": b"c,d",
        "sea.json": b'{"shallow": 2}',
        "bare": b"bare",
    }
    assert set(paths) == set(files) | set(inside)
    for path, data in (files | inside).items():
        assert bytes(opened.source.read(path, Context())) == data, path
    sizes = {entry.path: entry.size for entry in listing.entries}
    assert all(sizes[path] == len(data) for path, data in inside.items())
    assert [fault.file for fault in listing.problems] == ["cut.txt.gz"]
    with pytest.raises(InputError):
        opened.source.read("maps/none.json", Context())
