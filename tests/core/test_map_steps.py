"""Packed maps taken apart, tints, layers, atlases, colours on vertices: against other libraries and there and back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Picture
from PIL import ImageChops

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.findings.registry import RULES
from pruxel.core.geometry.colors import linear_from_srgb, srgb_from_linear
from pruxel.core.images import png
from pruxel.core.images.layers import layered, tinted
from pruxel.core.images.packing import packed, put
from pruxel.core.images.sampled import texels_at
from pruxel.core.images.speculars import metals_of
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile import check_profile
from pruxel.core.knowledge.profile_files import load_profile
from pruxel.core.pictures.sheet import texture_sheet
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.digest import digest
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Clearcoat, Material, Sampler, Texture, TextureRef
from pruxel.core.scene.meanings import meanings_of, noted
from pruxel.core.scene.model import Dressing, Mesh, Node, Primitive, Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import parts
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import STEPS, Library
from tests.conftest import stack_of
from tests.core.test_repairs import performed
from tests.core.test_shaping import alone, done

CONTEXT = Context()
SCHEME = {"red": "gloss", "green": "metal", "blue": "occlusion", "alpha": "light mask"}


def noise(seed: int, height: int, width: int) -> np.ndarray[Any, Any]:
    return np.random.default_rng(seed).integers(0, 256, (height, width, 4), dtype=np.uint8)


def picture(name: str, rgba: np.ndarray[Any, Any]) -> Image:
    return Image(name, EncodedImage(png.encode(rgba), "image/png"))


def sheet(uvs: np.ndarray[Any, Any] | None = None) -> Primitive:
    """A square of two triangles over the whole texture, or over a part of it."""
    corners = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    return Primitive(
        as_floats(np.c_[corners, np.zeros(4)], 3), as_indices([[0, 1, 2], [0, 2, 3]]),
        uvs=(as_floats(corners if uvs is None else uvs, 2),), material=0,
    )  # fmt: skip


def wearing(images: list[Image], *materials: Material, surfaces: list[Primitive] | None = None) -> Scene:
    """Surfaces side by side, the first of the first material and so on."""
    every = surfaces or [sheet() for _ in materials]
    meshes = tuple(Mesh(f"part{k}", (replace(p, material=k),)) for k, p in enumerate(every))
    nodes = tuple(Node(f"part{k}", mesh=k, translation=(2.0 * k, 0.0, 0.0)) for k in range(len(meshes)))
    return Scene(
        "worn", nodes=nodes, roots=tuple(range(len(nodes))), meshes=meshes, materials=materials,
        images=tuple(images), textures=tuple(Texture(k) for k in range(len(images))),
    )  # fmt: skip


class Shelf(Library):
    """Scenes of other entries by their paths."""

    def __init__(self, scenes: dict[str, Scene]) -> None:
        self.scenes = scenes

    def digest(self, reference: Reference) -> str:
        return digest(self.scenes[reference.name])

    def scene(self, reference: Reference, context: Context) -> Scene:
        return self.scenes[reference.name]


def worn(scene: Scene, slot: str, material: int = 0) -> np.ndarray[Any, Any]:
    ref = getattr(scene.materials[material], slot)
    assert ref is not None
    return texels(scene.images[scene.textures[ref.texture].image])


def two_coats() -> tuple[Scene, np.ndarray[Any, Any], np.ndarray[Any, Any]]:
    base, packed_map = noise(1, 16, 8), noise(2, 16, 8)
    coat = Material("coat", base_color_texture=TextureRef(0), occlusion_texture=TextureRef(1, uv_set=0))
    images = [picture("coat_c", base), noted(picture("coat_q", packed_map), SCHEME)]  # type: ignore[arg-type]
    return wearing(images, coat, replace(coat, name="hood", metallic=0.2)), base, packed_map


def test_channels_go_where_they_belong() -> None:
    scene, base, packed_map = two_coats()
    made = performed("take_apart", scene, map="occlusion", **SCHEME).scene
    for number in (0, 1):
        look = worn(made, "metallic_roughness_texture", number)
        assert np.array_equal(look[..., 0], packed_map[..., 2])
        assert np.array_equal(look[..., 1], 255 - packed_map[..., 0])
        assert np.array_equal(look[..., 2], packed_map[..., 1])
        assert np.array_equal(worn(made, "occlusion_texture", number), look)
        glow = worn(made, "emissive_texture", number).astype(int)
        expected = base[..., :3] * (packed_map[..., 3:] / 255)
        assert np.abs(glow[..., :3] - expected).max() <= 1
        material = made.materials[number]
        assert (material.metallic, material.roughness, material.emissive) == (1.0, 1.0, (1.0, 1.0, 1.0))
    # Two materials wear one packed map: what comes of it stands once too.
    assert len(made.images) == 3
    assert made.materials[0].base_color_texture == scene.materials[0].base_color_texture


def test_dots_stay_dots() -> None:
    """Textures that are read without smoothing are made into such."""
    scene, *_ = two_coats()
    dotted = replace(scene, textures=tuple(replace(t, sampler=Sampler(filter="nearest")) for t in scene.textures))
    for name, how in (
        ("take_apart", {"map": "occlusion", **SCHEME}),
        ("tint_by_mask", {"mask": "coat_q"}),
        ("specular_to_metal", {"level": 40}),
    ):
        made = performed(name, dotted, **how).scene
        assert {t.sampler.filter for t in made.textures} == {"nearest"}, name


def test_what_stays_of_a_base_colour_and_what_is_cut_out() -> None:
    rgba = noise(3, 8, 8)
    scene = wearing([picture("leaf", rgba)], Material("leaf", base_color_texture=TextureRef(0)))
    as_is = {"red": "as it is", "green": "as it is", "blue": "as it is"}
    made = performed("take_apart", scene, map="base colour", **as_is, alpha="opacity").scene
    assert np.array_equal(worn(made, "base_color_texture"), rgba)
    assert made.materials[0].alpha_mode == "MASK"
    glossy = performed("take_apart", scene, map="base colour", **as_is, alpha="gloss").scene
    assert np.array_equal(worn(glossy, "base_color_texture")[..., :3], rgba[..., :3])
    assert (worn(glossy, "base_color_texture")[..., 3] == 255).all()
    assert np.array_equal(worn(glossy, "metallic_roughness_texture")[..., 1], 255 - rgba[..., 3])
    assert glossy.materials[0].metallic == scene.materials[0].metallic
    nothing = dict.fromkeys(("red", "green", "blue", "alpha"), "nothing")
    assert performed("take_apart", scene, map="base colour", **nothing).scene.materials[0].base_color_texture is None


@pytest.mark.parametrize("way", ["up", "down"])
def test_the_third_component_of_normals_is_worked_out(way: str) -> None:
    direction = np.random.default_rng(5).normal(size=(8, 8, 3))
    direction[..., 2] = np.abs(direction[..., 2])
    direction /= np.linalg.norm(direction, axis=2, keepdims=True)
    rgba = np.full((8, 8, 4), 255, np.uint8)
    rgba[..., 3] = np.rint((direction[..., 0] + 1) * 127.5)
    rgba[..., 1] = np.rint((direction[..., 1] * (1 if way == "up" else -1) + 1) * 127.5)
    scene = wearing([picture("n", rgba)], Material("m", normal_texture=TextureRef(0)))
    nothing = {"red": "nothing", "blue": "nothing"}
    made = performed("take_apart", scene, map="normals", green=f"normal {way}", alpha="normal right", **nothing).scene
    found = worn(made, "normal_texture")[..., :3] / 127.5 - 1
    steep = direction[..., 2] > 0.3  # where it is nearly flat, a step of one makes much of the third
    assert np.abs(found - direction)[steep].max() < 0.03


def test_a_scheme_that_says_one_thing_twice_is_refused() -> None:
    scene, *_ = two_coats()
    for wrong in ({"red": "metal", "green": "metal"}, {"red": "gloss", "green": "roughness"}):
        with pytest.raises(UsageError, match="mean the same"):
            performed("take_apart", scene, map="occlusion", blue="nothing", alpha="nothing", **wrong)


def test_a_packed_map_is_found_mended_and_then_no_more_found() -> None:
    scene, *_ = two_coats()
    [finding] = RULES.get("packed_maps").look(scene, CONTEXT)
    assert finding.suggestion is not None
    assert finding.suggestion.params == {"materials": ["coat", "hood"], "map": "occlusion", **SCHEME}
    assert finding.parts == ("part0", "part1")
    run = run_recipe(scene, [StepUse(step="take_apart", rule=Rule(finding="packed_maps"))], MemoryCache(), CONTEXT)
    assert run.runs[0].fault is None
    assert list(RULES.get("packed_maps").look(run.scene, CONTEXT)) == []
    bare = replace(scene, images=tuple(replace(i, extras="") for i in scene.images))
    assert list(RULES.get("packed_maps").look(bare, CONTEXT)) == []


@pytest.mark.parametrize("extras", ["", "not json", "[1]", '{"channels": 3}', '{"channels": {"red": "shoes"}}'])
def test_what_others_note_on_images_is_left_alone(extras: str) -> None:
    assert meanings_of(Image("x", EncodedImage(b"", "image/png"), extras=extras)) == {}


def test_a_profile_says_what_channels_mean(tmp_path: Path) -> None:
    """A model of an open format, its texture named by nothing but the profile's scheme."""
    (tmp_path / "a.obj").write_text(
        "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl m\nf 1/1 2/2 3/3\n"
    )
    (tmp_path / "a.mtl").write_text("newmtl m\nmap_Kd a_q.png\n")
    (tmp_path / "a_q.png").write_bytes(png.encode(noise(9, 4, 4)))
    (tmp_path / "p.yaml").write_text(
        "profile: 1\nname: p\nschemes:\n  - {name: q, match: ['*_q.*'], red: gloss, blue: metal}\n"
    )
    known = Knowledge(load_profile(tmp_path / "p.yaml").profile)
    scene = Opener(stack_of(tmp_path, known)).scene(["a.obj"], CONTEXT)
    [finding] = RULES.get("packed_maps").look(scene, CONTEXT)
    assert finding.suggestion is not None
    assert finding.suggestion.params["red"] == "gloss"
    with pytest.raises(InputError, match="schemes"):
        check_profile({"profile": 1, "name": "p", "schemes": [{"name": "q", "match": ["*"], "red": "shoes"}]}, "p.yaml")


@given(seed=st.integers(0, 2**32 - 1))
def test_metals_and_others_come_back_from_specular_and_diffuse(seed: int) -> None:
    rng = np.random.default_rng(seed)
    base = rng.uniform(0.1, 0.9, (6, 6, 3)).astype(np.float32)
    metal = (rng.random((6, 6)) < 0.5).astype(np.float32)
    specular = 0.04 + (base - 0.04) * metal[..., None]
    diffuse = base * (1 - metal[..., None])
    found = metals_of(diffuse, specular)
    assert np.abs(found.metal - metal).max() < 0.02
    assert np.abs(found.base - base).max() < 0.03
    assert found.lost < 0.02


def test_a_shine_that_nothing_but_metal_has_is_lost_and_told() -> None:
    pink, grey = (np.full((2, 2, 3), value, np.float32) for value in ([0.6, 0.1, 0.3], [0.5, 0.5, 0.5]))
    assert metals_of(grey, pink).lost > 0.05
    rgba = np.full((4, 4, 4), (188, 188, 188, 255), np.uint8)
    shine = np.full((4, 4, 4), (200, 90, 150, 77), np.uint8)
    scene = wearing([picture("d", rgba), picture("s", shine)], Material("m", base_color_texture=TextureRef(0)))
    result = performed("specular_to_metal", scene, specular="s")
    assert {e.label: e.value for e in result.measured}["shine lost"] > 5
    assert (worn(result.scene, "metallic_roughness_texture")[..., 1] == 255 - 77).all()
    plain = performed("specular_to_metal", scene, level=4, gloss="a constant", gloss_value=30)
    assert (worn(plain.scene, "metallic_roughness_texture")[..., 2] == 0).all()
    assert np.abs(worn(plain.scene, "base_color_texture").astype(int) - rgba).max() <= 1


@pytest.mark.parametrize(
    ("blend", "other"),
    [("multiplied", ImageChops.multiply), ("screened", ImageChops.screen), ("added", ImageChops.add),
     ("overlaid", ImageChops.overlay)],
)  # fmt: skip
def test_layers_are_as_another_library_blends_them(blend: Any, other: Any) -> None:
    lower, upper = noise(11, 9, 7), noise(12, 9, 7)
    found = layered(lower, upper, np.ones((9, 7)), blend)
    expected = np.asarray(other(*(Picture.fromarray(x[..., :3]) for x in (lower, upper))))
    assert np.abs(found[..., :3].astype(int) - expected).max() <= 2
    assert np.array_equal(layered(lower, upper, np.zeros((9, 7)), blend), lower)


def test_a_flat_detail_leaves_normals_and_a_bent_one_bends_a_flat_surface() -> None:
    flat, bent = np.full((4, 4, 4), (128, 128, 255, 255), np.uint8), np.full((4, 4, 4), (180, 128, 240, 255), np.uint8)
    ones = np.ones((4, 4))
    assert np.abs(layered(bent, flat, ones, "normals added").astype(int) - bent).max() <= 3
    assert np.abs(layered(flat, bent, ones, "normals added").astype(int) - bent).max() <= 3
    assert np.abs(layered(flat, bent, ones * 0, "normals added").astype(int) - flat).max() <= 1


def test_a_detail_is_baked_in_where_the_mask_says_so() -> None:
    mask = np.zeros((8, 8, 4), np.uint8)
    mask[:4, :, 1] = 255
    lower, upper = noise(14, 8, 8), np.full((2, 2, 4), (9, 90, 200, 255), np.uint8)
    images = [picture("lower", lower), picture("upper", upper), picture("mask", mask)]
    refs = [TextureRef(k) for k in range(3)]
    scene = wearing(images, Material("m", base_color_texture=refs[0], emissive_texture=refs[1], normal_texture=refs[2]))
    made = performed("bake_layers", scene, lower="lower", upper="upper", mask="mask", channel="g", across=2).scene
    assert np.array_equal(worn(made, "base_color_texture")[4:, :, :3], lower[4:, :, :3])
    assert (worn(made, "base_color_texture")[:4, :, :3] == (9, 90, 200)).all()
    step = STEPS.get("bake_layers")
    told = step.parse({"lower": "lower", "entry": "tex/u.dds", "mask": "mask", "channel": "g", "across": 2})
    shelf = Shelf({"tex/u.dds": texture_sheet(picture("u", upper), "u")})
    brought = step.perform(scene, told, CONTEXT, shelf).scene
    assert np.array_equal(worn(brought, "base_color_texture"), worn(made, "base_color_texture"))
    over = performed("bake_layers", scene, lower="lower", upper="upper", mask="mask", channel="g", inverted=True).scene
    assert (worn(over, "base_color_texture")[4:, :, :3] == (9, 90, 200)).all()


def test_each_channel_of_a_mask_tints_and_what_others_wear_stays() -> None:
    base, mask = noise(15, 8, 8), np.zeros((8, 8, 4), np.uint8)
    mask[:4, :, 0], mask[4:, :4, 1] = 255, 255
    scene = wearing(
        [picture("base", base), picture("mask", mask)],
        Material("suit", base_color_texture=TextureRef(0), emissive_texture=TextureRef(1)),
        Material("same cloth", base_color_texture=TextureRef(0)),
    )
    made = performed("tint_by_mask", scene, materials=["suit"], mask="mask", red="#ff0000", green="#0000ff").scene
    found = worn(made, "base_color_texture")
    assert (found[:4, :, 1:3] == 0).all()
    assert np.array_equal(found[:4, :, 0], base[:4, :, 0])
    assert (found[4:, :4, :2] == 0).all()
    assert np.array_equal(found[4:, 4:], base[4:, 4:])
    assert np.array_equal(worn(made, "base_color_texture", 1), base)
    step = STEPS.get("tint_by_mask")
    shelf = Shelf({"tex/d.dds": texture_sheet(picture("d", mask), "d"), "empty": Scene("empty")})
    told = {"materials": ["suit"], "red": "#ff0000", "green": "#0000ff"}
    brought = step.perform(scene, step.parse(told | {"entry": "tex/d.dds"}), CONTEXT, shelf)
    assert np.array_equal(worn(brought.scene, "base_color_texture"), found)
    assert len(brought.scene.images) == len(made.images), "the mask is not kept"
    with pytest.raises(UsageError, match="holds no picture"):
        step.perform(scene, step.parse(told | {"entry": "empty"}), CONTEXT, shelf)
    half = tinted(np.full((1, 1, 4), 200, np.uint8), np.full((1, 1, 4), 127, np.uint8), [(0, 1, 1), None, None, None])
    assert abs(int(half[0, 0, 0]) - 100) <= 1


@given(
    sizes=st.lists(st.tuples(st.integers(1, 90), st.integers(1, 90)), min_size=1, max_size=14), gap=st.integers(0, 5)
)
def test_rectangles_lie_apart_and_inside(sizes: list[tuple[int, int]], gap: int) -> None:
    whole = packed(sizes, gap, power=True)
    taken = np.zeros((whole.height, whole.width), int)
    for (width, height), (left, top) in zip(sizes, whole.at, strict=True):
        assert left >= 0
        assert top >= 0
        taken[top : top + height, left : left + width] += 1
    assert taken.max() == 1
    assert taken.sum() == sum(width * height for width, height in sizes)
    assert whole.width & (whole.width - 1) == 0
    loose = packed(sizes, gap, power=False)
    assert loose.width * loose.height <= whole.width * whole.height


def test_a_rim_is_what_lies_beside_it() -> None:
    onto, piece = np.zeros((8, 8, 4), np.uint8), noise(16, 3, 3)
    put(onto, piece, (2, 2), 1)
    assert np.array_equal(onto[2:5, 2:5], piece)
    assert np.array_equal(onto[1, 1], piece[0, 0])
    assert np.array_equal(onto[5, 3], piece[2, 1])
    assert not onto[0].any()


def seen(scene: Scene, part: str, slot: str, count: int = 60) -> np.ndarray[Any, Any]:
    """What a map and its factors show at fixed places of a part's faces, away from the borders of texels."""
    [(_, _, mesh)] = [one for one in parts(scene) if one[1].name == part]
    [p] = mesh.primitives
    assert p.material is not None
    material = scene.materials[p.material]
    weights = np.random.default_rng(8).dirichlet(np.ones(3) * 4, (count, len(p.indices)))
    uvs = np.einsum("cfk,fkx->cfx", weights, p.uvs[0][p.indices].astype(np.float64)).reshape(-1, 2)
    ref = getattr(material, slot)
    found = np.ones((len(uvs), 4), np.float32)
    if ref is not None:
        found = texels_at(texels(scene.images[scene.textures[ref.texture].image]), uvs.astype(np.float32))
    if slot == "metallic_roughness_texture":
        return found[:, 1:3] * (material.roughness, material.metallic)
    return srgb_from_linear(linear_from_srgb(found[:, :3]) * np.array(material.base_color[:3]))


def smooth(seed: int, height: int, width: int) -> np.ndarray[Any, Any]:
    """A picture that is enlarged: between its texels lies what lies between theirs."""
    small = Picture.fromarray(noise(seed, max(height // 8, 1), max(width // 8, 1)))
    rgba = np.array(small.resize((width, height), Picture.Resampling.BICUBIC))
    rgba[..., 3] = 255
    return rgba


def three_materials() -> Scene:
    images = [picture("a", smooth(21, 64, 32)), picture("b", smooth(22, 32, 32)), picture("b_orm", smooth(23, 64, 64))]
    inner = np.array([[0.25, 0.3], [0.75, 0.3], [0.75, 0.6], [0.25, 0.6]])
    other = inner + (2.0, -1.0)  # another repetition of the texture
    return wearing(
        images,
        Material("a", base_color_texture=TextureRef(0), base_color=(0.5, 0.8, 1.0, 1.0), metallic=0.3, roughness=0.6),
        Material("b", base_color_texture=TextureRef(1), metallic_roughness_texture=TextureRef(2), metallic=0.9),
        Material("c", base_color_texture=TextureRef(1)),
        surfaces=[sheet(inner), sheet(), sheet(other)],
    )


@pytest.mark.parametrize("keep", ["what surfaces use", "whole textures"])
def test_an_atlas_shows_what_was_seen(keep: str) -> None:
    scene = three_materials()
    result = performed("pack_textures", scene, keep=keep)
    made = result.scene
    assert [m.name for m in made.materials] == ["a and 2 more"]
    assert len(made.images) == 2
    for part in ("part0", "part1", "part2"):
        for slot, near in (("base_color_texture", 0.03), ("metallic_roughness_texture", 0.03)):
            was, now = seen(scene, part, slot), seen(made, part, slot)
            assert np.abs(was - now).mean() < 0.01
            assert np.quantile(np.abs(was - now), 0.97) < near


def test_trimmed_maps_are_smaller_and_show_the_same() -> None:
    scene = three_materials()
    result = performed("pack_textures", scene, into="each for itself", power=False)
    sizes = {e.label: e.value for e in result.measured}
    assert sizes["texels after"] < sizes["texels before"] / 3
    for part in ("part0", "part1", "part2"):
        was, now = seen(scene, part, "base_color_texture"), seen(result.scene, part, "base_color_texture")
        assert np.abs(was - now).mean() < 0.01
    assert {"b", "b_orm"} <= {image.name for image in result.scene.images}  # all of them is used


def test_what_cannot_be_moved_stays() -> None:
    scene = three_materials()
    repeated = sheet(np.array([[0, 0], [3, 0], [3, 1], [0, 1]]))
    stays = [
        replace(scene, meshes=(*scene.meshes[:2], Mesh("part2", (replace(repeated, material=2),)))),
        replace(scene, materials=(*scene.materials[:2], replace(
            scene.materials[2], clearcoat=Clearcoat(1.0, texture=TextureRef(1))))),
        replace(scene, materials=(*scene.materials[:2], replace(
            scene.materials[2], base_color_texture=TextureRef(1, scale=(2.0, 2.0))))),
        replace(scene, meshes=(*scene.meshes[:2], Mesh("part2", (replace(
            scene.meshes[2].primitives[0], dressings=(Dressing("x", 2),)),)))),
    ]  # fmt: skip
    for one in stays:
        result = performed("pack_textures", one)
        assert {e.label: e.value for e in result.measured}["materials that stay"] == 1
        assert [m.name for m in result.scene.materials] == ["c", "a and 1 more"]
        assert np.array_equal(*(s.meshes[2].primitives[0].uvs[0] for s in (result.scene, one)))
    clamped = replace(scene, textures=(*scene.textures[:1], replace(
        scene.textures[1], sampler=Sampler(wrap_u="clamp")), *scene.textures[2:]))  # fmt: skip
    assert [m.name for m in performed("pack_textures", clamped).scene.materials] == ["c", "a and 1 more"]
    dotted = replace(scene, textures=tuple(replace(t, sampler=Sampler(filter="nearest")) for t in scene.textures))
    assert {t.sampler.filter for t in performed("pack_textures", dotted).scene.textures} == {"nearest"}
    with pytest.raises(UsageError, match="too large"):
        performed("pack_textures", scene, largest=16)


def ball(seed: int) -> Scene:
    shape = trimesh.creation.icosphere(subdivisions=3)
    turn = np.random.default_rng(seed).normal(size=(3, 4))
    colors = np.clip(shape.vertices @ turn * 0.25 + 0.5, 0, 1)
    colors[:, 3] = 1
    return done(alone(shape, colors=(as_floats(colors, 4),)), "unwrap", texels=512)


def test_colours_of_vertices_go_into_a_texture_and_back() -> None:
    scene = ball(3)
    before = scene.meshes[0].primitives[0].colors[0]
    painted = done(scene, "colors_to_texture", size=512)
    assert painted.meshes[0].primitives[0].colors == ()
    back = done(painted, "texture_to_colors")
    found = back.meshes[0].primitives[0].colors[0]
    assert np.abs(found - before).mean() < 0.01
    assert np.quantile(np.abs(found - before), 0.99) < 0.05
    assert back.images == ()
    assert done(painted, "texture_to_colors", keep="both").images == painted.images


def test_painted_colours_multiply_the_map_that_was_there() -> None:
    base = smooth(31, 64, 64)
    shade = np.full((4, 4), (0.5, 0.25, 1.0, 1.0), np.float32)
    surface = replace(sheet(), colors=(as_floats(shade, 4),))
    scene = wearing([picture("m", base)], Material("m", base_color_texture=TextureRef(0)), surfaces=[surface])
    made = done(scene, "colors_to_texture", size=64)
    expected = srgb_from_linear(linear_from_srgb(base[..., :3] / 255) * shade[0, :3])
    assert np.abs(worn(made, "base_color_texture")[..., :3] / 255 - expected).max() < 0.01
    bare = alone(trimesh.creation.box(), colors=(as_floats(np.ones((8, 4)), 4),))
    with pytest.raises(UsageError, match="no place in a texture"):
        done(bare, "colors_to_texture")
