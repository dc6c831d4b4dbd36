"""The application as `make demo` starts it, on a data folder of its own, and every process that belongs to it."""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from pruxel.server.jobs.children import resident_bytes
from pruxel.server.postgres import cluster_folder

_START_SECONDS = 400.0
_LINK = re.compile(r"http://\S+?\?key=\S+")


@dataclass(frozen=True)
class Process:
    """A running process and what it does for us."""

    pid: int
    role: str

    def rss(self) -> int:
        """Bytes of memory; 0 when it is gone."""
        return resident_bytes(self.pid)

    def kill(self) -> None:
        """At once and without a word."""
        with suppress(ProcessLookupError):
            os.kill(self.pid, signal.SIGKILL)


@dataclass
class Application:
    """One installation. `roots` may be mounted, `output` is where files are taken to."""

    data: Path
    sample: Path
    roots: tuple[Path, ...]
    port: int
    output: Path | None = None
    process: subprocess.Popen[bytes] | None = None
    addresses: list[str] = field(default_factory=list)

    @property
    def log(self) -> Path:
        """What the start command said, over all starts."""
        return self.data / "said.log"

    @property
    def base(self) -> str:
        """The address without the key."""
        return self.addresses[-1].split("/?")[0]

    def environment(self) -> dict[str, str]:
        """Of the start command."""
        roots = ", ".join(f'"{root}"' for root in self.roots)
        env = {name: value for name, value in os.environ.items() if not name.startswith("PRUXEL_")}
        env |= {"PRUXEL_DATA_FOLDER": str(self.data), "PRUXEL_ROOTS": f"[{roots}]", "PRUXEL_PORT": str(self.port)}
        return env if self.output is None else env | {"PRUXEL_OUTPUT_FOLDER": str(self.output)}

    def start(self) -> str:
        """Start it; returns the printed address when the page is served."""
        (self.data / "samples").mkdir(parents=True, exist_ok=True)
        with suppress(FileExistsError):
            (self.data / "samples" / self.sample.parent.name).symlink_to(self.sample.parent)
        before = len(_LINK.findall(self.log.read_text())) if self.log.exists() else 0
        with self.log.open("ab") as out:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "pruxel.server.demo"], env=self.environment(), stdout=out, stderr=out
            )
        deadline = time.monotonic() + _START_SECONDS
        while len(found := _LINK.findall(self.log.read_text())) <= before:
            if self.process.poll() is not None or time.monotonic() > deadline:
                raise AssertionError(f"it did not start:\n{self.log.read_text()[-2000:]}")
            time.sleep(0.1)
        self.addresses.append(found[-1])
        return found[-1]

    def stop(self) -> int:
        """Press Ctrl-C; returns the exit code."""
        assert self.process is not None
        self.process.send_signal(signal.SIGINT)
        return self.process.wait(200)

    def kill(self) -> None:
        """Kill the start command itself; everything else has to notice."""
        assert self.process is not None
        self.process.kill()
        self.process.wait()

    def processes(self) -> list[Process]:
        """All that belongs to this data folder, whoever its parent is."""
        return list(_processes(str(self.data), str(cluster_folder(self.data))))

    def gone_within(self, seconds: float) -> list[Process]:
        """The processes that are still there after so long; none is what should be."""
        deadline = time.monotonic() + seconds
        while (left := self.processes()) and time.monotonic() < deadline:
            time.sleep(0.2)
        return left

    def forget(self) -> None:
        """Remove the database's folder, which may lie elsewhere."""
        shutil.rmtree(cluster_folder(self.data), ignore_errors=True)


def _processes(data: str, cluster: str) -> Iterator[Process]:
    marker = f"PRUXEL_DATA_FOLDER={data}".encode()
    for place in Path("/proc").iterdir():
        if not place.name.isdigit():
            continue
        try:
            words = place.joinpath("cmdline").read_bytes().split(b"\0")
            ours = marker in place.joinpath("environ").read_bytes().split(b"\0")
            here = str(place.joinpath("cwd").readlink())
            state = place.joinpath("stat").read_text().rsplit(")", 1)[1].split()[0]
        except OSError:
            continue
        line = b" ".join(words).decode(errors="replace")
        if state != "Z" and int(place.name) != os.getpid() and (ours or here.startswith(cluster)):
            yield Process(int(place.name), _role(line))


def _role(line: str) -> str:
    known = (
        ("pruxel.server.demo", "start"),
        ("pruxel serve", "server"),
        ("pruxel worker", "worker"),
        ("jobs.unpacking", "unpacking"),
        ("spawn_main", "child"),
        ("resource_tracker", "tracker"),
        ("judge.mjs", "judge"),
        ("postgres: ", "backend"),
        ("postgres", "database"),
    )
    return next((role for words, role in known if words in line), "other")
