"""Steps on materials and textures: values, channels, sizes, and what nothing uses any more."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from pruxel.core.base.errors import UsageError
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.images import png
from pruxel.core.scene.channels import channel_of
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.registry import STEPS
from tests.core.test_repairs import performed
from tests.scenes import gradient, two_boxes


def textured() -> Scene:
    """Two boxes of two materials; a packed picture, and a normal map mixed from it."""
    scene = two_boxes()
    packed = gradient()
    assert isinstance(packed.content, EncodedImage)
    picks = [ChannelPick(packed.content, channel) for channel in ("r", "g", "b")]
    normals = Image("bumps", ChannelMix(*picks))
    paint = replace(scene.materials[0], normal_texture=TextureRef(1, uv_set=0, scale=(2.0, 2.0)))
    large, small = scene.meshes
    small = replace(small, primitives=tuple(replace(p, material=1) for p in small.primitives))
    return replace(
        scene, materials=(paint, Material("rust")), images=(packed, normals), textures=(Texture(0), Texture(1)),
        meshes=(large, small),
    )  # fmt: skip


def test_what_is_given_changes_and_nothing_else() -> None:
    scene = textured()
    made = performed("edit_material", scene, materials=["paint"], color="#80ff00", opacity=25, glass=60).scene.materials
    assert made[1] is scene.materials[1]
    shown = np.rint(srgb_from_linear(np.array(made[0].base_color[:3], np.float32)) * 255)
    assert shown.tolist() == [128, 255, 0]
    assert made[0].base_color[3] == 0.25
    assert made[0].transmission is not None
    assert made[0].transmission.factor == 0.6
    assert replace(made[0], base_color=scene.materials[0].base_color, transmission=None) == scene.materials[0]
    for wrong, why in (
        ({}, "nothing is to be changed"), ({"color": "red"}, "colour"), ({"materials": ["wood"], "opacity": 1}, "wood"),
    ):  # fmt: skip
        with pytest.raises(UsageError, match=why):
            performed("edit_material", scene, **wrong)


def test_a_material_is_put_on_parts_and_the_one_left_over_goes() -> None:
    worn = performed("assign_material", textured(), parts=["large"], material="rust").scene
    assert [m.name for m in worn.materials] == ["rust"]
    assert worn.images == ()
    fresh = performed("assign_material", textured(), parts=["small"], material="tar", color="#000000").scene
    assert [m.name for m in fresh.materials] == ["paint", "tar"]
    assert fresh.materials[1].base_color == (0, 0, 0, 1)


def test_equal_materials_become_one_whatever_they_and_their_pictures_are_called() -> None:
    scene = textured()
    again = replace(scene.images[0], name="gradient copy")
    double = replace(scene.materials[0], name="paint 2", base_color_texture=TextureRef(2))
    small = replace(scene.meshes[1], primitives=tuple(replace(p, material=1) for p in scene.meshes[1].primitives))
    doubled = replace(
        scene, materials=(scene.materials[0], double), images=(*scene.images, again),
        textures=(*scene.textures, Texture(2)), meshes=(scene.meshes[0], small),
    )  # fmt: skip
    merged = performed("merge_materials", doubled).scene
    assert [m.name for m in merged.materials] == ["paint"]
    assert [i.name for i in merged.images] == ["gradient", "bumps"]
    assert {p.material for mesh in merged.meshes for p in mesh.primitives} == {0}
    assert len(performed("merge_materials", scene).scene.materials) == 2


def test_a_map_is_put_together_from_channels() -> None:
    scene = textured()
    mixed = performed(
        "compose_map", scene, materials=["rust"], slot="metal and roughness", red={"value": 100},
        green={"texture": "bumps", "channel": "g", "inverted": True}, blue={"texture": "gradient", "channel": "a"},
        name="rust orm",
    ).scene  # fmt: skip
    rust = mixed.materials[1]
    assert (rust.metallic, rust.roughness) == (1.0, 1.0)
    assert rust.metallic_roughness_texture is not None
    made = texels(mixed.images[mixed.textures[rust.metallic_roughness_texture.texture].image])
    source = texels(scene.images[0])
    assert np.array_equal(made[..., 1], 255 - source[..., 1])
    assert np.array_equal(made[..., 2], source[..., 3])
    assert (made[..., [0, 3]] == 255).all()
    # A slot that had a map reads the new one as it read the old.
    over = performed("compose_map", scene, materials=["paint"], slot="normals", red={"texture": "gradient"}).scene
    ref = over.materials[0].normal_texture
    assert ref is not None
    assert ref.scale == (2.0, 2.0)
    assert "bumps" not in [i.name for i in over.images]
    with pytest.raises(UsageError, match="no texture called 'x'"):
        performed("compose_map", scene, red={"texture": "x"})


def test_channels_of_mixes_are_those_of_what_they_are_mixed_from() -> None:
    scene = textured()
    mix = scene.images[1]
    found = channel_of(mix, "g", inverted=True)
    assert isinstance(found, ChannelPick)
    assert (found.channel, found.inverted) == ("g", True)
    assert channel_of(mix, "a", inverted=True) == 0.0
    turned = performed("turn_green", scene).scene
    before, after = texels(scene.images[1]), texels(turned.images[1])
    assert np.array_equal(after[..., 1], 255 - before[..., 1])
    assert np.array_equal(after[..., [0, 2, 3]], before[..., [0, 2, 3]])
    assert turned.images[0] is scene.images[0]
    assert np.array_equal(texels(performed("turn_green", turned).scene.images[1]), before)


def test_textures_fit_and_those_that_did_stay_byte_by_byte() -> None:
    odd = np.zeros((10, 40, 4), np.uint8)
    scene = replace(textured(), images=(gradient(), Image("odd", EncodedImage(png.encode(odd), "image/png"))))
    made = performed("resize_textures", scene, largest=16, sides="power of two").scene
    assert made.images[0] is scene.images[0]
    assert texels(made.images[1]).shape == (4, 16, 4)
    named = performed("resize_textures", scene, largest=4, textures=["gradient"]).scene
    assert [texels(i).shape[:2] for i in named.images] == [(2, 4), (10, 40)]


def test_materials_are_renamed() -> None:
    made = performed("rename_materials", textured(), pattern="hull_{number}_{name}").scene
    assert [m.name for m in made.materials] == ["hull_1_paint", "hull_2_rust"]
    with pytest.raises(UsageError, match="no name"):
        performed("rename_materials", textured(), find="rust", put="")


def test_every_step_has_a_group_and_says_what_it_acts_on() -> None:
    assert {one.group for one in STEPS} == {"assemble", "materials", "uvs", "geometry", "motion", "skin"}
    assert STEPS.get("weld_vertices").acts_on_parts
    assert not STEPS.get("set_units").acts_on_parts
    assert not STEPS.get("bring_in").acts_on_parts
