"""Models and materials read by layouts, against the generator's own shapes; broken ones told apart."""

import struct
from pathlib import Path

import lz4.block
import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.findings.registry import find
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import parts, world_from_local, world_positions
from pruxel.core.sources.open import open_sources
from pruxel.core.sources.stack import Stack, build_stack
from pruxel.sample.models.town import lamp
from tests.conftest import CRAB, game_knowledge

CONTEXT = Context()
LAMP = "props/p0021/p0021.brm"
PART_BYTES = 100


def with_file(game: Path, folder: Path, path: str, data: bytes) -> Opener:
    """The game with one entry replaced by a loose file."""
    (folder / path).parent.mkdir(parents=True)
    (folder / path).write_bytes(data)
    known = game_knowledge(game)
    sources = [o.source for place in (game, folder) for o in open_sources(place, known)]
    return Opener(build_stack(sources, known.profile, CONTEXT))


def raw(stack: Stack, path: str) -> bytearray:
    return bytearray(stack.read(path, CONTEXT))


def test_the_lamp_is_the_generators_lamp(opener: Opener) -> None:
    scene, made = opener.scene([LAMP], CONTEXT), lamp(1)
    assert problems(scene) == []
    matrices = world_from_local(scene)
    for (index, node, mesh), part in zip(parts(scene), made.parts, strict=True):
        assert node.name == part.name
        assert (node.role == "collision") == part.collision
        points = world_positions(mesh.primitives[0], matrices[index])
        np.testing.assert_allclose(points.min(axis=0), part.shape.vertices.min(axis=0), atol=1e-4)
        np.testing.assert_allclose(points.max(axis=0), part.shape.vertices.max(axis=0), atol=1e-4)
        assert sum(len(p.indices) for p in mesh.primitives) == len(part.shape.faces)


def test_materials_put_channels_where_gltf_wants_them(opener: Opener) -> None:
    scene = opener.scene([CRAB], CONTEXT)
    gear = next(m for m in scene.materials if m.name == "crab_gear")
    assert gear.metallic_roughness_texture is not None
    packed = texels(scene.images[scene.textures[gear.metallic_roughness_texture.texture].image])
    stored = opener.stack.read("tex/crab/crab_gear_p.dds", CONTEXT)
    from pruxel.core.images.decode import decode_image

    source = decode_image(bytes(stored), "p.dds").rgba
    np.testing.assert_array_equal(packed[..., 1], source[..., 0])
    np.testing.assert_array_equal(packed[..., 2], source[..., 1])
    np.testing.assert_array_equal(packed[..., 0], source[..., 3])
    kelp = opener.scene(["flora/f009/f009.brm"], CONTEXT)
    assert kelp.materials[0].alpha_mode == "MASK"
    assert kelp.materials[0].double_sided
    assert texels(kelp.images[0])[..., 3].min() < 20


def test_every_model_of_the_game_is_sound(opener: Opener) -> None:
    for entry in opener.stack.entries.values():
        if entry.kind == "model":
            scene = opener.scene([entry.path], CONTEXT)
            assert problems(scene) == []
            assert scene.notes == ()
            assert measure(scene).triangles > 200


def test_nan_positions_lose_one_part_and_are_told(game: Path, stack: Stack, tmp_path: Path) -> None:
    data = raw(stack, LAMP)
    at, stored = struct.unpack_from("<II", data, 36 + 20)
    vertices = bytearray(lz4.block.decompress(bytes(data[at : at + stored]), uncompressed_size=1 << 22))
    struct.pack_into("<f", vertices, 20 * 7, float("nan"))
    packed = lz4.block.compress(bytes(vertices), store_size=False)
    data[-4:-4] = packed
    struct.pack_into("<II", data, 36 + 20, len(data) - 4 - len(packed), len(packed))
    scene = with_file(game, tmp_path, LAMP, bytes(data)).scene([LAMP], CONTEXT)
    names = {node.name for node in scene.nodes if node.mesh is not None}
    assert names == {"brass_cage", "glow", "col_hull"}
    [note] = scene.notes
    assert LAMP in note
    assert "vertex 7" in note
    assert any(f.rule == "reading_gaps" for f in find(scene, CONTEXT))


def test_an_index_out_of_range_is_told_with_its_number(game: Path, stack: Stack, tmp_path: Path) -> None:
    data = raw(stack, LAMP)
    at = struct.unpack_from("<I", data, 36 + 28)[0]
    struct.pack_into("<H", data, at + 2 * 5, 65_000)
    scene = with_file(game, tmp_path, LAMP, bytes(data)).scene([LAMP], CONTEXT)
    [note] = scene.notes
    assert "index 5 is out of range" in note
    assert "found 65,000" in note


@pytest.mark.parametrize("cut", [3, 20, 200, 5000])
def test_a_truncated_model_is_an_input_error(game: Path, stack: Stack, tmp_path: Path, cut: int) -> None:
    opener = with_file(game, tmp_path, LAMP, bytes(raw(stack, LAMP)[:cut]))
    with pytest.raises(InputError) as caught:
        opener.scene([LAMP], CONTEXT)
    assert caught.value.fault.file == LAMP
    assert caught.value.fault.offset is not None


def test_unknown_files_say_what_was_found(game: Path, tmp_path: Path) -> None:
    opener = with_file(game, tmp_path, "x/what.xyz", b"\x01\x02\x03\x04 nothing known")
    with pytest.raises(InputError) as caught:
        opener.scene(["x/what.xyz"], CONTEXT)
    assert "01 02 03 04" in (caught.value.fault.found or "")
    assert "docs/layouts.md" in (caught.value.fault.hint or "")


@pytest.mark.parametrize(
    ("data", "word"),
    [(None, "No such entry"), (b"DDS " + bytes(200), "implausible"), (b"junk that is no image at all", "not an image")],
)
def test_a_missing_or_strange_texture_is_a_finding(
    game: Path, stack: Stack, tmp_path: Path, data: bytes | None, word: str
) -> None:
    name = "tex/p0021/lamp_c.dds"
    if data is None:
        material = bytes(raw(stack, "mat/lamp.bmt")).replace("lamp_c".encode("utf-16-le"), "lamp_q".encode("utf-16-le"))
        opener = with_file(game, tmp_path, "mat/lamp.bmt", material)
    else:
        opener = with_file(game, tmp_path, name, data)
    scene = opener.scene([LAMP], CONTEXT)
    [finding] = [f for f in find(scene, CONTEXT) if f.rule == "missing_textures"]
    assert word in finding.detail
    assert scene.materials[0].base_color_texture is None
    assert scene.materials[0].normal_texture is not None
