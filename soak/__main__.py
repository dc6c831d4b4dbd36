"""`make soak`: an hour by default. Ends with 1 when a promise was broken."""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path

from pruxel.sample.cached import cached_sample
from soak.run import Span, soak


def main() -> int:
    """Run and tell."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--minutes", type=float, default=60.0)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--people", type=int, default=4)
    given = options.parse_args()
    sample = cached_sample(Path(".data/samples").resolve(), 1, lambda _f, _m: None)
    with tempfile.TemporaryDirectory(prefix="pruxel-soak-") as folder:
        found = soak(Path(folder), sample, Span(given.minutes * 60), given.seed, given.people)
    kills = ", ".join(f"{number} {role}" for role, number in found.kills.most_common())
    memory = ", ".join(f"{role} {size} MB" for role, size in found.most_megabytes.items())
    sys.stdout.write(f"{found.acts:,} acts; killed: {kills}\nmost memory: {memory}\n")
    if not found.small_disk:
        sys.stdout.write("no disk could be filled: that takes root and tmpfs\n")
    for line in found.broken:
        sys.stdout.write(f"BROKEN {line}\n")
    sys.stdout.write("every promise held\n" if not found.broken else f"{len(found.broken)} promises were broken\n")
    return int(bool(found.broken))


if __name__ == "__main__":
    sys.exit(main())
