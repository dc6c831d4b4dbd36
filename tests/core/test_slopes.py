"""Which way the green of a normal map points, told from its slopes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.findings.registry import RULES
from pruxel.core.images import png
from pruxel.core.images.levels import normals_of
from pruxel.core.images.slopes import slopes
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Texture, TextureRef
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import STEPS
from tests.scenes import two_boxes

CONTEXT = Context()


def heights(kind: str, size: int = 128) -> np.ndarray:
    """A surface (size, size), 0 to 1."""
    v, u = np.mgrid[0:size, 0:size] / size
    rng = np.random.default_rng(7)
    match kind:
        case "waves":
            return (np.sin(u * 25) * np.cos(v * 19) / 2 + 0.5).astype(np.float32)
        case "bricks":
            rows = np.floor(v * 8)
            across = (u * 4 + rows * 0.5) % 1
            return ((np.minimum(across, 1 - across) > 0.06) & ((v * 8) % 1 > 0.12)).astype(np.float32)
        case _:
            noise = sum(
                np.kron(rng.random((4 * 2**k, 4 * 2**k)), np.ones((size // (4 * 2**k),) * 2)) / 2**k for k in range(5)
            )
            smooth = noise
            for _ in range(6):
                smooth = (smooth + np.roll(smooth, 1, 0) + np.roll(smooth, 1, 1) + np.roll(smooth, -1, 0)) / 4
            return (smooth / smooth.max()).astype(np.float32)


def turned(rgba: np.ndarray) -> np.ndarray:
    made = rgba.copy()
    made[..., 1] = 255 - made[..., 1]
    return made


@pytest.mark.parametrize("kind", ["waves", "bricks", "rock"])
@pytest.mark.parametrize("strength", [3.0, 12.0])
def test_the_right_way_fits_and_the_other_does_not(kind: str, strength: float) -> None:
    right = normals_of(heights(kind), strength)
    seen, other = slopes(right), slopes(turned(right))
    assert seen.as_is < 0.4 * seen.turned
    assert other.turned < 0.4 * other.as_is
    no_blue = right.copy()
    no_blue[..., 2] = 255
    assert slopes(no_blue) == seen


def test_what_says_nothing_is_told_as_rough_as_it_is() -> None:
    flat = np.full((32, 32, 4), 128, np.uint8)
    assert slopes(flat).rough < 1e-3
    assert slopes(np.zeros((1, 1, 4), np.uint8)).rough == 0
    noise = np.random.default_rng(3).integers(0, 256, (64, 64, 4), np.uint8)
    seen = slopes(noise)
    assert 0.8 < seen.as_is / seen.turned < 1.25


def dressed(rgba: np.ndarray) -> Scene:
    """Two boxes whose first material has this normal map."""
    scene = two_boxes()
    image = Image("bumps", EncodedImage(png.encode(rgba), "image/png"))
    first = replace(scene.materials[0], normal_texture=TextureRef(len(scene.textures)))
    textures = (*scene.textures, Texture(len(scene.images)))
    return replace(
        scene, images=(*scene.images, image), textures=textures, materials=(first, *scene.materials[1:])
    )  # fmt: skip


def test_the_finding_names_who_wears_it_and_its_step_ends_it() -> None:
    rule, step = RULES.get("turned_green"), STEPS.get("turn_green")
    right = normals_of(heights("rock"), 8.0)
    assert not list(rule.look(dressed(right), CONTEXT))
    scene = dressed(turned(right))
    [finding] = rule.look(scene, CONTEXT)
    assert finding.parts
    assert finding.suggestion is not None
    assert finding.suggestion.params == {"materials": [scene.materials[0].name]}
    mended = step.run(scene, step.parse(finding.suggestion.params), CONTEXT).scene
    assert not list(rule.look(mended, CONTEXT))
    broken = Image("bumps", EncodedImage(b"no picture", "image/png"))
    assert not list(rule.look(replace(scene, images=(*scene.images[:-1], broken)), CONTEXT))
