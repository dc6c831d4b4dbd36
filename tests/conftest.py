"""What all tests share: the made-up game (generated once, kept in the data folder) and its opened stack."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from pruxel.core.base.context import Context
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.profile import load_profile
from pruxel.core.sources.stack import Stack, build_stack, open_sources
from pruxel.sample.build import cached_sample

ROOT = Path(__file__).resolve().parent.parent
CRAB = "actors/crab_toll/crab_toll.brm"


@pytest.fixture(scope="session")
def game() -> Path:
    """The folder of the made-up game."""
    data = Path(os.environ.get("PRUXEL_DATA_FOLDER", ROOT / ".data"))
    return cached_sample(data / "samples", 1, lambda _f, _m: None)


@pytest.fixture(scope="session")
def stack(game: Path) -> Stack:
    """The game's merged entries."""
    profile = load_profile(game / "brinepost.yaml")
    return build_stack(open_sources(game, profile), profile, Context())


@pytest.fixture(scope="session")
def opener(stack: Stack) -> Opener:
    """Opens entries of the game."""
    return Opener(stack)
