"""The made-up game where it is kept, made only when it is not there."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable
from pathlib import Path

from pruxel import __version__


def sample_version(seed: int) -> str:
    """A word that changes when the generator's code or data or the seed changes."""
    state = hashlib.blake2b(f"{__version__}:{seed}".encode(), digest_size=8)
    root = Path(__file__).parent
    for path in sorted([*root.rglob("*.py"), *root.rglob("*.yaml")]):
        state.update(path.read_bytes())
    return state.hexdigest()


def cached_sample(cache: Path, seed: int, report: Callable[[float, str], None], version: int = 1) -> Path:
    """The sample in a cache folder, generated only when it is not there yet or outdated.

    Two that make it at once each write in a folder of their own; the first to end puts its there.
    """
    edition = "" if version == 1 else f"-v{version}"
    wanted = cache / f"{seed}-{sample_version(seed)}{edition}" / "Brinepost"
    if not wanted.is_dir():
        wanted.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".partial-", dir=wanted.parent) as own:
            # Only here: what makes it takes seconds to load, and mostly it is there.
            from pruxel.sample import build

            partial = Path(own) / wanted.name
            build.write_sample(partial, seed, report, version)
            try:
                partial.rename(wanted)
            except OSError:
                if not wanted.is_dir():
                    raise
    return wanted
