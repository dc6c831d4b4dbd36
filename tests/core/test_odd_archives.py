"""Archives as the world has them: odd names, odd sizes, links and holes, and bytes that were damaged on the way.

Whatever stands in an archive, what is well is listed and read; the rest is told with its place.
"""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import struct
import tarfile
import warnings
import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.disk.names import safe_path
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.open import open_sources
from tests.conftest import stack_of

CONTEXT = Context()
BODY = b"DDS body of an entry " * 20
ODD_NAMES = [
    "plain.txt",
    "../climbs.txt",
    "../../../../etc/passwd",
    "/from/the/root.txt",
    "C:\\games\\drive.txt",
    "back\\slash\\folder.txt",
    "a/./b/../c.txt",
    "dots/...",
    "..",
    ".",
    "",
    "/",
    "trailing /blank .txt ",
    "con",
    "NUL.txt",
    "a:b?c*d|e<f>g.txt",
    "tab\there.txt",
    "line\nbreak.txt",
    "right\u202eto left.txt",
    "\u706f/\u5c4b\u53f0.txt",
    "e\u0301 and \u00e9.txt",
    "\U0001f980.txt",
    "~tilde/file",
    "-dash.txt",
    "x" * 300 + ".txt",
    "\u706f" * 200 + ".txt",
    "deep/" * 80 + "end.txt",
]


def zipped(files: list[tuple[str, bytes]], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    held = io.BytesIO()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # doubled names are the point
        with zipfile.ZipFile(held, "w", method) as out:
            for name, data in files:
                out.writestr(zipfile.ZipInfo(name) if name else _nameless(), data, method)
    return held.getvalue()


def _nameless() -> zipfile.ZipInfo:
    info = zipfile.ZipInfo("x")
    info.filename = ""
    return info


def tarred(files: list[tuple[str, bytes]], form: int = tarfile.PAX_FORMAT) -> bytes:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w", format=form) as out:
        for name, data in files:
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            out.addfile(entry, io.BytesIO(data))
    return held.getvalue()


def holds(folder: Path, name: str, data: bytes) -> dict[str, bytes]:
    """What an archive holds, all of it read; every problem has words and a file."""
    (folder / name).write_bytes(data)
    [source] = [o.source for o in open_sources(folder, Knowledge()) if o.source.kind != "folder"]
    listing = source.listing(CONTEXT)
    assert all(fault.file and fault.message for fault in listing.problems)
    paths = [entry.path for entry in listing.entries]
    assert len(set(paths)) == len(paths)
    return {entry.path: bytes(source.read(entry.path, CONTEXT)) for entry in listing.entries}


def is_tame(path: str) -> bool:
    """Whether a path can be written below any folder of any system without leaving it."""
    parts = path.split("/")
    return bool(path) and all(part not in {"", ".", ".."} for part in parts) and "\0" not in path and "\\" not in path


@pytest.mark.parametrize("name", ODD_NAMES, ids=lambda n: ascii(n[:24]))
def test_any_name_in_a_zip_is_made_safe_and_read(tmp_path: Path, name: str) -> None:
    found = holds(tmp_path, "odd.zip", zipped([(name, BODY), ("fine.txt", b"fine")]))
    assert found.pop("fine.txt") == b"fine"
    if name.endswith("/"):
        assert found == {}  # a folder
        return
    [(path, data)] = found.items()
    assert data == BODY
    assert is_tame(path), path


@pytest.mark.parametrize("name", [n for n in ODD_NAMES if n.strip("/")], ids=lambda n: ascii(n[:24]))
@pytest.mark.parametrize("form", [tarfile.PAX_FORMAT, tarfile.GNU_FORMAT], ids=["pax", "gnu"])
def test_any_name_in_a_tar_is_made_safe_and_read(tmp_path: Path, name: str, form: int) -> None:
    found = holds(tmp_path, "odd.tar", tarred([(name, BODY), ("fine.txt", b"fine")], form))
    assert found.pop("fine.txt") == b"fine"
    [(path, data)] = found.items()
    assert data == BODY
    assert is_tame(path), path


@given(st.text(max_size=60))
def test_any_text_becomes_a_tame_path(name: str) -> None:
    made = safe_path(name)
    assert is_tame(made), made
    assert safe_path(made) == made


def test_doubled_names_are_kept_apart(tmp_path: Path) -> None:
    found = holds(tmp_path, "twice.zip", zipped([("a.txt", b"one"), ("a.txt", b"two"), ("./a.txt", b"three")]))
    assert sorted(found.values()) == [b"one", b"three", b"two"]


@pytest.mark.parametrize(
    "method",
    [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA],
    ids=lambda m: f"method {m}",
)
def test_every_way_of_packing_a_zip(tmp_path: Path, method: int) -> None:
    assert holds(tmp_path, "a.zip", zipped([("a/b.dds", BODY), ("empty", b"")], method)) == {
        "a/b.dds": BODY,
        "empty": b"",
    }


def test_a_zip_behind_other_bytes_and_with_a_comment(tmp_path: Path) -> None:
    data = zipped([("a.txt", BODY)])
    comment = b"made by hand " * 9
    data = data[:-2] + struct.pack("<H", len(comment)) + comment
    assert holds(tmp_path, "a.zip", data) == {"a.txt": BODY}


def test_an_encrypted_entry_is_listed_and_its_reading_refused(tmp_path: Path) -> None:
    data = bytearray(zipped([("secret.txt", BODY), ("open.txt", b"open")], zipfile.ZIP_STORED))
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        data[data.index(mark) + at] |= 1
    (tmp_path / "s.zip").write_bytes(data)
    stack = stack_of(tmp_path, Knowledge())
    assert set(stack.entries) >= {"secret.txt", "open.txt"}
    assert bytes(stack.read("open.txt", CONTEXT)) == b"open"
    with pytest.raises(InputError) as refused:
        stack.read("secret.txt", CONTEXT)
    assert refused.value.fault.file == "s.zip/secret.txt"


def test_links_and_devices_in_a_tar_are_no_files(tmp_path: Path) -> None:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w") as out:
        for kind, target in ((tarfile.SYMTYPE, "/etc/passwd"), (tarfile.LNKTYPE, "real.txt"), (tarfile.FIFOTYPE, ""), (tarfile.CHRTYPE, "")):  # fmt: skip
            entry = tarfile.TarInfo(f"odd-{kind.decode()}")
            entry.type, entry.linkname = kind, target
            out.addfile(entry)
        real = tarfile.TarInfo("real.txt")
        real.size = 4
        out.addfile(real, io.BytesIO(b"real"))
    found = holds(tmp_path, "links.tar", held.getvalue())
    assert found["real.txt"] == b"real"
    assert b"root:" not in b"".join(found.values())


def test_an_archive_inside_an_archive_is_an_entry_that_can_be_entered(tmp_path: Path) -> None:
    inner = zipped([("deep.txt", b"deep")])
    (tmp_path / "outer.zip").write_bytes(zipped([("maps/inner.zip", inner), ("top.txt", b"top")]))
    assert set(stack_of(tmp_path, Knowledge()).entries) >= {"maps/inner.zip", "top.txt"}


@pytest.mark.parametrize(
    "data", [b"", b"PK\x05\x06" + bytes(18), b"PK\x03\x04", b"\x1f\x8b", b"BZh9", b"7z\xbc\xaf\x27\x1c"]
)
def test_what_only_begins_like_an_archive_harms_only_itself(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "begun.pak").write_bytes(data)
    (tmp_path / "fine.txt").write_text("fine")
    stack = stack_of(tmp_path, Knowledge())
    assert bytes(stack.read("fine.txt", CONTEXT)) == b"fine"
    assert all(fault.message for fault in stack.problems)


FORMS = {
    "a.zip": zipped([("a.txt", BODY), ("b/c.dds", BODY * 3), ("d", b"")]),
    "lzma.zip": zipped([("a.txt", BODY), ("b/c.dds", BODY * 3)], zipfile.ZIP_LZMA),
    "bz.zip": zipped([("a.txt", BODY), ("b/c.dds", BODY * 3)], zipfile.ZIP_BZIP2),
    "a.tar": tarred([("a.txt", BODY), ("b/c.dds", BODY * 3), ("\u706f", b"x")]),
    "a.tar.gz": gzip.compress(tarred([("a.txt", BODY), ("b/c.dds", BODY * 3)])),
    "a.tar.xz": lzma.compress(tarred([("a.txt", BODY), ("b/c.dds", BODY * 3)])),
    "a.txt.bz2": bz2.compress(BODY * 9),
    "a.txt.gz": gzip.compress(BODY * 9),
}


@settings(deadline=None, max_examples=250, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture])  # fmt: skip
@given(
    name=st.sampled_from(sorted(FORMS)),
    changes=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), min_size=0, max_size=5),
    head=st.booleans(),
    cut=st.floats(0, 1),
)
def test_a_damaged_archive_harms_only_itself(
    tmp_path_factory: pytest.TempPathFactory, name: str, changes: list[tuple[float, int]], *, head: bool, cut: float
) -> None:
    data = bytearray(FORMS[name])
    for place, value in changes:
        # Headers are where damage does most; they stand at the beginning and at the end.
        at = int(place * 60) if head else len(data) - 1 - int(place * min(len(data) - 1, 220))
        data[min(at, len(data) - 1)] = value
    if cut < 0.3:
        data = data[: int(len(data) * cut / 0.3)]
    folder = tmp_path_factory.mktemp("odd")
    (folder / name).write_bytes(data)
    (folder / "fine.dat").write_bytes(b"fine")
    stack = stack_of(folder, Knowledge())
    assert bytes(stack.read("fine.dat", CONTEXT)) == b"fine"
    assert all(fault.file and fault.message for fault in stack.problems)
    for path, entry in stack.entries.items():
        assert is_tame(path)
        assert 0 <= entry.size < 2**63
        try:
            stack.read(path, CONTEXT)
        except InputError as error:
            assert error.fault.file
