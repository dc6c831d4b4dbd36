"""The made-up game: the same from the same seed, other from another, and of the size promised."""

from pathlib import Path

from pruxel.core.sources.stack import Stack
from pruxel.sample.build import build_model
from pruxel.sample.models import MODELS, town

# The update replaces this one, in another colour.
UPDATED = {"tex/p0021/lamp_e.dds"}
LAMP = MODELS.index(town.lamp)


def test_the_same_seed_gives_the_same_bytes_and_another_seed_others() -> None:
    first, again, other = build_model(LAMP, 1), build_model(LAMP, 1), build_model(LAMP, 2)
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
