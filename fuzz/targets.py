"""What reads: each target is given a name and bytes, and returns, or raises one of our own errors."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import islice

from fuzz import examples
from pruxel.core.base.context import Context
from pruxel.core.base.errors import PruxelError
from pruxel.core.base.limits import Limits
from pruxel.core.binary.explain import explained
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import Layout
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.disk.names import is_sound, safe_path
from pruxel.core.extract.clips import read_clips
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.level import read_level
from pruxel.core.extract.material import FoundTexture, read_materials
from pruxel.core.extract.meshes import read_model, skeleton_named
from pruxel.core.extract.skeleton import read_skeleton
from pruxel.core.guessing.guess import guess
from pruxel.core.images.decode import decode_image, image_info
from pruxel.core.knowledge.catalogue import names_by_code, read_pairs, read_rows
from pruxel.core.knowledge.harvest import paths_in
from pruxel.core.knowledge.keys import parse_key
from pruxel.core.knowledge.kinds import OPENED, Kind, classify
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.name_lists import Hashing, hash_names, parse_names
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.profile import GameTable, Profile
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.native.sounds import read_wave
from pruxel.core.recipe.document import load_recipe
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.layout_check import check_layout, what_it_yields
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.sources.base import Listed, Listing, Source, not_found
from pruxel.core.sources.carve import carve
from pruxel.core.sources.open import open_origin
from pruxel.core.sources.origin import Origin
from pruxel.core.sources.stack import Stack, build_stack

CONTEXT = Context()
_READ = 12
Target = Callable[["World", str, bytes], None]


@dataclass(frozen=True)
class Memory:
    """A source in memory, for files that lie nowhere."""

    files: dict[str, bytes]
    kinds: dict[str, Kind]
    label: str = "memory"
    kind: str = "folder"

    def listing(self, _context: Context) -> Listing:
        """All files."""
        found = [Listed(path, self.kinds[path], len(data), len(data)) for path, data in self.files.items()]
        return Listing(tuple(found))

    def read(self, path: str, _context: Context) -> memoryview:
        """One file."""
        if path not in self.files:
            raise not_found(path, self.label)
        return memoryview(self.files[path])


@dataclass
class World:
    """What the changed files are read among: the game's stack and layouts, and one whole file of each layout."""

    stack: Stack
    samples: dict[str, tuple[str, bytes]]
    below: list[Source] = field(default_factory=list)

    @property
    def profile(self) -> Profile:
        """The game's profile."""
        return self.stack.profile

    def beside(self, name: str, data: bytes) -> Stack:
        """The game with one file laid over it."""
        kind = classify(data[:HEAD_BYTES], len(data), name, self.profile.layouts)
        source = Memory({name: data}, {name: kind})
        made = Stack([], self.profile)
        made.entries, made._holders = dict(self.stack.entries), dict(self.stack._holders)
        made.add(source, source.listing(CONTEXT).entries)
        return made


def entry(world: World, name: str, data: bytes) -> None:
    """Whatever it is, opened by every way that a page has."""
    stack = world.beside(name, data)
    opener, kind = Opener(stack), stack.entries[name].kind
    ways: list[Callable[[], object]] = [lambda: opener.mentions(name, CONTEXT)]
    if kind is Kind.CLIPS:
        ways.append(lambda: opener.clips(name, CONTEXT))
    elif kind is Kind.LEVEL:
        ways.append(lambda: opener.level(name, CONTEXT))
    elif kind is Kind.MATERIAL:
        ways.append(lambda: opener.material(name, CONTEXT))
    else:
        ways.append(lambda: _scene(opener, name))
    if kind is Kind.TEXTURE or name.endswith((".png", ".jpg", ".dds", ".tga", ".bmp", ".gif")):
        ways += [lambda: image_info(data, name), lambda: decode_image(data, name)]
    if kind is Kind.SOUND or name.endswith(".wav"):
        ways.append(lambda: read_wave(memoryview(data), name, 64))
    each(ways)


def _scene(opener: Opener, name: str) -> None:
    scene = opener.scene([name], CONTEXT)
    assert not problems(scene), problems(scene)[:3]
    measure(scene)


def pack(world: World, name: str, data: bytes) -> None:
    """As an archive or pack: listed, and its first entries read."""
    origin = Origin(name, name, lambda: memoryview(data), lambda _: None)
    source = open_origin(origin, Knowledge(world.profile))
    if source is None:
        return
    listing = source.listing(CONTEXT)
    for item in islice(listing.entries, _READ):
        each([lambda path=item.path: source.read(path, CONTEXT)])  # type: ignore[misc]


def searched(_world: World, name: str, data: bytes) -> None:
    """Searched for formats and for names."""
    carve(memoryview(data), name, CONTEXT)
    for path in islice(paths_in(memoryview(data)), 100):
        assert is_sound(safe_path(path))


def layout(world: World, name: str, data: bytes) -> None:
    """A changed layout, and the file that its original reads."""
    text = data.decode("utf-8", "replace")
    check_layout(text, name)
    found = load_layout(text, name)
    kind, sample = world.samples.get(name.partition(".")[0], ("", b""))
    view, convention = memoryview(sample), world.profile.conventions

    def nothing(path: str) -> FoundTexture:
        return FoundTexture(path, None)

    if found.reads == "pack":
        pack(World(Stack([], Profile(layouts=(found,))), {}), kind, sample)
        return
    file = parse_file(view, found, kind, convention, CONTEXT, lambda _name: view)
    by_kind: dict[str, Callable[[], object]] = {
        "meshes": lambda: (skeleton_named(file), read_model(file, CONTEXT)),
        "skeletons": lambda: read_skeleton(file, CONTEXT),
        "clips": lambda: read_clips(file, CONTEXT),
        "placements": lambda: read_level(file),
        "materials": lambda: read_materials(file, nothing, CONTEXT),
    }
    each([by_kind.get(kind, lambda: None) for kind in found.yields])


def shipped(world: World, name: str, data: bytes) -> None:
    """A changed file, read by the layout that ships for it whether or not that would still claim it."""
    found = next(one for one in world.profile.layouts if one.layout == name)
    path, whole = world.samples[name]
    if found.reads == "pack":
        layouts = Profile(layouts=(found,))
        pack(World(Stack([], layouts), {}), path, data)
        return
    each(
        [
            lambda: explained(found, memoryview(data), path, 6, lambda _name: memoryview(whole)),
            lambda: what_it_yields(found, memoryview(data), path, lambda _name: memoryview(whole)),
        ]
    )


def guessed(_world: World, name: str, data: bytes) -> None:
    """Bytes of which nobody says what they are; each guess is a layout that holds together and reads them."""
    for one in guess(memoryview(data), name, CONTEXT).found[:4]:
        if one.layout:
            layout, faults = check_layout(one.layout, name)
            assert layout is not None
            assert not faults, faults[0].line()


def described(_world: World, name: str, data: bytes) -> None:
    """A changed file that a layout of the documentation reads, opened as it would be, and explained."""
    found = _example(name)
    each([lambda: explained(found, memoryview(data), name, 6)])
    path = f"a/{name}.bin"
    kind = Kind(found.reads) if found.reads in set(Kind) else Kind.UNKNOWN
    stack = build_stack([Memory({path: data}, {path: kind})], Profile(layouts=(found,)), CONTEXT)
    ways: list[Callable[[], object]] = [lambda: what_it_yields(found, memoryview(data), path)]
    if kind in OPENED:
        ways.append(lambda: problems(Opener(stack).scene([path], CONTEXT)))
    each(ways)


@lru_cache(maxsize=64)
def _example(name: str) -> Layout:
    return examples.loaded(name.partition(".")[0])


def profile(_world: World, name: str, data: bytes) -> None:
    """A changed profile, and what it says of some paths."""
    found = build_profile(data.decode("utf-8", "replace"), name, None).profile
    for path in ("actors/crab/crab_01.brm", "tex/a_c.dds", "x" * 200, "/".join("ab" * 30)):
        found.leaves_out(path)
        found.role_of(path)
        found.variant_of(path)
        found.layer_of(path, loose=False)
        matches(path, found.leave_out)


def recipe(_world: World, name: str, data: bytes) -> None:
    """A changed recipe."""
    load_recipe(data.decode("utf-8", "replace"), name)


def table(_world: World, name: str, data: bytes) -> None:
    """Rows, names by code, pairs."""
    rows = read_rows(memoryview(data), name)
    given = GameTable(file=name, group="g", id="id", name="name")
    each([lambda: names_by_code(given, rows), lambda: read_pairs(data.decode("utf-8", "replace"))])


def names(_world: World, name: str, data: bytes) -> None:
    """A list of paths, hashed; the same bytes as a key."""
    found = parse_names(data, name, Limits())
    hash_names(found, Hashing(function="fnv1a_64"))
    parse_key(data[:200].decode("latin-1"))


def expression(_world: World, _name: str, data: bytes) -> None:
    """A text as an expression of a layout."""
    record = Record("file", 0, None, {"k": 3}, {"n": 5, "f": 1.5, "t": "x", "b": memoryview(b"abc")}, {"n": (0, 4)})
    try:
        found = compile_expression(data.decode("utf-8", "replace"))
    except ValueError:
        return
    found(record)


def each(ways: list[Callable[[], object]]) -> None:
    """Go every way, whether or not those before were refused."""
    for way in ways:
        try:
            way()
        except PruxelError as error:
            error.fault.line()


TARGETS: dict[str, Target] = {
    "entry": entry,
    "pack": pack,
    "searched": searched,
    "layout": layout,
    "described": described,
    "shipped": shipped,
    "guessed": guessed,
    "profile": profile,
    "recipe": recipe,
    "table": table,
    "names": names,
    "expression": expression,
}
