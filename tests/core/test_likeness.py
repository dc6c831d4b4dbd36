"""What textures show is told from their texels, however they are packed, and a map in the wrong slot is found."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.findings.registry import RULES
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.images.encode import dds
from pruxel.core.images.levels import normals_of
from pruxel.core.images.likeness import likeness
from pruxel.core.scene.channels import with_image
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.meanings import noted
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.registry import STEPS
from tests.scenes import two_boxes

RNG = np.random.default_rng(5)


def heights(side: int = 96, rough: float = 1.0) -> np.ndarray:
    """Hills between 0 and 1."""
    x, y = np.meshgrid(np.linspace(0, 9, side), np.linspace(0, 7, side))
    return (0.5 + 0.25 * np.sin(x) * np.cos(y) + 0.2 * rough * np.sin(3 * x + 2 * y)).astype(np.float32)


def grey(values: np.ndarray) -> ByteArray:
    """All channels alike, opaque."""
    made = np.full((*values.shape, 4), 255, np.uint8)
    made[..., :3] = np.rint(values * 255)[..., None]
    return made


def packed(normals: ByteArray, right: int, up: int, still: int) -> ByteArray:
    """Two components in the channels of these numbers, the others still."""
    made = np.full_like(normals, still)
    made[..., 3] = 255
    made[..., right], made[..., up] = normals[..., 0], normals[..., 1]
    return made


def sphere() -> ByteArray:
    """Normals of a whole ball, by longitude and latitude."""
    long, lat = np.meshgrid(np.linspace(0, 2 * np.pi, 128), np.linspace(0.02, np.pi - 0.02, 64))
    out = np.stack([np.sin(lat) * np.cos(long), np.cos(lat), np.sin(lat) * np.sin(long)], axis=2)
    made = np.full((64, 128, 4), 255, np.uint8)
    made[..., :3] = np.rint(out * 127.5 + 127.5)
    return made


NORMALS = normals_of(heights(), 24.0)
COLOURS = RNG.integers(0, 256, (64, 64, 4), dtype=np.uint8)


@pytest.mark.parametrize(
    ("rgba", "shows"),
    [
        (NORMALS, "normals"),
        (normals_of(heights(700), 60.0), "normals"),
        (np.full((4, 4, 4), (128, 128, 255, 255), np.uint8), "flat normals"),
        (np.full((4, 4, 4), (40, 120, 60, 255), np.uint8), "one colour"),
        (np.full((1, 1, 4), 255, np.uint8), "one colour"),
        (grey(heights()), "one value"),
        (grey((heights() > 0.5).astype(np.float32)), "a mask"),
        (COLOURS, "colours"),
        (sphere(), "normals of the whole model"),
    ],
)
def test_what_is_shown(rgba: ByteArray, shows: str) -> None:
    assert likeness(rgba).shows == shows


@pytest.mark.parametrize(("right", "up", "still"), [(0, 1, 0), (0, 1, 255), (3, 1, 0), (3, 1, 255), (3, 1, 128)])
def test_two_components_are_found_where_they_stand(right: int, up: int, still: int) -> None:
    found = likeness(packed(NORMALS, right, up, still))
    names = ("red", "green", "blue", "alpha")
    assert (found.shows, found.right, found.up) == ("two components of normals", names[right], names[up])


def test_components_in_alpha_are_found_beside_grey() -> None:
    made = np.repeat(NORMALS[..., 1:2], 4, axis=2)
    made[..., 3] = NORMALS[..., 0]
    assert (found := likeness(made)).shows == "two components of normals"
    assert (found.right, found.up) == ("alpha", "green")


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10**6), strength=st.floats(3, 24), form=st.sampled_from(["BC1", "BC3", "BC7"]))
def test_packing_in_blocks_hides_no_normals(seed: int, strength: float, form: str) -> None:
    """Hills of any shape up to steep ones, packed in blocks and unpacked by another's code, still show normals, never colours."""
    x, y = np.meshgrid(np.arange(64), np.arange(64))
    rng = np.random.default_rng(seed)
    hills = sum(
        rng.random() * np.sin(x * rng.uniform(0.02, 0.25) + rng.random() * 6) * np.cos(y * rng.uniform(0.02, 0.25))
        for _ in range(4)
    )
    rgba = normals_of((hills / 8 + 0.5).astype(np.float32), strength)
    assert likeness(decode_image(dds(rgba, form), "hills.dds").rgba).shows in {"normals", "flat normals"}


@settings(max_examples=100, deadline=None)
@given(seed=st.integers(0, 10**6), tint=st.tuples(*[st.integers(0, 255)] * 3))
def test_painted_surfaces_are_no_normals(seed: int, tint: tuple[int, int, int]) -> None:
    rng = np.random.default_rng(seed)
    shade = rng.normal(1, 0.3, (32, 32, 1)).clip(0, 2) * np.array(tint)
    rgba = np.full((32, 32, 4), 255, np.uint8)
    rgba[..., :3] = (shade + rng.normal(0, 12, (32, 32, 3))).clip(0, 255)
    assert likeness(rgba).shows in {"colours", "one value", "a mask", "one colour"}


def wearing(rgba: ByteArray, slot: str, *, said: bool = False) -> Scene:
    """Two boxes of one material that has such a map in a slot."""
    image = Image("map", EncodedImage(png.encode(rgba), "image/png"))
    scene, texture = with_image(two_boxes(), noted(image, {"red": "roughness"}) if said else image)
    worn = Material("worn", **{slot: TextureRef(texture)})  # type: ignore[arg-type] # slots hold references
    return replace(scene, materials=(worn,) * len(scene.materials))


def told(scene: Scene) -> list[tuple[str, str | None]]:
    found = list(RULES.get("misplaced_maps").look(scene, Context()))
    return [(str(f.evidence[1].value), f.suggestion and f.suggestion.step) for f in found]


def test_normals_drawn_as_a_colour_become_the_normals_they_are() -> None:
    scene = wearing(NORMALS, "base_color_texture")
    assert told(scene) == [("normals", "take_apart")]
    [found] = RULES.get("misplaced_maps").look(scene, Context())
    assert found.suggestion is not None
    done = STEPS.get("take_apart").run(scene, STEPS.get("take_apart").parse(found.suggestion.params), Context()).scene
    [material] = done.materials
    assert material.base_color_texture is None
    assert material.normal_texture is not None
    made = texels(done.images[done.textures[material.normal_texture.texture].image]).astype(int)
    assert np.abs(made - NORMALS.astype(int)).max() <= 4
    assert told(done) == []


@pytest.mark.parametrize(("right", "up", "still"), [(0, 1, 0), (3, 1, 255)])
def test_a_normal_map_of_two_components_gets_its_third(right: int, up: int, still: int) -> None:
    scene = wearing(packed(NORMALS, right, up, still), "normal_texture")
    [found] = RULES.get("misplaced_maps").look(scene, Context())
    assert found.suggestion is not None
    kind = STEPS.get(found.suggestion.step)
    done = kind.run(scene, kind.parse(found.suggestion.params), Context()).scene
    ref = done.materials[0].normal_texture
    assert ref is not None
    made = texels(done.images[done.textures[ref.texture].image]).astype(int)
    assert np.abs(made - NORMALS.astype(int)).max() <= 4
    assert told(done) == []


def test_heights_are_made_normals_of_and_the_rest_is_told() -> None:
    assert told(wearing(grey(heights()), "normal_texture")) == [("one value", "height_to_normal")]
    assert told(wearing(COLOURS, "normal_texture")) == [("colours", None)]
    assert told(wearing(sphere(), "normal_texture")) == [("normals of the whole model", None)]
    for right in (wearing(NORMALS, "normal_texture"), wearing(COLOURS, "base_color_texture")):
        assert told(right) == []
    assert told(wearing(grey(heights()), "base_color_texture")) == []
    assert told(wearing(NORMALS, "base_color_texture", said=True)) == [], "its channels are known to mean else"
