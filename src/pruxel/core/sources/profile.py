"""Profiles: all that is known of one game, as data."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError, field_validator

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import load_layout, parse_yaml, validation_words
from pruxel.core.binary.schema import Layout, Strict
from pruxel.core.sources.files import read_text

Axis = Literal["x", "y", "z", "-x", "-y", "-z"]


class Conventions(Strict):
    """How a game's files count: turned into glTF's conventions when a model is read.

    `axes` says for each of our x, y, z which axis of the file it is; `unit_m` is one unit in metres.
    """

    axes: tuple[Axis, Axis, Axis] = ("x", "y", "z")
    unit_m: float = Field(1.0, gt=0, le=1e6)
    winding: Literal["counter_clockwise", "clockwise"] = "counter_clockwise"
    uv_origin: Literal["top_left", "bottom_left"] = "top_left"

    @field_validator("axes")
    @classmethod
    def _all_three(cls, axes: tuple[str, str, str]) -> tuple[str, str, str]:
        if {axis[-1] for axis in axes} != {"x", "y", "z"}:
            message = "each of x, y and z must stand once in 'axes'"
            raise ValueError(message)
        return axes

    def words(self) -> str:
        """One line for provenance."""
        return (
            f"axes {' '.join(self.axes)}, unit {self.unit_m:g} m, winding "
            f"{self.winding.replace('_', '-')}, UV origin {self.uv_origin.replace('_', ' ')}"
        )


class ProfileFile(Strict):
    """The YAML file of a profile."""

    profile: Literal[1]
    name: str
    about: str = ""
    layouts: tuple[str, ...] = ()
    conventions: Conventions = Field(default_factory=Conventions)
    leave_out: tuple[str, ...] = ()


@dataclass(frozen=True)
class Profile:
    """A loaded profile with its layouts."""

    name: str = ""
    about: str = ""
    layouts: tuple[Layout, ...] = ()
    conventions: Conventions = field(default_factory=Conventions)
    leave_out: tuple[str, ...] = ()

    def leaves_out(self, path: str) -> bool:
        """Whether a path matches one of the patterns to be left out of listings."""
        return any(fnmatchcase(path, pattern) for pattern in self.leave_out)


def load_profile(path: Path) -> Profile:
    """Load a profile and the layouts beside it; raises `InputError`."""
    try:
        spec = ProfileFile.model_validate(parse_yaml(read_text(path), path.name))
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT, f"the profile does not hold together: {words}", file=path.name, field=place
        ) from error
    layouts: list[Layout] = []
    for pattern in spec.layouts:
        found = sorted(path.parent.glob(pattern))
        if not found:
            raise InputError(
                ErrorCode.NOT_FOUND, f"the profile names layouts that are not there: {pattern}", file=path.name
            )
        layouts.extend(load_layout(read_text(item), item.name) for item in found)
    return Profile(spec.name, spec.about, tuple(layouts), spec.conventions, spec.leave_out)


def find_profile(folder: Path) -> Path | None:
    """The first YAML file directly in a folder that says it is a profile."""
    for path in sorted([*folder.glob("*.yaml"), *folder.glob("*.yml")]):
        try:
            with path.open("r", encoding="utf-8") as handle:
                head = handle.read(4096)
        except (OSError, UnicodeDecodeError):
            continue
        if any(line.startswith("profile:") for line in head.splitlines()):
            return path
    return None


def with_layouts(profile: Profile, layouts: Sequence[Layout]) -> Profile:
    """The profile with more layouts before its own."""
    return Profile(profile.name, profile.about, (*layouts, *profile.layouts), profile.conventions, profile.leave_out)
