"""Profiles: all that is known of one game, as data."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, ValidationError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.schema import Layout, Strict
from pruxel.core.knowledge.meant import MeantSo
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.schemes import SchemeSpec
from pruxel.core.knowledge.slots import SlotSpec


class GameVersion(Strict):
    """A version of the game and how it is recognised: a file that is there, and perhaps holds a text."""

    name: str
    file: str
    contains: str | None = None


class Layer(Strict):
    """A place in the stack, lowest first: sources whose file name matches. `loose` stands for the loose files.

    A layer with a `language` counts only when that language is chosen.
    """

    name: str
    match: tuple[str, ...] = ()
    loose: bool = False
    language: str | None = None


class KeyWanted(Strict):
    """A key that some packs need: its name, never its value."""

    name: str
    about: str = ""


class GameTable(Strict):
    """A table in the game (CSV or tab-separated) that tells names of things.

    `id` and `name` are its columns. `{id}` in `folder`, `model`, `portrait`, `skeleton`, `clips`, `textures` and
    `variants` is replaced by a row's id: patterns of paths. A table with `model` or `portrait` makes a group of the
    catalogue; `folder` gives the name as an alias to every entry it matches. `{column}` stands for any other column of
    the row in `model` and in `wears`: which entry stands in which slot of what `model` opens.
    """

    file: str
    group: str
    id: str
    name: str
    folder: str | None = None
    model: str | None = None
    portrait: str | None = None
    skeleton: str | None = None
    clips: str | None = None
    textures: str | None = None
    variants: str | None = None
    wears: dict[str, str] = {}


class Alias(Strict):
    """A name that means something for an entry or a folder, and a note."""

    path: str
    alias: str = ""
    note: str = ""
    star: bool = False


JointPair = Annotated[str, StringConstraints(pattern=r"^\s*[^=\s][^=]*=[^=]*$", max_length=1000)]


class ProfileFile(Strict):
    """The YAML file of a profile. `layouts` are patterns of files beside it, or whole layouts in place.

    `joints` are pairs, `one = other`, of what two skeletons call one bone where the names do not tell; they count both
    ways.
    """

    profile: Literal[1]
    name: str
    about: str = ""
    versions: tuple[GameVersion, ...] = ()
    layouts: tuple[str | dict[str, Any], ...] = ()
    layers: tuple[Layer, ...] = ()
    keys: tuple[KeyWanted, ...] = ()
    names: tuple[str, ...] = ()
    known_names: tuple[str, ...] = ()
    conventions: Conventions = Field(default_factory=Conventions)
    roles: dict[str, str] = {}
    folders: dict[str, str] = {}
    tables: tuple[GameTable, ...] = ()
    variants: dict[str, tuple[str, ...]] = {}
    slots: tuple[SlotSpec, ...] = ()
    schemes: tuple[SchemeSpec, ...] = ()
    joints: tuple[JointPair, ...] = ()
    recipes: tuple[dict[str, Any], ...] = ()
    meant_so: tuple[MeantSo, ...] = ()
    aliases: tuple[Alias, ...] = ()
    leave_out: tuple[str, ...] = ()

    def languages(self) -> list[str]:
        """The languages that layers have, in their order."""
        return list(dict.fromkeys(layer.language for layer in self.layers if layer.language))


@dataclass(frozen=True)
class Profile:
    """A loaded profile with its layouts."""

    name: str = ""
    about: str = ""
    layouts: tuple[Layout, ...] = ()
    conventions: Conventions = field(default_factory=Conventions)
    leave_out: tuple[str, ...] = ()
    spec: ProfileFile = field(default_factory=lambda: ProfileFile(profile=1, name=""))

    def leaves_out(self, path: str) -> bool:
        """Whether a path matches one of the patterns to be left out of listings."""
        return bool(self.leave_out) and matches(path, self.leave_out)

    def layer_of(self, file_name: str, *, loose: bool) -> tuple[int, Layer | None]:
        """The place of a source in the stack and its layer; a pack that no layer names lies below the loose files."""
        for number, layer in enumerate(self.spec.layers):
            if (loose and layer.loose) or (not loose and matches(file_name, layer.match)):
                return number, layer
        return len(self.spec.layers) + int(loose), None

    def role_of(self, path: str) -> str:
        """What a texture is for, by the longest suffix of its name that the profile explains; else an empty text."""
        stem = path.rsplit("/", 1)[-1].rsplit(".", 1)[0].lower()
        known = [suffix for suffix in self.spec.roles if stem.endswith(suffix.lower())]
        return self.spec.roles[max(known, key=len)] if known else ""

    def purpose_of(self, folder: str) -> str:
        """What a folder is for, by its path from the top; else an empty text."""
        return self.spec.folders.get(folder, "")

    def variant_of(self, path: str) -> str:
        """The variant class of a path (`low resolution`, say), or an empty text."""
        return next((name for name, patterns in self.spec.variants.items() if matches(path, patterns)), "")


def check_profile(found: object, name: str) -> ProfileFile:
    """A parsed YAML document as a profile; raises `InputError` that names the place."""
    try:
        return ProfileFile.model_validate(found)
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT, f"the profile does not hold together: {words}", file=name, field=place
        ) from error
