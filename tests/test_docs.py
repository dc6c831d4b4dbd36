"""The examples of the documentation work as printed."""

import re
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import xxhash

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.clips import ClipsExtract, read_clips, with_clips
from pruxel.core.extract.model import read_model
from pruxel.core.extract.skeleton import SkeletonExtract, read_skeleton
from pruxel.core.scene.measure import measure
from pruxel.core.scene.walk import world_from_local
from pruxel.core.sources.knowledge import Knowledge
from pruxel.core.sources.name_lists import Hashing, names_of
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.pack_spec import PackExtract
from pruxel.core.sources.packs import PackSource
from pruxel.core.sources.profile import Conventions, ProfileFile
from pruxel.core.sources.profile_files import load_profile, write_profile

ROOT = Path(__file__).resolve().parent.parent
SHELF, STRONGBOX, PEBBLE, TWIG, TWIG_MOVES = re.findall(
    r"```yaml\n(.*?)```", (ROOT / "docs/layouts.md").read_text(), re.DOTALL
)
[PROFILE] = re.findall(r"```yaml\n(.*?)```", (ROOT / "docs/profiles.md").read_text(), re.DOTALL)


@pytest.mark.parametrize("version", [1, 2])
def test_the_pack_example_lists_a_pack(tmp_path: Path, version: int) -> None:
    books = [("a/one.txt", b"first"), ("b/two.txt", b"second!")]
    base = struct.pack("<I", 0) if version == 2 else b""
    size = 8 + len(base) + sum(1 + len(t) + 8 for t, _ in books)
    table, body = b"", b""
    for title, text in books:
        table += bytes([len(title)]) + title.encode() + struct.pack("<II", size + len(body), len(text))
        body += text
    (tmp_path / "x.shelf").write_bytes(struct.pack("<4sHH", b"SHLF", version, 2) + base + table + body)
    source = PackSource(origin_of_file(tmp_path / "x.shelf"), load_layout(SHELF, "shelf.yaml"))
    assert [e.path for e in source.listing(Context()).entries] == [t for t, _ in books]
    assert [bytes(source.read(t, Context())) for t, _ in books] == [b for _, b in books]


def test_the_model_example_reads_a_model() -> None:
    points = np.array([[0, 0, 0], [100, 0, 0], [0, 0, 50]], "<f4")
    data = struct.pack("<4sHH", b"PBBL", 3, 3) + points.tobytes() + struct.pack("<3H", 0, 1, 2) + b"\x03one"
    model = read_model(memoryview(data), load_layout(PEBBLE, "p.yaml"), "p", Conventions(), Context())
    scene, faults = model.scene, model.faults
    assert faults == []
    assert measure(scene).size == pytest.approx((1.0, 0.5, 0.0))
    assert scene.nodes[0].name == "one"


def test_the_skeleton_and_clips_examples_move_a_joint() -> None:
    twig, moves = load_layout(TWIG, "twig.yaml"), load_layout(TWIG_MOVES, "moves.yaml")
    joints = [("trunk", -1, 0.0), ("tip", 0, 2.0)]
    data = b"TWIG\x02\0" + b"".join(
        struct.pack(f"<B{len(n)}sh7f", len(n), n.encode(), p, 0, y, 0, 0, 0, 0, 1) for n, p, y in joints
    )
    skeleton = read_skeleton(memoryview(data), twig, "t", Conventions(), Context())
    half = round(32767 * 0.5**0.5)
    keys = struct.pack("<4h", 0, 0, 0, 32767) + struct.pack("<4h", 0, 0, half, half)
    data = b"TWGM" + struct.pack("<fHHB5s", 2.0, 2, 1, 5, b"trunk") + keys
    scene, share = with_clips(skeleton, read_clips(memoryview(data), moves, "t", Conventions(), Context()))
    [channel] = scene.clips[0].channels
    assert share == 1.0
    turned = replace(scene.nodes[0], rotation=tuple(channel.values[1].tolist()))
    posed = world_from_local(replace(scene, nodes=(turned, scene.nodes[1])))
    assert np.allclose(posed[1][:3, 3], (-2, 0, 0), atol=1e-4)


def test_the_locked_example_opens_with_its_key_and_its_names(tmp_path: Path) -> None:
    from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

    key, start, paths = b"k" * 16, bytes(range(16)), ["a/one.txt", "b/two.txt", "c/three.txt"]
    size = 4 + 20 * len(paths)
    table = b"OPEN" + b"".join(
        struct.pack("<QQI", xxhash.xxh64_intdigest(path.lower().encode(), 7), 24 + size + n, 1)
        for n, path in enumerate(paths)
    )
    assert len(table) % 16 == 0
    worker = Cipher(algorithms.AES(key), modes.CBC(start)).encryptor()
    locked = worker.update(table) + worker.finalize()
    (tmp_path / "x.box").write_bytes(struct.pack("<4sHH16s", b"SBOX", 2, len(paths), start) + locked + b"123")
    layout = load_layout(STRONGBOX, "strongbox.yaml")
    origin = origin_of_file(tmp_path / "x.box")
    known = Knowledge(keys={"box": key}, names=names_of([b"a/one.txt", b"C\\Three.txt"]))
    source = PackSource(origin, layout, known)
    listed = [entry.path for entry in source.listing(Context()).entries]
    assert listed[:2] == ["C/Three.txt", "a/one.txt"]
    assert listed[2].startswith("~unnamed/unknown/")
    assert [bytes(source.read(path, Context())) for path in listed] == [b"3", b"1", b"2"]
    with pytest.raises(InputError, match="needs the key 'box'"):
        PackSource(origin, layout).listing(Context())


def test_the_profile_example_is_one(tmp_path: Path) -> None:
    (tmp_path / "layouts").mkdir()
    (tmp_path / "layouts/shelf.yaml").write_text(SHELF)
    (tmp_path / "beach.yaml").write_text(PROFILE)
    loaded = load_profile(tmp_path / "beach.yaml")
    profile = loaded.profile
    assert [layout.layout for layout in profile.layouts] == ["shelf", "shell_list"]
    assert profile.conventions.unit_m == 0.01
    assert profile.languages() == ["en", "fi"]
    assert profile.layer_of("update_7.pak", loose=False)[0] == 1
    assert profile.variant_of("a/b/hut_lo.mdl") == "low resolution"
    assert profile.leaves_out("layouts/shelf.yaml")
    assert not profile.leaves_out("deep/down/else.txt")
    assert loaded.names().text(0) == "flora/sea_holly.mdl"
    (tmp_path / "other").mkdir()
    (tmp_path / "other/alone.yaml").write_text(write_profile(profile.spec, profile.layouts))
    alone = load_profile(tmp_path / "other/alone.yaml").profile
    assert alone.layouts == profile.layouts
    assert alone.spec.model_copy(update={"layouts": ()}) == profile.spec.model_copy(update={"layouts": ()})


def test_every_key_of_a_profile_is_documented() -> None:
    text = (ROOT / "docs/profiles.md").read_text()
    for name in ProfileFile.model_fields:
        assert name == "profile" or f"`{name}`" in text, name


def test_every_key_of_the_language_is_documented() -> None:
    from pruxel.core.binary.schema import FieldSpec, Layout

    text = (ROOT / "docs/layouts.md").read_text()
    for name in [
        *FieldSpec.model_fields,
        *Layout.model_fields,
        *PackExtract.model_fields,
        *Hashing.model_fields,
        *SkeletonExtract.model_fields,
        *ClipsExtract.model_fields,
    ]:
        assert re.search(rf"`[a-z0-9_ ]*\b{name}\b", text), name


def test_links_of_the_readme_lead_somewhere() -> None:
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md"]:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert (ROOT / target).exists(), target


def test_what_the_promises_point_to_is_there() -> None:
    """Every file and test that the page of promises names exists, and every make target that documents name."""
    text = (ROOT / "docs/trust.md").read_text()
    homes = [ROOT, *(ROOT / "src/pruxel" / part for part in ("", "core", "server"))]
    named = re.findall(r"`([a-z_]+(?:/[a-z_.]+)+\.(?:py|json|md))`", text)
    assert len(named) > 12
    for path in named:
        assert any((home / path).is_file() for home in homes), path
    targets = set(re.findall(r"^([a-z]+):", (ROOT / "Makefile").read_text(), re.MULTILINE))
    for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
        assert set(re.findall(r"`make ([a-z]+)", page.read_text())) <= targets, page.name
