"""What all tests share: the made-up game (generated once, kept in the data folder) and its opened stack."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import replace
from functools import cache
from pathlib import Path

import pytest
from hypothesis import settings

from pruxel.core.base.context import Context
from pruxel.core.deliver import deliver
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile_files import load_profile
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.open import in_language, open_sources
from pruxel.core.sources.stack import Stack, build_stack
from pruxel.sample.cached import cached_sample

# Machines are shared and noisy: how long one example takes says nothing.
settings.register_profile("unhurried", deadline=None)
settings.load_profile("unhurried")
ROOT = Path(__file__).resolve().parent.parent
CRAB = "actors/crab_toll/crab_toll.brm"


@pytest.fixture(scope="session", autouse=True)
def _reports_with_small_pictures() -> Iterator[None]:
    """Most of the time of a small delivery goes into its pictures, which few tests look at."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(deliver, "_VIEW", replace(deliver._VIEW, width=64, height=48, sky_rays=2))
        yield


@pytest.fixture(scope="session")
def game() -> Path:
    """The folder of the made-up game."""
    data = Path(os.environ.get("PRUXEL_DATA_FOLDER", ROOT / ".data"))
    return cached_sample(data / "samples", 1, lambda _f, _m: None)


@pytest.fixture(scope="session")
def stack(game: Path) -> Stack:
    """The game's merged entries."""
    return stack_of(game, game_knowledge(game))


@cache
def game_knowledge(game: Path) -> Knowledge:
    loaded = load_profile(game / "brinepost.yaml")
    return Knowledge(loaded.profile, names=loaded.names())


def stack_of(place: Path, known: Knowledge, language: str | None = "en") -> Stack:
    """A place's sources, listed and merged."""
    sources = [opened.source for opened in in_language(open_sources(place, known), language)]
    return build_stack(sources, known.profile, Context())


@pytest.fixture(scope="session")
def opener(stack: Stack) -> Opener:
    """Opens entries of the game."""
    return Opener(stack)
