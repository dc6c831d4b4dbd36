"""Profiles on disk: load with layouts and name lists, find in a folder, write whole as one file."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml
from pruxel.core.disk.below import open_below
from pruxel.core.disk.files import map_file, read_text, text_from
from pruxel.core.knowledge.layout_files import Written, load_together, written_in
from pruxel.core.knowledge.name_lists import NameList, joined, names_of, parse_names
from pruxel.core.knowledge.profile import Profile, ProfileFile, check_profile


@dataclass(frozen=True)
class LoadedProfile:
    """A profile, where it lies, and the lists of names it brings."""

    profile: Profile
    home: Path | None
    name_files: tuple[Path, ...] = ()

    def names(self, more: Sequence[Path] = (), limits: Limits | None = None) -> NameList:
        """All names of the profile's lists, its own names and further lists, in one."""
        files = [*self.name_files, *more]
        lists = [parse_names(map_file(path), path.name, limits or Limits()) for path in files]
        own = names_of(name.encode() for name in self.profile.spec.known_names)
        return joined([*lists, own])


def load_profile(path: Path) -> LoadedProfile:
    """Load a profile and what it names beside it; raises `InputError`."""
    return build_profile(read_text(path), path.name, path.parent)


def build_profile(text: str, name: str, home: Path | None) -> LoadedProfile:
    """A profile from its text; patterns of files are looked up below `home`. Raises `InputError`."""
    spec = check_profile(parse_yaml(text, name), name)
    written: list[Written] = []
    for wanted in spec.layouts:
        if isinstance(wanted, Mapping):
            written.append(Written(name, wanted))
            continue
        found = _beside(home, wanted)
        if not found:
            raise InputError(ErrorCode.NOT_FOUND, f"the profile names layouts that are not there: {wanted}", file=name)
        written.extend(written_in(_text_below(home, item), item.name) for item in found)
    lists = tuple(path for pattern in spec.names for path in _beside(home, pattern))
    profile = Profile(
        spec.name, spec.about, tuple(load_together(written, name)), spec.conventions, spec.leave_out, spec
    )
    return LoadedProfile(profile, home, lists)


def _beside(home: Path | None, pattern: str) -> list[Path]:
    """Files below the profile's own folder; patterns that climb out of it find nothing."""
    if home is None or Path(pattern).is_absolute() or ".." in Path(pattern).parts:
        return []
    base = home.resolve()
    return sorted(path for path in home.glob(pattern) if path.is_file() and path.resolve().is_relative_to(base))


def _text_below(home: Path | None, path: Path) -> str:
    return read_text(path) if home is None else text_from(open_below(home, path), path.name)


def find_profiles(folder: Path) -> list[Path]:
    """The YAML files directly in a folder that say they are profiles; links that lead out of it are none."""
    found = []
    for path in sorted([*folder.glob("*.yaml"), *folder.glob("*.yml")]):
        try:
            with os.fdopen(open_below(folder, path), "rb") as handle:
                head = handle.read(4096)
        except (OSError, InputError):
            continue
        if any(line.startswith(b"profile:") for line in head.splitlines()):
            found.append(path)
    return found


def with_layouts(loaded: LoadedProfile, layouts: Sequence[Layout]) -> LoadedProfile:
    """The profile with more layouts before its own."""
    profile = replace(loaded.profile, layouts=(*layouts, *loaded.profile.layouts))
    return replace(loaded, profile=profile)


def write_profile(spec: ProfileFile, layouts: Sequence[Layout]) -> str:
    """The profile as one YAML text that needs no other file: layouts stand in it whole."""
    plain = spec.model_dump(mode="json", exclude_defaults=True)
    plain = {"profile": 1, "name": spec.name} | plain
    if layouts:
        plain["layouts"] = [layout.model_dump(mode="json", exclude_defaults=True) for layout in layouts]
    return write_yaml(plain)
