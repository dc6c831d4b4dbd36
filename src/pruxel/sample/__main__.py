"""`python -m pruxel.sample FOLDER`: the made-up game in FOLDER/samples, generated only where it is not there yet."""

from __future__ import annotations

import sys
from pathlib import Path

from pruxel.sample.cached import cached_sample


def main() -> int:
    """Make it, and say where it is."""
    if len(sys.argv) != 2:
        sys.stderr.write("say one folder: python -m pruxel.sample FOLDER\n")
        return 2
    sys.stdout.write(f"{cached_sample(Path(sys.argv[1]).resolve() / 'samples', 1, lambda _f, _m: None)}\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
