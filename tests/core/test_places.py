"""Names from strangers, files below a folder, and writing: nothing leaves its folder, nothing is lost, half or unseen."""

from __future__ import annotations

import errno
import os
import resource
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.base.writing import cannot_write, make_folder, write_below
from pruxel.core.disk.below import find_below, open_below, walk_files
from pruxel.core.disk.files import map_file, read_file, steady
from pruxel.core.disk.names import Places, free_name, is_sound, safe_part, safe_path, unique_name
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile_files import build_profile, find_profiles
from pruxel.core.sources.folder import FolderSource
from pruxel.core.sources.open import open_sources
from pruxel.core.sources.origin import split_address
from tests.conftest import stack_of

CONTEXT = Context()
_NAMES = st.text(
    st.sampled_from(list('aAb./\\:.. ~*?"<>|\n\t\0\x7f\u202e\u2066\u200f\ufeff\ud800é灯\U0001f980cCoOnN1')), max_size=40
)
_LONG = st.builds(
    lambda text, times: text * times, st.sampled_from(["灯", "x", "a/", "../", "e\u0301", ". "]), st.integers(0, 700)
)


@settings(max_examples=500)
@given(_NAMES | _LONG | st.builds(lambda a, b: a + b, _LONG, _NAMES))
def test_a_safe_path_is_sound_and_stays_as_it_is(name: str) -> None:
    safe = safe_path(name)
    assert is_sound(safe)
    assert safe_path(safe) == safe
    assert not Path(safe).is_absolute()
    for part in safe.split("/"):
        assert 0 < len(os.fsencode(part)) <= 230
        assert part == part.rstrip(" .")
        assert safe_part(part) == part


@settings(max_examples=200)
@given(
    st.lists(st.lists(st.sampled_from(["a", "A", "b", "a-2", "c.txt", "C.TXT"]), min_size=1, max_size=4), max_size=30)
)
def test_places_never_meet(paths: list[list[str]]) -> None:
    """As many files as paths, no two the same in any letter case, and none where a folder is."""
    places = Places()
    taken = [places.take("/".join(parts)) for parts in paths]
    lowered = [place.lower() for place in taken]
    assert len(set(lowered)) == len(lowered)
    folders = {place.rsplit("/", n)[0].lower() for place in taken for n in range(1, place.count("/") + 1)}
    assert not folders & set(lowered)


def test_a_hundred_thousand_of_one_name_are_numbered_in_a_row() -> None:
    taken: set[str] = set()
    names = [unique_name("x.bin", taken) for _ in range(20_000)]
    assert names[:3] == ["x.bin", "x-2.bin", "x-3.bin"]
    assert names[-1] == "x-20000.bin"
    assert free_name("folder.d/x", {"folder.d/x"}) == "folder.d/x-2"


ODD = [
    b"plain.txt",
    b"tab\there.txt",
    b"line\nbreak.txt",
    b"back\\slash.txt",
    b"not utf-8 \xff\xfe.txt",
    "right\u202eto left.txt".encode(),
    "\u706f".encode() * 80 + b".txt",
    b"x" * 250 + b".txt",
    b"a_b.txt",
    b"a\nb.txt",
    b"con.txt",
    b"dots...",
    b" blank ",
    b"-dash",
]


@pytest.fixture
def odd(tmp_path: Path) -> Path:
    """A folder of odd names, with folders of odd names, and links of every kind."""
    root = tmp_path / "odd"
    for folder in (b"", b"in\nner", b"in\nner/de\xffep"):
        place = root / os.fsdecode(folder)
        place.mkdir(parents=True, exist_ok=True)
        for name in ODD:
            (place / os.fsdecode(name)).write_bytes(folder + b"|" + name)
    (tmp_path / "outside").mkdir()
    (tmp_path / "outside" / "secret.txt").write_bytes(b"secret")
    (root / "leads out.txt").symlink_to(tmp_path / "outside/secret.txt")
    (root / "leads out").symlink_to(tmp_path / "outside")
    (root / "circle").symlink_to(root / "circle")
    (root / "dangling").symlink_to(root / "nothing")
    (root / "within.txt").symlink_to(root / "plain.txt")
    os.mkfifo(root / "pipe")
    return root


def test_odd_names_are_shown_sound_told_and_read(odd: Path) -> None:
    source = FolderSource(odd)
    listing = source.listing(CONTEXT)
    paths = [entry.path for entry in listing.entries]
    assert len(paths) == len(set(paths)) == 3 * len(ODD) + 1
    assert all(is_sound(path) for path in paths)
    found = {bytes(source.read(path, CONTEXT)) for path in paths}
    folders = (b"", b"in\nner", b"in\nner/de\xffep")
    assert found == {folder + b"|" + name for folder in folders for name in ODD}
    told = [fault for fault in listing.problems if fault.code is ErrorCode.UNSAFE_NAME]
    assert len(told) == 3 * 6 + 2
    assert any("\\u202e" in str(fault.found) for fault in told)
    assert "secret" not in "".join(paths)


@pytest.mark.parametrize(
    "path", ["leads out.txt", "leads out/secret.txt", "../outside/secret.txt", "circle", "pipe", ".", "", "a\0b"]
)
def test_nothing_outside_a_folder_is_read(odd: Path, path: str) -> None:
    with pytest.raises(InputError):
        FolderSource(odd).read(path, CONTEXT)


def test_what_is_opened_below_a_folder_lies_there(odd: Path) -> None:
    os.close(open_below(odd, odd / "within.txt"))
    for name in ("leads out.txt", "leads out/secret.txt", "pipe", "circle", "../outside/secret.txt"):
        with pytest.raises(InputError):
            os.close(open_below(odd, odd / name))
    assert find_below(odd, "plain.txt") == odd / "plain.txt"
    assert find_below(odd, "leads out.txt") is None
    assert [path for path, _ in walk_files(odd / "nothing")] == []


def test_a_linked_profile_or_layout_is_none(tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "profile.yaml").write_text("profile: 1\nname: Theirs\n")
    (outside / "x.layout.yaml").write_text("layout: x\nreads: data\nrecords: {file: []}\n")
    home = tmp_path / "home"
    home.mkdir()
    (home / "profile.yaml").symlink_to(outside / "profile.yaml")
    (home / "x.layout.yaml").symlink_to(outside / "x.layout.yaml")
    assert find_profiles(home) == []
    with pytest.raises(InputError, match="not there"):
        build_profile("profile: 1\nname: Mine\nlayouts: ['*.layout.yaml']\n", "mine", home)


def test_one_pack_that_cannot_be_opened_is_its_own_problem(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever opening a pack throws, foreseen or not, the others of its folder are there."""
    import zipfile

    from pruxel.core.sources import open as opening

    for name in ("good.zip", "bad.zip"):
        with zipfile.ZipFile(tmp_path / name, "w") as archive:
            archive.writestr(f"{name}.txt", "text")
    real = opening.open_origin

    def fails(origin: object, knowledge: Knowledge) -> object:
        if getattr(origin, "name", "") == "bad.zip":
            raise KeyError("nobody thought of this")
        return real(origin, knowledge)  # type: ignore[arg-type]

    monkeypatch.setattr(opening, "open_origin", fails)
    labels = [opened.source.label for opened in open_sources(tmp_path, Knowledge())]
    assert {"good.zip", "bad.zip"} <= set(labels)
    stack = stack_of(tmp_path, Knowledge())
    assert "good.zip.txt" in stack.entries
    assert any("bad.zip" in str(fault.file) and "KeyError" in fault.message for fault in stack.problems)


def test_a_name_with_the_mark_of_addresses_is_found(tmp_path: Path) -> None:
    (tmp_path / "wow!").mkdir()
    (tmp_path / "wow!" / "a!b.zip").touch()
    assert split_address(f"{tmp_path}/wow!/a!b.zip!in/side!more") == (
        tmp_path / "wow!" / "a!b.zip",
        ["in/side", "more"],
    )
    assert split_address(f"{tmp_path}/gone!x") == (tmp_path / "gone", ["x"])


# ---- files that change while they are read


def test_a_mapped_file_that_shrinks_is_told_of(tmp_path: Path) -> None:
    """Touching the mapping itself would end the process; reading through the descriptor does not."""
    file = tmp_path / "large.bin"
    file.write_bytes(bytes(range(256)) * 400)
    view = map_file(file)
    assert bytes(steady(view[1000:1256])) == bytes(view[1000:1256])
    assert bytes(steady(view[5:5])) == b""
    os.truncate(file, 5000)
    assert len(steady(view[:5000])) == 5000
    with pytest.raises(InputError, match="shorter") as told:
        steady(view[4000:6000])
    assert told.value.fault.code is ErrorCode.SOURCE_CHANGED
    assert told.value.fault.found == "5,000"
    assert len(read_file(file)) == 5000
    file.write_bytes(b"")
    assert len(read_file(file)) == 0


@pytest.mark.parametrize("name", ["pack.zip", "model.glb"])
def test_sources_tell_of_shrinking_files_instead_of_dying(tmp_path: Path, name: str) -> None:
    import zipfile

    place = tmp_path / name
    if name.endswith("zip"):
        with zipfile.ZipFile(place, "w", zipfile.ZIP_STORED) as archive:
            for number in range(40):
                archive.writestr(f"{number}.bin", os.urandom(50_000))
    else:
        place.write_bytes(b"glTF\x02\0\0\0" + os.urandom(300_000))
    [opened] = [o for o in open_sources(place, Knowledge()) if o.source.label == name]
    entries = opened.source.listing(CONTEXT).entries
    os.truncate(place, 4096)
    for entry in entries:
        try:
            assert len(opened.source.read(entry.path, CONTEXT)) in {entry.size, 4096}
        except InputError as error:
            assert name.split(".", maxsplit=1)[0] in str(error)


# ---- writing


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(_NAMES, min_size=1, max_size=12))
def test_everything_is_written_below_its_folder(tmp_path_factory: pytest.TempPathFactory, names: list[str]) -> None:
    base = tmp_path_factory.mktemp("writing")
    root = base / "root"
    root.mkdir()
    places, written = Places(), {}
    for number, name in enumerate(names):
        place = places.take(safe_path(name))
        write_below(root, place, [str(number).encode(), b"|", name.encode("utf-8", "replace")])
        written[place] = number
    files = {path.relative_to(root).as_posix(): path.read_bytes() for path in root.rglob("*") if path.is_file()}
    assert {path: int(data.split(b"|")[0]) for path, data in files.items()} == written
    assert [path.name for path in base.iterdir()] == ["root"]


@pytest.mark.parametrize("path", ["../x", "a/../../x", "/x", "a//x", "./x", "", "a/", "a\0b"])
def test_what_is_no_plain_path_is_not_written(tmp_path: Path, path: str) -> None:
    with pytest.raises(UsageError):
        write_below(tmp_path, path, [b"x"])
    assert list(tmp_path.iterdir()) == []


def test_links_are_not_followed_when_writing(tmp_path: Path) -> None:
    root, outside = tmp_path / "root", tmp_path / "outside"
    root.mkdir()
    outside.mkdir()
    (outside / "kept.txt").write_text("kept")
    (root / "folder").symlink_to(outside)
    (root / "file.txt").symlink_to(outside / "kept.txt")
    (root / ".partly.txt.partial").symlink_to(outside / "kept.txt")
    with pytest.raises(OSError, match=r"."):
        write_below(root, "folder/kept.txt", [b"changed"])
    with pytest.raises(OSError, match=r"."):
        write_below(root, "partly.txt", [b"changed"])
    write_below(root, "file.txt", [b"changed"])
    assert (outside / "kept.txt").read_text() == "kept"
    assert (root / "file.txt").read_text() == "changed"
    assert not (root / "file.txt").is_symlink()


def test_what_fails_half_way_leaves_nothing(tmp_path: Path) -> None:
    (tmp_path / "x.txt").write_text("before")

    def pieces() -> object:
        yield b"some"
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        write_below(tmp_path, "x.txt", pieces())  # type: ignore[arg-type]
    assert [path.name for path in tmp_path.iterdir()] == ["x.txt"]
    assert (tmp_path / "x.txt").read_text() == "before"


def test_a_disk_without_room_is_called_that(tmp_path: Path) -> None:
    """A process that may write files of 100 kB only stands in for a full disk."""
    program = (
        "import sys, signal\nfrom pathlib import Path\nfrom pruxel.core.base.writing import write_below, cannot_write\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "try:\n    write_below(Path(sys.argv[1]), 'a/b.bin', [bytes(1000)] * 1000)\n"
        "except OSError as error:\n    print(cannot_write(error, 'a/b.bin').fault.line())\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, str(tmp_path)],
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000)),
        capture_output=True,
        text=True,
        check=True,
    )
    assert "no room left" in done.stdout
    assert [path.name for path in tmp_path.rglob("*")] == ["a"]


@pytest.mark.parametrize(
    ("number", "code", "words"),
    [
        (errno.ENOSPC, ErrorCode.NO_SPACE, "no room"),
        (errno.EROFS, ErrorCode.CONFLICT, "read-only"),
        (errno.EACCES, ErrorCode.CONFLICT, "may not write"),
        (errno.ENAMETOOLONG, ErrorCode.CONFLICT, "too long"),
        (errno.ENOTDIR, ErrorCode.CONFLICT, "stand in its place"),
    ],
)
def test_each_reason_has_its_words(number: int, code: ErrorCode, words: str) -> None:
    fault = cannot_write(OSError(number, os.strerror(number)), "x").fault
    assert fault.code is code
    assert words in fault.line()


def test_a_folder_that_cannot_be_made_is_told(tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    with pytest.raises(InputError, match="file/below"):
        make_folder(tmp_path / "file" / "below")
