"""The examples of the documentation work as printed."""

import json
import re
import shlex
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import xxhash
from typer.testing import CliRunner

from fuzz import examples
from pruxel.cli.main import app
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.records import Table
from pruxel.core.extract.clips import read_clips
from pruxel.core.extract.clips_on_scene import with_clips
from pruxel.core.extract.file import ParsedFile, parse_file
from pruxel.core.extract.level import read_level
from pruxel.core.extract.meshes import read_model
from pruxel.core.extract.skeleton import read_skeleton
from pruxel.core.extract.textures import read_textures
from pruxel.core.formats import gltf
from pruxel.core.images.decode import decode_image
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.name_lists import names_of
from pruxel.core.knowledge.profile import Profile, ProfileFile
from pruxel.core.knowledge.profile_files import load_profile, write_profile
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.looking import looking
from pruxel.core.scene.measure import measure
from pruxel.core.scene.pose import posed, stiff
from pruxel.core.scene.walk import world_from_local
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.packs import PackSource
from pruxel.sample.dredged import dredged_files
from tests.conftest import CRAB
from tests.scenes import everything
from tools.step_reference import with_lists

ROOT = Path(__file__).resolve().parent.parent
EXAMPLES = examples.layouts()
SHELF, STRONGBOX, PEBBLE, TWIG, TWIG_MOVES, BEACON = (
    EXAMPLES[name] for name in ("shelf", "strongbox", "pebble", "twig", "twig_moves", "beacon_moves")
)
[PROFILE] = re.findall(r"```yaml\n(.*?)```", (ROOT / "docs/profiles.md").read_text(), re.DOTALL)


def test_the_page_of_steps_is_what_the_code_says_and_its_recipe_runs(game: Path, tmp_path: Path) -> None:
    text = (ROOT / "docs/steps.md").read_text()
    assert with_lists(text) == text
    recipe, ruled = re.findall(r"```yaml\n(recipe:.*?)```", text, re.DOTALL)
    (tmp_path / "tidy.yaml").write_text(recipe)
    (tmp_path / "ruled.yaml").write_text(ruled)
    [step] = re.findall(r"`pruxel (step [^`]*)`", text)
    words = shlex.split(
        step.replace("SOURCE", str(game)).replace("PATH", CRAB).replace("all.yaml", f"{tmp_path}/all.yaml")
    )
    found = json.loads(CliRunner().invoke(app, [*words, "--recipe", f"{tmp_path}/ruled.yaml", "--json"]).stdout)
    assert [one["fault"] for one in found["steps"]] == [""] * len(found["steps"])
    assert found["steps"][0]["changed"] == ["claw_r"]
    assert found["steps"][3]["changed"] == ["shell"]
    assert (tmp_path / "all.yaml").is_file()
    [words] = re.findall(r"`pruxel (convert [^`]*)`", text)
    told = words.replace("SOURCE", str(game)).replace("PATH", CRAB).replace("tidy.yaml", str(tmp_path / "tidy.yaml"))
    run = CliRunner().invoke(app, [*told.replace("DIR", str(tmp_path / "o")).split(), "--json"])
    assert run.exit_code == 0, run.output
    assert "passed over" not in run.output


def read(data: bytes, layout: str) -> ParsedFile:
    return parse_file(memoryview(data), load_layout(layout, "an example"), "p", Conventions(), Context())


@pytest.mark.parametrize("version", [1, 2])
@pytest.mark.parametrize("more", [0, 300])
def test_the_pack_example_lists_a_pack(tmp_path: Path, version: int, more: int) -> None:
    books = [("a/one.txt", b"first"), ("b/two.txt", b"second!")]
    books += [(f"more/{'x' * (n % 7)}{n}.txt", b"n" * n) for n in range(more)]
    base = struct.pack("<I", 0) if version == 2 else b""
    size = 8 + len(base) + sum(1 + len(t) + 8 for t, _ in books)
    table, body = b"", b""
    for title, text in books:
        table += bytes([len(title)]) + title.encode() + struct.pack("<II", size + len(body), len(text))
        body += text
    (tmp_path / "x.shelf").write_bytes(struct.pack("<4sHH", b"SHLF", version, len(books)) + base + table + body)
    source = PackSource(origin_of_file(tmp_path / "x.shelf"), load_layout(SHELF, "shelf.yaml"))
    assert sorted(e.path for e in source.listing(Context()).entries) == sorted(t for t, _ in books)
    assert [bytes(source.read(t, Context())) for t, _ in books] == [b for _, b in books]


def test_the_model_example_reads_a_model() -> None:
    points = np.array([[0, 0, 0], [100, 0, 0], [0, 0, 50]], "<f4")
    data = struct.pack("<4sHH", b"PBBL", 3, 3) + points.tobytes() + struct.pack("<3H", 0, 1, 2) + b"\x03one"
    model = read_model(read(data, PEBBLE), Context())
    scene, faults = model.scene, model.faults
    assert faults == []
    assert measure(scene).size == pytest.approx((1.0, 0.5, 0.0))
    assert scene.nodes[0].name == "one"


def test_the_example_of_a_beacon_blinks() -> None:
    data = (
        struct.pack("<4sB", b"BCNM", 2)
        + b"\0\4prop\3"
        + bytes([1, 0, 1])
        + b"\1\5cloth\2"
        + struct.pack("<6f", 0, 0, 0, 1, 0.5, 0)
    )
    scene, share = with_clips(everything(), read_clips(read(data, BEACON), Context()))
    assert share == 1
    clip = scene.clips[-1]
    assert [(scene.nodes[one.node].name, one.values[:, 0].tolist()) for one in clip.shown] == [("prop", [1, 0, 1])]
    assert [(scene.materials[one.material].name, one.path) for one in clip.looks] == [("cloth", "emissive")]
    assert looking(scene, clip, 0.1).materials[1].emissive == pytest.approx((1, 0.5, 0))


def test_the_skeleton_and_clips_examples_move_a_joint() -> None:
    joints = [("trunk", -1, 0.0), ("tip", 0, 2.0)]
    data = b"TWIG\x02\0" + b"".join(
        struct.pack(f"<B{len(n)}sh7f", len(n), n.encode(), p, 0, y, 0, 0, 0, 0, 1) for n, p, y in joints
    )
    skeleton = read_skeleton(read(data, TWIG), Context())
    half = round(32767 * 0.5**0.5)
    keys = struct.pack("<4h", 0, 0, 0, 32767) + struct.pack("<4h", 0, 0, half, half)
    data = b"TWGM" + struct.pack("<fHHB5s", 2.0, 2, 1, 5, b"trunk") + keys
    scene, share = with_clips(skeleton, read_clips(read(data, TWIG_MOVES), Context()))
    [channel] = scene.clips[0].channels
    assert share == 1.0
    turned = replace(scene.nodes[0], rotation=tuple(channel.values[1].tolist()))
    posed = world_from_local(replace(scene, nodes=(turned, scene.nodes[1])))
    assert np.allclose(posed[1][:3, 3], (-2, 0, 0), atol=1e-4)


def test_the_gable_keeps_uvs_by_corner_and_its_faces_by_texture() -> None:
    """Two faces of four and three corners share an edge, with UVs of their own; a third is marked to be left out."""
    points = [(0, 0, 0), (256, 0, 0), (256, 256, 0), (0, 256, 0), (512, 512, 0)]
    uvs = [(0, 0), (4096, 0), (4096, 4096), (0, 4096), (2048, 0)]
    faces = [
        (4, 0, [(0, 0), (1, 1), (2, 2), (3, 3)]),
        (3, 1, [(1, 4), (4, 3), (2, 2)]),
        (3, 255, [(0, 0), (1, 1), (2, 2)]),
    ]
    data = struct.pack("<4s4H", b"GABL", len(points), len(uvs), len(faces), 2)
    data += struct.pack("<12s12s", b"brick.dds", b"tile.dds") + np.array(points, "<i2").tobytes()
    data += np.array(uvs, "<u2").tobytes() + b"".join(struct.pack("<BB", n, t) for n, t, _ in faces)
    data += b"".join(struct.pack("<HH", *corner) for _, _, corners in faces for corner in corners)
    model = read_model(read(data, EXAMPLES["gable"]), Context())
    assert model.faults == []
    wall, tile = model.scene.meshes[0].primitives
    assert [m.textures for m in model.materials] == [(("base_color", "brick.dds"),), (("base_color", "tile.dds"),)]
    assert (len(wall.indices), len(tile.indices), len(wall.positions), len(tile.positions)) == (2, 1, 4, 3)
    assert sorted(map(tuple, tile.uvs[0][tile.indices[0]].tolist())) == [(0, 1), (0.5, 0), (1, 1)]
    place = {tuple(p): tuple(u) for p, u in zip(tile.positions.tolist(), tile.uvs[0].tolist(), strict=True)}
    assert place[1, 0, 0] == (0.5, 0)


def test_the_flap_moves_by_frames() -> None:
    """Three frames of a strip, the first two of one name; the third lies one unit higher."""
    corners = np.array([(0, 0, 0), (10, 0, 0), (0, 10, 0), (10, 10, 0)], np.uint8)
    strip = np.array([0, 1, 2, 65535, 1, 3, 2], "<u2")
    data = struct.pack("<4sHH", b"FLAP", 4, len(strip))
    for title, height in ((b"rise1", 0.0), (b"rise2", 0.5), (b"hold1", 1.0)):
        data += struct.pack("<8s6f", title, 0.1, 0.1, 0.1, 0, 0, height) + corners.tobytes()
    scene = read_model(read(data + strip.tobytes(), EXAMPLES["flap"]), Context()).scene
    [primitive] = scene.meshes[0].primitives
    assert primitive.indices.tolist() == [[0, 1, 2], [1, 3, 2]]
    assert [target.name for target in primitive.targets] == ["rise1", "rise2", "hold1"]
    assert np.allclose(primitive.targets[2].positions, (0, 0, 1))
    assert [(clip.name, len(clip.channels[0].times)) for clip in scene.clips] == [("rise", 2), ("hold", 1)]
    moved = stiff(posed(scene, scene.clips[0], 0.05)).meshes[0].primitives[0].positions
    assert np.allclose(moved - primitive.positions, (0, 0, 0.25), atol=1e-6)


def test_the_sprat_is_all_in_one_file() -> None:
    """The tail hangs on the spine that stands behind it; a vertex half on each; only one angle of the tail is stored."""
    spine, tail = np.eye(4), np.eye(4)
    spine[:3, 3], tail[:3, 3] = (0, 1, 0), (0, 1, 2)
    joints = [(1, 0b100, tail), (-1, 0, spine)]
    points = [(1, 255, (0, 0, 0)), (0, 255, (0, 0, 1)), (1, 128, (1, 0, 1)), (0, 128, (1, 0, -1))]
    data = struct.pack("<4s4B", b"SPRT", 2, 3, 4, 2)
    data += b"".join(struct.pack("<bB", p, m) + m4[:3].astype("<f4").tobytes() for p, m, m4 in joints)
    data += bytes([1, 1, 2]) + b"".join(struct.pack("<BB3f", j, w, *at) for j, w, at in points)
    data += np.array([0, round(np.pi / 2 * 4096)], "<i2").tobytes()

    class OneFile:
        profile = Profile(layouts=(load_layout(EXAMPLES["sprat"], "sprat"),))

        def read(self, _path: str, _context: Context) -> memoryview:
            return memoryview(data)

        def kind_of(self, _path: str) -> Kind:
            return Kind.MODEL

    scene = Opener(OneFile()).scene(["fish.spr"], Context())  # type: ignore[arg-type]
    assert scene.notes == ()
    assert [node.name for node in scene.nodes[:2]] == ["joint 0", "joint 1"]
    assert scene.nodes[1].children == (0,)
    [mesh] = [scene.meshes[node.mesh] for node in scene.nodes if node.mesh is not None]
    assert np.allclose(mesh.primitives[0].positions, [(0, 1, 0), (0, 1, 3), (1, 1, 1)], atol=1e-6)
    still = stiff(posed(scene, scene.clips[0], 1 / 12))
    turned = next(still.meshes[node.mesh].primitives[0].positions for node in still.nodes if node.mesh is not None)
    # A quarter turn of the tail about z takes what lies at x = 1 beside it to y = 1, half of the vertex' weight.
    assert np.allclose(turned, [(0, 1, 0), (0, 1, 3), (0.5, 1.5, 1)], atol=1e-3)


def test_the_text_examples_read_words_and_blocks() -> None:
    words = """reef
# two joints, a square
joints 2  root -1  0 0 0   "the tip" 0  0 2.5 0
points 4  0 0 0  0 0  0   1 0 0  1 0  0   1 1 0  1 1  1   0 1 0  0 1  1
triangles 2   0 1 2   # the lower one
  0 2 3   "wall blue.dds"
"""
    file = read(words.encode(), EXAMPLES["reef_words"])
    assert isinstance(file.head["sections"][1]["points"], Table)
    model, skeleton = read_model(file, Context()), read_skeleton(file, Context())
    [primitive] = model.scene.meshes[0].primitives
    assert primitive.indices.tolist() == [[0, 1, 2], [0, 2, 3]]
    assert primitive.uvs[0].tolist() == [[0, 0], [1, 0], [1, 1], [0, 1]]
    assert primitive.joints is not None
    assert primitive.joints[:, 0].tolist() == [0, 0, 1, 1]
    assert model.materials[0].textures == (("base_color", "wall blue.dds"),)
    assert skeleton.nodes[1].name == "the tip"
    assert skeleton.nodes[1].translation == (0, 2.5, 0)
    for broken, expected in ((words.replace("2.5", "two"), "a number"), (words[: words.index("0 2 3")], "6 numbers")):
        with pytest.raises(InputError) as caught:
            read(broken.encode(), EXAMPLES["reef_words"])
        assert caught.value.fault.expected == expected
        assert caught.value.fault.offset
    things = """// what stands where
{ "kind" "prop"  // a lamp
  "model" "lamp"
  "origin" "1 2 3"
}
{
  kind prop
  model crate
  origin -4 0 0
  angle 90
}
{ kind note }
"""
    level = read_level(read(things.replace('"kind" "prop"  //', '"kind" "prop"  //').encode(), EXAMPLES["reef_things"]))
    assert level.models == ("props/lamp.reef", "props/crate.reef")
    assert level.placements.positions.tolist() == [[1, 2, 3], [-4, 0, 0]]
    assert np.allclose(level.placements.rotations[1], (0, 0.5**0.5, 0, 0.5**0.5))


def test_the_mosaic_is_unpacked_untiled_and_coloured() -> None:
    """Sixteen colours, 8 by 4 texels in tiles of 4 by 2, two texels a byte, bytes in runs, the lowest row first."""
    rng = np.random.default_rng(4)
    words = rng.integers(0, 1 << 16, 16)
    numbers = rng.integers(0, 16, (4, 8))
    numbers[:2, :4] = 3
    tiles = [numbers[y : y + 2, x : x + 4].ravel() for y in (0, 2) for x in (0, 4)]
    order = np.concatenate(tiles)
    raw = (order[::2] | order[1::2] << 4).astype(np.uint8).tobytes()
    assert raw[:4] == bytes([0x33] * 4)
    packed = bytes([127 + 4, 0x33, len(raw) - 5]) + raw[4:]
    data = struct.pack("<4sHH", b"MOSC", 8, 4) + words.astype("<u2").tobytes() + packed
    [texture] = read_textures(read(data, EXAMPLES["mosaic"]), Context())
    red, green, blue = (words >> 11) / 31, ((words >> 5) & 63) / 63, (words & 31) / 31
    wanted = np.rint(np.stack([red, green, blue], axis=1) * 255).astype(np.uint8)[numbers][::-1]
    assert np.array_equal(texture.texels, wanted)
    assert np.array_equal(decode_image(texture.png(), "x.png").rgba[..., :3], wanted)


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
    assert profile.spec.languages() == ["en", "fi"]
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


def test_the_reference_is_what_the_code_says() -> None:
    """The tables of `docs/layouts.md` are made from the schema and the functions: `python -m tools.layout_reference`."""
    from tools.layout_reference import with_reference

    text = (ROOT / "docs/layouts.md").read_text()
    assert with_reference(text) == text


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


def test_the_way_from_unknown_bytes_to_a_delivery(tmp_path: Path) -> None:
    """The tutorial's commands in their order, its layout, and the sizes that it speaks of."""
    page = (ROOT / "docs/unknown-bytes.md").read_text()
    layout = re.search(r"```yaml\n(layout: dredged.*?)```", page, re.DOTALL)
    assert layout is not None
    for path, data in dredged_files().items():
        (tmp_path / "s" / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "s" / path).write_bytes(data)
    run = CliRunner()
    said = []
    for block in re.findall(r"```sh\n(.*?)```", page, re.DOTALL):
        for line in block.splitlines():
            words = line.replace("/tmp/", f"{tmp_path}/").split()
            if words[1] == "sample":
                continue
            if words[1] in {"inspect", "convert"}:
                (tmp_path / "dredged.yaml").write_text(layout[1])
            told = run.invoke(app, words[1:])
            assert told.exit_code == 0, (line, told.output)
            said.append(told.output)
    assert "5,760 triangles on 3,025 vertices of 20 bytes" in said[0]
    assert json.loads(said[1])["found"][0]["kind"] == "mesh"
    assert "whelk.drg: mesh 'whelk', 5,760 triangles" in said[3]
    assert "bell.drg: mesh 'bell', 3,008 triangles" in said[3]
    scene = gltf.read(memoryview((tmp_path / "o/whelk.glb").read_bytes()), "whelk.glb", lambda _: None, Context()).scene
    points = scene.meshes[0].primitives[0].positions
    assert 0.4 < np.abs(points).max() < 0.45
    assert scene.meshes[0].primitives[0].colors
