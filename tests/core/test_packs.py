"""Packs of every sort that the game has, whole and broken."""

import os
import shutil
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import load_layout
from pruxel.core.knowledge.keys import parse_key, shown_key
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.base import Source
from pruxel.core.sources.open import open_address, open_sources, reopen
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.packs import PackSource
from pruxel.sample.containers import VAULT_KEY, WRONG_KEY, bulk_bytes, fnv1a_64
from pruxel.sample.files import pack_bytes
from tests.conftest import game_knowledge, stack_of

CONTEXT = Context()


def one(game: Path, name: str, known: Knowledge) -> Source:
    [opened] = open_sources(game / name, known)
    return opened.source


def known_with(game: Path, **keys: bytes) -> Knowledge:
    known = game_knowledge(game)
    return Knowledge(known.profile, {k.replace("_", "-"): v for k, v in keys.items()}, known.names)


def test_layers_are_laid_in_the_profiles_order(game: Path) -> None:
    known = game_knowledge(game)
    labels = [o.source.label for o in open_sources(game, known)]
    assert labels[0] == "first.brp"
    assert labels.index("reef.brp") < labels.index("update_1.brp") < labels.index("lang_en.brp")
    assert labels[-1] == game.name
    english, german, none = (stack_of(game, known, lang) for lang in ("en", "de", None))
    assert b"Postmaster" in bytes(english.read("tables/people.csv", CONTEXT))
    assert b"Postmeisterin" in bytes(german.read("tables/people.csv", CONTEXT))
    assert "tables/people.csv" not in none.entries
    assert english.entries["text/readme.txt"].source == "update_1.brp"
    assert english.entries["text/readme.txt"].shadowed == ("reef.brp", "first.brp")


def test_a_locked_pack_tells_what_it_needs_and_opens(game: Path) -> None:
    with pytest.raises(InputError, match="needs the key 'reef-2'") as caught:
        one(game, "vault.brv", game_knowledge(game)).listing(CONTEXT)
    assert caught.value.fault.code is ErrorCode.KEY_NEEDED
    with pytest.raises(InputError, match="the key 'reef-2' does not open") as caught:
        one(game, "vault.brv", known_with(game, reef_2=WRONG_KEY)).listing(CONTEXT)
    assert caught.value.fault.code is ErrorCode.KEY_WRONG
    assert WRONG_KEY.hex() not in caught.value.fault.line()
    source = one(game, "vault.brv", known_with(game, reef_2=VAULT_KEY))
    paths = [e.path for e in source.listing(CONTEXT).entries]
    assert "gear/g777/g777.brm" in paths
    assert bytes(source.read("text/secret.txt", CONTEXT)).startswith(b"The anchor")


def test_another_key_of_the_ring_is_tried(game: Path) -> None:
    source = one(game, "vault.brv", known_with(game, reef_2=WRONG_KEY, old_one=VAULT_KEY))
    listing = source.listing(CONTEXT)
    assert any("opened with the key 'old-one'" in p.message for p in listing.problems)
    assert bytes(source.read("text/secret.txt", CONTEXT)).startswith(b"The anchor")


@pytest.mark.parametrize(
    "text", [VAULT_KEY.hex(), "0x" + VAULT_KEY.hex(), VAULT_KEY.hex(" "), "Wx4MkqfTT2iwbXHE6C+aEw=="]
)
def test_keys_are_typed_as_hex_or_base64(text: str) -> None:
    assert parse_key(text) == VAULT_KEY
    assert VAULT_KEY.hex() not in shown_key(VAULT_KEY)


def test_a_key_that_is_none_is_refused_without_being_repeated() -> None:
    with pytest.raises(Exception, match="this is no key") as caught:
        parse_key("my secret word!")
    assert "secret" not in str(caught.value)


def test_volumes_and_blocks(game: Path, tmp_path: Path) -> None:
    known = game_knowledge(game)
    source = one(game, "market.brl", known)
    sizes = {e.path: e.size for e in source.listing(CONTEXT).entries}
    assert all(len(source.read(path, CONTEXT)) == size for path, size in sizes.items())
    for name in ("market.brl", "market.b02"):
        shutil.copy(game / name, tmp_path)
    cut = one(tmp_path, "market.brl", known).listing(CONTEXT)
    [fault] = cut.problems
    assert fault.code is ErrorCode.VOLUME_MISSING
    assert "market.b01" in str(fault.expected)
    assert 0 < len(cut.entries) < len(sizes)


def test_a_cut_volume_fails_by_entry(game: Path, tmp_path: Path) -> None:
    for name in ("market.brl", "market.b02"):
        shutil.copy(game / name, tmp_path)
    (tmp_path / "market.b01").write_bytes((game / "market.b01").read_bytes()[:100])
    source = one(tmp_path, "market.brl", game_knowledge(game))
    faults = []
    for entry in source.listing(CONTEXT).entries:
        try:
            source.read(entry.path, CONTEXT)
        except InputError as error:
            faults.append(error.fault.code)
    assert faults
    assert set(faults) <= {ErrorCode.TRUNCATED, ErrorCode.CODEC}


def test_hashed_names_are_known_unknown_and_usable(game: Path) -> None:
    source = one(game, "deep.brh", game_knowledge(game))
    assert isinstance(source, PackSource)
    entries = source.listing(CONTEXT).entries
    unnamed = [e for e in entries if e.path.startswith("~unnamed/")]
    assert len(entries) == 60
    assert 0.2 < len(unnamed) / 60 < 0.45
    assert len(source.unknown_hashes()) == len(unnamed)
    assert all(e.kind == e.path.split("/")[1] for e in unnamed)
    assert {e.kind for e in unnamed} >= {"texture", "material"}
    assert all(len(source.read(e.path, CONTEXT)) == e.size for e in entries)
    named = next(e.path for e in entries if not e.path.startswith("~"))
    assert fnv1a_64(named.encode()) not in {int(h) for h in source.unknown_hashes()}


def test_versions_choose_the_layout_and_an_unknown_one_offers_the_nearest(game: Path, tmp_path: Path) -> None:
    known = game_knowledge(game)
    assert one(game, "first.brp", known).kind == "brine_pack_1"
    assert one(game, "reef.brp", known).kind == "brine_pack"
    data = bytearray((game / "lang_en.brp").read_bytes())
    struct.pack_into("<H", data, 4, 4)
    (tmp_path / "new.brp").write_bytes(data)
    with pytest.raises(InputError) as caught:
        one(tmp_path, "new.brp", known).listing(CONTEXT)
    fault = caught.value.fault
    assert (fault.code, fault.expected, fault.found) == (ErrorCode.UNKNOWN_VERSION, "version 1, 2", "version 4")
    assert "version 2, the nearest" in str(fault.hint)
    lenient = one(tmp_path, "new.brp", Knowledge(known.profile, any_version=True))
    assert "tables/people.csv" in [e.path for e in lenient.listing(CONTEXT).entries]


def test_a_pack_in_a_pack_opens_by_its_address(game: Path) -> None:
    known = game_knowledge(game)
    address = f"{game / 'update_1.brp'}!extra/hats.brp"
    [opened] = open_address(address, known, CONTEXT)
    assert opened.address == address
    again = reopen(address, opened.source.kind, known, CONTEXT)
    assert len(again.read("gear/g900/g900.brm", CONTEXT)) > 1000
    with pytest.raises(InputError, match="no pack"):
        open_address(f"{game / 'update_1.brp'}!text/readme.txt", known, CONTEXT)


def test_fifty_packs_in_each_other_stop_at_the_budget(game: Path, tmp_path: Path) -> None:
    data = pack_bytes({"end.txt": b"the end"})
    for _ in range(50):
        data = pack_bytes({"in.brp": data})
    (tmp_path / "deep.brp").write_bytes(data)
    known = game_knowledge(game)
    assert open_address(str(tmp_path / "deep.brp") + "!in.brp" * 5, known, CONTEXT)
    with pytest.raises(InputError, match="deeper than any real game"):
        open_address(str(tmp_path / "deep.brp") + "!in.brp" * 50, known, CONTEXT)


def table_of(path: Path, rows: list[tuple[str, int, int]], body: bytes = b"x" * 64) -> Path:
    """A pack whose table says what it likes."""
    names, table = b"", b""
    for name, offset, stored in rows:
        table += struct.pack("<IBxxxQIII", len(names), 0, offset, stored, stored, zlib.crc32(b"x" * stored))
        names += name.encode() + b"\0"
    head = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, len(rows), len(names), 32 + len(body))
    path.write_bytes(head + body + table + names)
    return path


def test_overlaps_are_told_and_shared_contents_are_fine(game: Path, tmp_path: Path) -> None:
    known = game_knowledge(game)
    table_of(tmp_path / "o.brp", [("a", 32, 20), ("b", 40, 20), ("c", 32, 20), ("d", 70, 5)])
    listing = one(tmp_path, "o.brp", known).listing(CONTEXT)
    [fault] = listing.problems
    assert "overlap" in fault.message
    assert fault.offset == 40
    table_of(tmp_path / "s.brp", [("a", 32, 20), ("c", 32, 20)])
    assert one(tmp_path, "s.brp", known).listing(CONTEXT).problems == ()


def test_hostile_names_are_tamed(game: Path, tmp_path: Path) -> None:
    names = ["../../up.txt", "C:\\win\\x.txt", "/root.txt", "a" * 4000 + ".txt", "Case.txt", "case.TXT", "con.txt"]
    table_of(tmp_path / "n.brp", [(name, 32, 4) for name in names])
    listing = one(tmp_path, "n.brp", game_knowledge(game)).listing(CONTEXT)
    paths = [e.path for e in listing.entries]
    assert len(paths) == len({p.lower() for p in paths}) == len(names)
    assert all(len(p) < 1001 and ".." not in p.split("/") and ":" not in p and p[0] != "/" for p in paths)
    assert len([p for p in listing.problems if p.code is ErrorCode.UNSAFE_NAME]) >= 5


def test_a_count_of_billions_in_a_kilobyte_is_refused(game: Path, tmp_path: Path) -> None:
    head = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, 2**31, 10, 32)
    (tmp_path / "big.brp").write_bytes(head + bytes(1000))
    with pytest.raises(InputError) as caught:
        one(tmp_path, "big.brp", game_knowledge(game)).listing(CONTEXT)
    assert caught.value.fault.offset is not None


_SPARSE = """
import re, sys
from pathlib import Path
from pruxel.core.base.context import Context
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.open import open_sources
from pruxel.core.knowledge.profile_files import load_profile
loaded = load_profile(Path(sys.argv[2]) / "brinepost.yaml")
[opened] = open_sources(Path(sys.argv[1]), Knowledge(loaded.profile))
entries = opened.source.listing(Context()).entries
data = opened.source.read("far/away.txt", Context())
most = int(re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1])
print(len(entries), bytes(data).decode(), most // 1024)
"""


def test_ten_gigabytes_are_mounted_in_little_memory(game: Path, tmp_path: Path) -> None:
    far = 10 << 30
    names = b"far/away.txt\0"
    table = struct.pack("<IBxxxQIII", 0, 0, far, 5, 5, zlib.crc32(b"hello"))
    with (tmp_path / "far.brp").open("wb") as file:
        file.write(struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, 1, len(names), far + 16))
        file.seek(far)
        file.write(b"hello")
        file.seek(far + 16)
        file.write(table + names)
    run = subprocess.run(
        [sys.executable, "-c", _SPARSE, tmp_path / "far.brp", game],
        capture_output=True,
        text=True,
        check=True,
        env=os.environ,
    )
    count, text, megabytes = run.stdout.split()
    assert (count, text) == ("1", "hello")
    assert int(megabytes) < 300


def test_a_large_table_lists_in_order(game: Path, tmp_path: Path) -> None:
    (tmp_path / "bulk.brp").write_bytes(bulk_bytes(20_000))
    source = one(tmp_path, "bulk.brp", game_knowledge(game))
    entries = list(source.listing(CONTEXT).entries)
    assert len(entries) == 20_000
    assert [e.path for e in entries] == sorted(e.path for e in entries)
    assert {e.kind for e in entries} == {"texture", "model", "material", "text"}
    assert bytes(source.read(entries[7].path, CONTEXT)).startswith(b"Bulk text")


def test_repeating_xor_and_cbc(tmp_path: Path) -> None:
    layout = load_layout(
        "layout: x\nmatch: {magic: XORP}\nrecords:\n  file:\n    - {name: magic, type: text, size: 4}\n"
        "    - {name: locked, type: bytes, size: '12', cipher: xor, key: k}\n"
        "    - {name: table, type: table, within: locked}\n"
        "  table: [{name: mark, type: text, size: 2, equals: OK}, {name: entries, type: entry, count: '1'}]\n"
        "  entry: [{name: path, type: text, size: 4}, {name: offset, type: u16}, {name: stored, type: u32}]\n"
        "yields: {entries: {each: table.entries, path: path, offset: offset, stored: stored}}\n",
        "x",
    )
    plain = b"OKa.tx" + struct.pack("<HI", 16, 2)
    key = b"\x5a\xa5\x11"
    locked = bytes(b ^ key[n % 3] for n, b in enumerate(plain))
    (tmp_path / "x.bin").write_bytes(b"XORP" + locked + b"hi")
    source = PackSource(origin_of_file(tmp_path / "x.bin"), layout, Knowledge(keys={"k": key}))
    assert bytes(source.read("a.tx", CONTEXT)) == b"hi"
