"""What the routes about entries take and give."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from pruxel.core.knowledge.kinds import Kind
from pruxel.server.api.limits import EntryNumber, Offset, PathText, Plain, Word
from pruxel.server.api.models import VariantOut


class EntryOut(BaseModel):
    """An entry of the list; `picture` is null before it is drawn, and empty when it cannot be."""

    id: int
    path: str
    kind: str
    size: int
    source: str
    source_id: UUID
    versions: int
    shadowed: list[str]
    variant: str
    picture: str | None
    alias: str
    within: str
    note: str
    star: bool
    seen: bool
    used: int


class EntriesOut(BaseModel):
    entries: list[EntryOut]
    offset: int


class FacetsOut(BaseModel):
    """Counts of a search; `capped` when more match than `total`, `sampled` when the others are of the first of them.

    `digits` counts by the length of the size in bytes, written out.
    """

    total: int
    size: int
    capped: bool
    sampled: bool
    kinds: dict[str, int]
    variants: dict[str, int]
    sources: dict[str, int]
    digits: dict[int, int]
    flags: dict[str, int]


class FolderOut(BaseModel):
    """A folder; `purpose` is what the profile says it is for."""

    path: str
    entries: int
    size: int
    deeper: bool
    alias: str
    purpose: str


class VersionOut(BaseModel):
    """One source's version of a path; `differs` says what it has instead of the one that wins, empty when the same."""

    id: int
    source: str
    source_id: UUID
    size: int
    kind: str
    wins: bool
    counts: bool
    differs: list[str]


class MarkIn(BaseModel):
    """What a person says of a path; what is null stays as it is."""

    path: str = Field(min_length=1, max_length=2000)
    folder: bool = False
    alias: str | None = Field(None, max_length=200)
    note: str | None = Field(None, max_length=10_000)
    star: bool | None = None
    seen: bool | None = None


class SavedSearchModel(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    query: Plain


class ReferenceOut(BaseModel):
    name: str
    path: str | None
    near: list[str]


class ReferencesOut(BaseModel):
    """What an entry uses, and what uses it (as far as the game was read through)."""

    uses: list[ReferenceOut]
    used_by: list[str]


class NeedsOut(BaseModel):
    """An entry with all it needs."""

    paths: list[str]
    size: int
    missing: list[str]


class TexturesLikeOut(BaseModel):
    """Textures that may be meant, and the slot of the step that links them."""

    slot: str
    candidates: list[VariantOut]


class SightIn(BaseModel):
    """Entries that somebody looks at and that lack a picture, the foremost first."""

    entries: list[EntryNumber] = Field(min_length=1, max_length=200)


class ChannelOut(BaseModel):
    name: str
    least: int
    most: int
    mean: float


class TextureLook(BaseModel):
    """A texture; `role` is what the profile says of such a name."""

    width: int
    height: int
    encoding: str
    mips: int
    has_alpha: bool
    role: str
    channels: list[ChannelOut]


class MaterialLook(BaseModel):
    name: str
    values: list[tuple[str, str]]
    slots: list[ReferenceOut]
    missing: list[str]


class LevelLook(BaseModel):
    """`points` are (model number, x, z) in metres, seen from above."""

    models: list[str]
    counts: list[int]
    points: list[tuple[int, float, float]]


class TableLook(BaseModel):
    columns: list[str]
    rows: list[list[str]]
    total: int


class SoundLook(BaseModel):
    """A sound; `peaks` are the lowest and highest of equal pieces, from -1 to 1.

    `whole` is false where the file ends before the end that it tells.
    """

    seconds: float
    channels: int
    rate: int
    format: str
    peaks: list[tuple[float, float]]
    whole: bool


class ProblemOut(BaseModel):
    """What went wrong, where, and what to try."""

    message: str
    file: str | None = None
    offset: int | None = None
    field: str | None = None
    expected: str | None = None
    found: str | None = None
    hint: str | None = None


class LookOut(BaseModel):
    """What there is to see of an entry; the part that fits its kind is set."""

    kind: str
    texture: TextureLook | None = None
    material: MaterialLook | None = None
    level: LevelLook | None = None
    table: TableLook | None = None
    text: str | None = None
    sound: SoundLook | None = None
    glance: str | None = None
    problem: ProblemOut | None = None


class JointOut(BaseModel):
    """A joint; `depth` counts the joints above it."""

    name: str
    depth: int


class ClipOut(BaseModel):
    name: str
    seconds: float
    frames: int


class GlanceFacts(BaseModel):
    """What is worth telling of a scene. `played_on` is the model that clips are shown on."""

    triangles: int
    vertices: int
    parts: int
    materials: list[str]
    size: list[float]
    joints: list[JointOut]
    clips: list[ClipOut]
    notes: list[str]
    played_on: str | None = None


class GlanceOut(BaseModel):
    """How a quick look stands; `job` is what works on it."""

    status: str
    job: UUID | None
    scene: str | None
    facts: GlanceFacts | None
    problem: ProblemOut | None


class BytesOut(BaseModel):
    offset: int
    size: int
    hex: str


class SelectionIn(BaseModel):
    """What to take: some paths, or all that a search finds."""

    paths: list[PathText] | None = Field(None, max_length=200_000)
    query: Plain | None = None


class SelectionOut(BaseModel):
    files: int
    size: int
    several: int
    same_name: int
    free: int


class ExtractIn(SelectionIn):
    """What to take and how. `choices` says for single paths which source's version is wanted."""

    name: str = Field("files", min_length=1, max_length=80)
    shape: Literal["keep", "flat", "strip"] = "keep"
    prefix: str = Field("", max_length=1000)
    versions: Literal["winning", "all"] = "winning"
    choices: dict[str, UUID] = Field({}, max_length=20_000)
    png: bool = False


class HolderOut(BaseModel):
    """A source that holds a path, the highest first; `wins` when its version is taken unless another is chosen."""

    source: str
    source_id: UUID
    size: int
    wins: bool


class CollisionOut(BaseModel):
    """A path that several sources hold."""

    path: str
    holders: list[HolderOut]


class ZipOut(BaseModel):
    """Where the archive of a selection is streamed from."""

    address: str


class CarveIn(BaseModel):
    first: Offset = 0
    last: Offset | None = None


class HitModel(BaseModel):
    format: str = Field(max_length=200)
    ending: str = Field(pattern=r"^[a-z0-9]{1,16}$")
    kind: Kind
    offset: int = Field(ge=0, lt=2**62)
    size: int = Field(ge=0, lt=2**62)
    picture: Word | None = None


class WonName(BaseModel):
    name: str
    how: str


class JobResults(BaseModel):
    """What a job found that is too much for its row; `number` names were won, of which `won` are the first."""

    hits: list[HitModel] = []
    given_up: list[str] = Field([], description="formats whose search was stopped: too many beginnings had no end")
    won: list[WonName] = []
    number: int = 0
    not_written: list[str] = Field([], description="the first entries that an extraction could not write, and why")


class KeepIn(BaseModel):
    hits: list[HitModel] = Field(min_length=1, max_length=10_000)


class CardOut(BaseModel):
    """A thing of the game: what it is called, its entries by part, and the parts that are missing.

    `bench` is what to open: its models with their clips; empty when there is no model. `wears` says which entry stands
    in which slot of it.
    """

    group: str
    code: str
    name: str
    picture: str | None
    parts: dict[str, list[str]]
    missing: list[str]
    wears: dict[str, str]
    bench: list[str]


class CatalogueOut(BaseModel):
    """A page of cards; `total` are all that were asked for, `groups` all there are."""

    cards: list[CardOut]
    total: int
    groups: dict[str, int]
    problems: list[str]


class NamingIn(BaseModel):
    """Names in bulk: `{id}` in `pattern` stands for a code. Codes are a column of the table `entry`, or in `text`."""

    pattern: str = Field("", max_length=500)
    entry: EntryNumber | None = None
    id_column: str = Field("", max_length=200)
    name_column: str = Field("", max_length=200)
    text: str = Field("", max_length=8 << 20)


class NamedRow(BaseModel):
    """A code with its name, and what it would name: the first places, and how many there are."""

    code: str
    name: str
    places: list[str]
    number: int


class NamingOut(BaseModel):
    """What naming in bulk by `pattern` would do; of the `tried` first codes `fitting` mean something in the game."""

    pattern: str
    likely: list[str]
    codes: int
    tried: int
    fitting: int
    rows: list[NamedRow]
