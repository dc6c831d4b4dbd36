"""The made-up game: the same from the same seed, other from another, and of the size promised."""

from pathlib import Path

import numpy as np
import pytest
from skimage.measure import marching_cubes

from pruxel.core.sources.stack import Stack
from pruxel.sample import build
from pruxel.sample.build import build_model
from pruxel.sample.cached import cached_sample
from pruxel.sample.models import MODELS, town, wear
from pruxel.sample.sdf import capsule, cut, displaced, ellipsoid, join, rounded_box
from pruxel.sample.shapes import _measured

# The update replaces this one, in another colour.
UPDATED = {"tex/p0021/lamp_e.dds"}
LAMP = MODELS.index(town.lamp)
HANDS = MODELS.index(wear.hands)


def test_the_same_seed_gives_the_same_bytes_and_another_seed_others() -> None:
    first, again, other = (build_model(HANDS, seed) for seed in (1, 1, 2))
    assert first.files == again.files
    assert first.files.keys() == other.files.keys()
    assert first.files != other.files


def test_the_cached_game_is_what_the_generator_makes(stack: Stack, game: Path) -> None:
    from pruxel.core.base.context import Context

    made = build_model(LAMP, 1)
    assert made.files
    for path, data in made.files.items():
        if path.startswith("~") or path in UPDATED:
            continue
        assert bytes(stack.read(path, Context())) == data
    assert (game / "dev/starfish.tga").is_file()


def test_there_are_enough_models_and_all_have_textures(stack: Stack) -> None:
    kinds = [entry.kind for entry in stack.entries.values()]
    assert kinds.count("model") > len(MODELS) >= 12
    assert kinds.count("texture") >= 3 * 14


def test_two_that_make_the_game_at_once_both_have_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two starts on one machine: the second to end finds the place taken, and uses what is there."""

    def slowly(folder: Path, *_: object) -> None:
        folder.mkdir(parents=True)
        (folder / "one.txt").write_text("whole")
        if len(list(tmp_path.glob("*/.partial-*"))) == 1:  # the other starts and ends in the meantime
            cached_sample(tmp_path, 1, lambda _f, _m: None)

    monkeypatch.setattr(build, "write_sample", slowly)
    place = cached_sample(tmp_path, 1, lambda _f, _m: None)
    assert (place / "one.txt").read_text() == "whole"
    assert [item.name for item in place.parent.iterdir()] == ["Brinepost"]


def test_a_surface_is_the_same_measured_near_it_alone_as_measured_everywhere() -> None:
    squeezed = ellipsoid((0.1, 0, -0.1), (0.9, 0.3, 0.5))
    horned = join(squeezed, capsule((0, 0, 0), (0.5, 0.9, 0.4), 0.12, 0.03), blend=0.2)
    solid = displaced(
        cut(horned, rounded_box((0.8, 0, 0), (0.3, 0.2, 0.6), 0.05)), lambda p: 0.02 * np.sin(p[:, 0] * 30)
    )
    axes = [np.arange(-1.2, 1.3, 0.03), np.arange(-0.6, 1.2, 0.03), np.arange(-0.9, 0.9, 0.03)]
    everywhere = solid(np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)).reshape(
        [len(a) for a in axes]
    )
    measured = _measured(solid, axes)
    assert (measured != everywhere).mean() > 0.1
    for one, other in zip(marching_cubes(measured, 0.0), marching_cubes(everywhere, 0.0), strict=True):
        np.testing.assert_array_equal(one, other)
