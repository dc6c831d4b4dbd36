"""One run: changed inputs, one after the other, in a process of its own with a bound on memory."""

from __future__ import annotations

import hashlib
import json
import random
import resource
import signal
import time
import traceback
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from types import FrameType
from typing import Any

import pruxel.sample.build as sample
from fuzz import corpus, examples
from fuzz.change import changed
from fuzz.meaning import changed_document
from fuzz.targets import TARGETS, World
from pruxel.core.base.context import Context
from pruxel.core.base.errors import PruxelError
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.knowledge.kinds import layouts_for
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile_files import load_profile
from pruxel.core.sources.open import open_sources
from pruxel.core.sources.stack import build_stack

SECONDS, BYTES = 2.0, 512 << 20
_HANGS = 20.0
_GUESSED = 1500  # bytes: guessing looks long at large files
_EXPRESSIONS = (
    b"n * 4 + end(n)", b"(n, k)[0] << 2", b"min(n, k) if n > 2 else 0", b"align(n, 16)", b"len(b) - 1", b"b[0] == 97",
    b"-n // 3 % 5", b"n in (1, 2, 3)", b"not n and f or t", b"n ^ k & ~1",
)  # fmt: skip


_DOCUMENTS, _BY_MEANING = frozenset({"layout", "profile", "recipe"}), 0.7
JUNK: tuple[Any, ...] = (
    None, True, False, -1, 0, 1, 2, 3, 255, 65536, 2**31, 2**32, 2**63, 2**70, -(2**63), 0.5, -0.0, 1e308, "", "x", "file",
    "u8", "u16", "u32x3", "f32", "text", "bytes", "value", "pad", "count", "n", "start(n)", "end(file)", "(1, 2)", "1 / 0",
    "0.5", "2 ** 70", "-1", "999999999999", "file_end", "file_end * 2", "min(n, 3)", "**/*", "*" * 12, "../../etc/passwd",
    [], {}, [[]], [0, 0], ["x"], {"a": [0, 8]}, {"0": "stored"}, {"name": "n", "type": "u32"}, "stored", "zlib", "little",
)  # fmt: skip


class SlowError(Exception):
    """It did not come back."""


@dataclass(frozen=True)
class Found:
    """An input that broke a promise."""

    target: str
    name: str
    what: str
    where: str
    seed: str
    data: bytes

    def line(self) -> str:
        """In one line."""
        return f"{self.target} {self.name} [{self.seed}] {len(self.data)} bytes: {self.what} at {self.where}"

    @property
    def key(self) -> str:
        """The same mistake found again has the same key."""
        return hashlib.sha256(f"{self.target}{self.what.split(':')[0]}{self.where}".encode()).hexdigest()[:12]


def build_world(folder: Path) -> World:
    """The made-up game in `folder`, and what each of its layouts reads."""
    profile = load_profile(folder / "brinepost.yaml")
    known = Knowledge(profile.profile, names=profile.names())
    stack = build_stack(
        [o.source for o in open_sources(folder, known) if o.language in {None, "en"}], profile.profile, Context()
    )
    world = World(stack, {})
    for name, data in {**corpus.game_files(stack), **_packs(folder)}.items():
        for layout in layouts_for(data[:HEAD_BYTES], len(data), name, profile.profile.layouts):
            world.samples.setdefault(_file_of(layout.layout), (name, data))
            world.samples.setdefault(layout.layout, (name, data))
    world.samples.update({name: (f"a/{name}.bin", data) for name, data in examples.files().items()})
    return world


def _file_of(layout: str) -> str:
    home = Path(sample.__file__).parent / "data/layouts"
    return next((p.stem for p in home.glob("*.yaml") if f"layout: {layout}\n" in p.read_text()), layout)


def _packs(folder: Path) -> dict[str, bytes]:
    small = (p for p in sorted(folder.rglob("*")) if p.is_file() and 0 < p.stat().st_size < 300_000)
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in small}


def inputs(world: World, folder: Path) -> dict[str, dict[str, bytes]]:
    """What each target is given, unchanged."""
    files = {**corpus.game_files(world.stack), **corpus.strangers(), **corpus.media()}
    texts = corpus.texts(Path(sample.__file__).parent / "data/layouts")
    packs = {
        **corpus.archives(),
        **{n: d for n, d in _packs(folder).items() if n.rpartition(".")[2] in {"brp", "zip", "brv"}},
    }

    layouts = world.profile.layouts

    def of(ending: str) -> dict[str, bytes]:
        return {name: data for name, data in texts.items() if name.endswith(ending)}

    return {
        "entry": files,
        "pack": packs,
        "searched": {**corpus.media(), **corpus.archives(), **dict(list(files.items())[::9])},
        "layout": of(".layout") | {f"{name}.layout": text.encode() for name, text in examples.layouts().items()},
        "described": examples.files(),
        "shipped": {one.layout: world.samples[one.layout][1] for one in layouts if one.layout in world.samples},
        "guessed": {name: data[:_GUESSED] for name, data in list(files.items())[::7]},
        "profile": of(".profile"),
        "recipe": of(".recipe"),
        "table": of(".table"),
        "names": of(".names"),
        "expression": {f"e{n}": text for n, text in enumerate(_EXPRESSIONS)},
    }


@contextmanager
def bounded(more: int) -> Iterator[None]:
    """So much memory beyond what the process has, and not a byte more."""
    used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    before = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (used + more, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_AS, before)


def _too_long(_number: int, _frame: FrameType | None) -> None:
    raise SlowError


def tried(world: World, target: str, name: str, data: bytes, patience: float = 1.0) -> tuple[str, str] | None:
    """What is wrong with how an input is read, and where; None when nothing is."""
    signal.signal(signal.SIGALRM, _too_long)
    signal.setitimer(signal.ITIMER_REAL, _HANGS * patience)
    begun = time.process_time()
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            TARGETS[target](world, name, data)
    except PruxelError:
        pass
    except (Exception, SlowError) as error:
        frames = [f for f in traceback.extract_tb(error.__traceback__) if "/pruxel/" in f.filename]
        last = frames[-1] if frames else traceback.extract_tb(error.__traceback__)[-1]
        place = f"{last.filename.rpartition('/pruxel/')[2]}:{last.lineno}"
        return f"{type(error).__name__}: {str(error)[:100]}", place
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
    took = time.process_time() - begun
    return (f"slow: {took:.1f} s", "over all") if took > SECONDS * patience else None


def campaign(
    folder: Path, seed: str, most: int, only: str | None = None, patience: float = 1.0
) -> Iterator[Found | None]:
    """Try `most` inputs (0 without end): each gives what was found, or None. The same seed gives the same inputs."""
    world = build_world(folder)
    given = inputs(world, folder)
    targets = [only] if only else list(given)
    others = [data for files in given.values() for data in list(files.values())[:40]]
    for files in given.values():  # nothing unchanged may be wrong
        for name, data in list(files.items())[:3]:
            tried(world, targets[0], name, data, 10.0)
    number = 0
    with bounded(BYTES):
        while not most or number < most:
            number += 1
            own = f"{seed}/{number}"
            rng = random.Random(own)  # noqa: S311 - no secrets
            target = targets[number % len(targets)]
            name = rng.choice(list(given[target]))
            data = given[target][name]
            if target in _DOCUMENTS and rng.random() < _BY_MEANING:
                document = changed_document(parse_yaml(data.decode(), name), rng, JUNK)
                data = write_yaml(document).encode("utf-8", "replace")
            else:
                data = changed(data, rng, others)
            wrong = tried(world, target, name, data, patience)
            yield None if wrong is None else Found(target, name, *wrong, own, data)


def smaller(world: World, found: Found, seconds: float = 20.0) -> Found:
    """The same mistake with fewer bytes: pieces are taken out as long as it stays."""
    data, end = found.data, time.monotonic() + seconds
    size = max(len(data) // 2, 1)
    while size and time.monotonic() < end:
        at = 0
        while at < len(data) and time.monotonic() < end:
            less = data[:at] + data[at + size :]
            wrong = tried(world, found.target, found.name, less)
            if wrong is not None and wrong[0].split(":")[0] == found.what.split(":")[0] and wrong[1] == found.where:
                data = less
            else:
                at += size
        size //= 2
    return Found(found.target, found.name, found.what, found.where, found.seed, data)


def keep(found: Found, place: Path) -> Path:
    """Write an input down with what it broke."""
    place.mkdir(parents=True, exist_ok=True)
    file = place / f"{found.target}-{found.key}.bin"
    file.write_bytes(found.data)
    told = {name: value for name, value in asdict(found).items() if name != "data"}
    file.with_suffix(".json").write_text(json.dumps(told, indent=1))
    return file
