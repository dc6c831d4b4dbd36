"""What happens to the application meanwhile: processes killed one by one, disks that fill up."""

from __future__ import annotations

import os
import random
import subprocess
import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from soak.application import Application

_ROLES = ("database", "backend", "server", "worker", "child", "child", "judge", "unpacking")
_DISK_MB = 96


class Harm:
    """Now and then one process is killed, or the disk for taken-out files has no room for a while."""

    def __init__(self, app: Application, seed: int, pause: float) -> None:
        self._app, self._pause = app, pause
        self._rng = random.Random(seed)  # noqa: S311 - no secrets
        self.kills: Counter[str] = Counter()
        self.most_rss: Counter[str] = Counter()

    def work(self, over: threading.Event) -> None:
        """Until it is over."""
        while not over.wait(self._rng.uniform(0.4, 1.6) * self._pause):
            there = self._app.processes()
            for one in there:
                self.most_rss[one.role] = max(self.most_rss[one.role], one.rss())
            if self._app.output is not None and self._rng.random() < 0.25:
                self._fill(over)
                continue
            role = self._rng.choice(_ROLES)
            chosen = [one for one in there if one.role == role]
            if chosen:
                self._rng.choice(chosen).kill()
                self.kills[role] += 1

    def _fill(self, over: threading.Event) -> None:
        assert self._app.output is not None
        ballast = self._app.output / ".ballast"
        with suppress(OSError), ballast.open("wb", buffering=0) as file:
            while True:
                file.write(bytes(1 << 16))
        self.kills["full disk"] += 1
        over.wait(self._rng.uniform(0.5, 1.5) * self._pause)
        ballast.unlink(missing_ok=True)


@contextmanager
def small_disk(place: Path) -> Iterator[Path | None]:
    """A disk of few megabytes, where the system lets us have one; None otherwise."""
    place.mkdir(parents=True, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={_DISK_MB}m", "tmpfs", str(place)]
    if os.geteuid() != 0 or subprocess.run(command, capture_output=True, check=False).returncode != 0:
        yield None
        return
    try:
        yield place
    finally:
        subprocess.run(["umount", "-l", str(place)], check=False, capture_output=True)
